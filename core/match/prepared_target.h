// One recording of a search made ready: at 48 kHz, measured, with its loss.
#pragma once

#include "core/compare/loss.h"
#include "core/match/match.h"

#include <memory>
#include <optional>
#include <vector>

namespace facet {

struct PreparedTarget {
    Recording reference;
    Performance performance; ///< at 48 kHz, with the search's seed
    Attention attention;     ///< the search's focus, and the times left out
    double share;            ///< of all weights
    Profile profile;
    double upperHz; ///< above which nothing is looked at
    std::shared_ptr<const Loss> loss;

    static PreparedTarget prepare(const MatchTarget& target, double weights, const MatchSettings& settings,
                                  const Task& task);

    /// The stretch that tells most: the longest notes and the most different ones within so many seconds. Nothing when
    /// that would be most of it anyway. Its profile is still that of the whole.
    std::optional<PreparedTarget> telling(double longest, const MatchSettings& settings) const;
    /// What a search looks at: a few telling seconds of a long phrase, measured anew.
    PreparedTarget searched(const MatchSettings& settings, const Task& task) const;

    static Profile measure(const Recording& recording, const Performance& performance, const Attention& attention,
                           const SourceFit* source, int threads, const Task& task);
    Comparison compareWith(const Recording& render, int threads, const FacetWeights& weights, const Task& task) const;
};

} // namespace facet
