// One recording of a search made ready: at 48 kHz, measured, with its loss.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/attention.h"
#include "core/compare/comparison.h"
#include "core/compare/loss.h"
#include "core/compare/note_loss.h"
#include "core/match/targets/match_target.h"

#include <memory>
#include <optional>

namespace facet {

/// A value; its loss is shared and immutable.
struct PreparedTarget {
    Recording reference;     ///< at 48 kHz
    Performance performance; ///< at 48 kHz, with the settings' seed
    Attention attention;     ///< the settings' focus, and the times left out
    double share;            ///< of the weights of all targets, 0 … 1
    Profile profile;
    double upperHz; ///< above which nothing is compared
    std::shared_ptr<const Loss> loss;
    /// Where only a few notes are compared: their own loss, which takes the place of the other. `performance` holds
    /// those notes.
    std::shared_ptr<const NoteLoss> notes{};
    double shareHeard = 1.0;     ///< how much of the whole a render of it is, 0 … 1
    int rateHz = analysisRateHz; ///< of the renders that its losses take

    /// Residuals whose mean magnitude is the loss of a render in dB.
    Eigen::VectorXf residual(const Recording& render) const {
        return notes ? notes->residual(render) : loss->residual(render);
    }
    /// The same, compared at half the rate: nothing above 10.8 kHz, and each render takes half as long. Itself where
    /// there is a focus.
    PreparedTarget atHalfRate(const TargetSettings& settings) const;
    /// Its telling moments alone, so many at most and of each at most so many seconds, compared by what their notes do;
    /// see tellingMoments().
    PreparedTarget telling(std::size_t most, double longest, const TargetSettings& settings) const;

    /// `weights`: the sum over all targets. Throws Error for a recording that cannot be measured, and Cancelled.
    static PreparedTarget prepare(const MatchTarget& target, double weights, const TargetSettings& settings,
                                  const Task& task);

    /// The most informative segment of so many seconds at most, see mostInformativeSpan(); its profile is still that of
    /// the whole. Nothing when that would be most of it anyway, or silence.
    std::optional<PreparedTarget> segment(double longest, const TargetSettings& settings) const;
    /// The part of a phrase over 7 s that a search compares with: its most informative 4 s. Nothing: the whole.
    std::optional<TimeSpan> searchedSpan() const;
    /// That part, measured anew; the whole where there is none. Throws Cancelled.
    PreparedTarget searched(const TargetSettings& settings, const Task& task) const {
        return searched(searchedSpan(), settings, task);
    }
    /// The same of a part that another reading of the recording has chosen.
    PreparedTarget searched(const std::optional<TimeSpan>& span, const TargetSettings& settings,
                            const Task& task) const;

    /// The profile of what is attended to of a recording. Throws Error and Cancelled.
    static Profile measure(const Recording& recording, const Performance& performance, const Attention& attention,
                           const SourceFit* source, int threads, const Task& task);
    /// Compares a render at 48 kHz as people see it. Throws Error and Cancelled.
    Comparison compareWith(const Recording& render, int threads, const FacetWeights& weights, const Task& task) const;

private:
    /// The most informative so many seconds; nothing when that would be most of it anyway.
    std::optional<TimeSpan> span(double longest) const;
    /// A part with the profile of the whole; nothing where no note sounds.
    std::optional<PreparedTarget> part(const TimeSpan& span, const TargetSettings& settings) const;
};

} // namespace facet
