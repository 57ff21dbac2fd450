// All values of one story about source and filter at once, against the partials at all instants.
#pragma once

#include "core/match/evidence/source_filter.h"

#include <Eigen/Core>
#include <vector>

namespace facet {

/// How much the lines of one instant count: as arrays that a loop without branches reads.
struct WeighedLines {
    LineLevels heard{}; ///< weight of what is heard
    LineLevels below{}; ///< weight of what is not, which may be anything below
    float all = 0.0f;

    explicit WeighedLines(const LineInstant& instant);
};

/// dB from which on a difference counts less and less: what lies so far out is something else.
inline constexpr float farLineDb = 8.0f;

/// What is referred to must outlive it. Const functions may be called from several threads.
class StoryFitter {
public:
    StoryFitter(const Profile& profile, const std::vector<LineInstant>& instants);

    /// The fit with its values refined by least squares, and its error. `spectra`: those of its source.
    SourceFilterFit refined(const SourceSpectra& spectra, const SourceFilterFit& from) const;

    /// The same with the second source that explains most of what is left, where one earns its place.
    SourceFilterFit withSecond(const SourceSpectra& spectra, const SourceFilterFit& alone) const;

private:
    class Model;
    double errorOf(const Model& model, const SourceFilterFit& fit) const;

    const Profile& profile_;
    const std::vector<LineInstant>& instants_;
    PhraseSpan span_;
    std::vector<WeighedLines> weights_;
};

} // namespace facet
