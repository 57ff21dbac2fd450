// A distance between sounds that follows the notes: what the partials of a few notes do, not the cells of a fixed grid.
#pragma once

#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <Eigen/Core>
#include <memory>
#include <vector>

namespace facet {

inline constexpr double usualMoment = 1.6;  ///< seconds of a moment that are looked at where there are several
inline constexpr double tailSeconds = 0.25; ///< looked at after its notes have ended

/// Of each moment (notes that begin together, or that are tied) the sound is looked at in spans that grow with the time
/// since its beginning, as envelopes do, up to an eighth of a second, and in cells that follow the notes: low partials
/// each by itself, higher ones in groups, and what lies between them. The power of each cell is its mean over the span,
/// so that neither start phases nor a few milliseconds count; levels are in dB, differences are compressed, and each
/// weighs by how well it is heard. What already sounded before the moment begins, or goes on after its notes have ended
/// (earlier notes, echoes, a room), is an upper bound: a candidate differs there only by what is too much. Deaf to
/// overall gain.
///
/// The harmonic part and what lies beside it, kept apart: X. Serra, J. Smith, "Spectral modeling synthesis", Computer
/// Music Journal 14(4), 1990.
class NoteLoss {
public:
    /// At 48 kHz or at half of that. `moments`: numbers of the notes of each, those that begin together or are tied; `longest`:
    /// seconds of each that are looked at. Nothing outside the two frequencies is.
    NoteLoss(const Recording& reference, const Performance& performance,
             const std::vector<std::vector<std::size_t>>& moments, double lowerHz, double upperHz,
             double longest = usualMoment);
    ~NoteLoss();
    NoteLoss(NoteLoss&&) noexcept;

    /// Residuals whose mean magnitude is the distance in dB. `candidate`: a render of the moments' notes at their
    /// times, of the reference's shape and rate; it may end earlier. May be called from several threads at once.
    Eigen::VectorXf residual(const Recording& candidate) const;

    /// Seconds after which nothing of a candidate is looked at.
    double until() const;

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
