// One recording of a search made ready: at 48 kHz, measured, with its loss.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/attention.h"
#include "core/compare/comparison.h"
#include "core/compare/loss.h"
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

    /// `weights`: the sum over all targets. Throws Error for a recording that cannot be measured, and Cancelled.
    static PreparedTarget prepare(const MatchTarget& target, double weights, const TargetSettings& settings,
                                  const Task& task);

    /// The most informative segment of so many seconds at most, see mostInformativeSpan(); its profile is still that of
    /// the whole. Nothing when that would be most of it anyway, or silence.
    std::optional<PreparedTarget> segment(double longest, const TargetSettings& settings) const;
    /// What a search compares with: of a phrase over 7 s a segment of 4, measured anew; otherwise the whole. Throws
    /// Cancelled.
    PreparedTarget searched(const TargetSettings& settings, const Task& task) const;

    /// The profile of what is attended to of a recording. Throws Error and Cancelled.
    static Profile measure(const Recording& recording, const Performance& performance, const Attention& attention,
                           const SourceFit* source, int threads, const Task& task);
    /// Compares a render at 48 kHz as people see it. Throws Error and Cancelled.
    Comparison compareWith(const Recording& render, int threads, const FacetWeights& weights, const Task& task) const;
};

} // namespace facet
