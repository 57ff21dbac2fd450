// How a recording may have been made, as one patch whose parts are moves to take.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/match/targets/match_target.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"
#include "core/prior/element_odds.h"

#include <functional>
#include <vector>

namespace facet {

/// A patch that explains a recording, as far as it was looked into, and what is known of the recording's elements.
struct MovePlan {
    Patch patch{};
    ElementOdds odds{};
};

/// How unlikely the elements of a patch are together, in dB of the loss: 0.2 for each factor e of the odds against
/// each, and what rare and opaque ones cost a search.
double implausibilityOf(const Patch& patch, const ElementOdds& odds);

/// From measurements alone, in a second or two: of all hypotheses the one that comes nearest by `losses` (dB, one for
/// each patch), less likely elements counting against it. Throws Cancelled.
MovePlan measuredPlan(const Profile& profile, const Recording& reference48k, const Performance& performance,
                      const std::function<std::vector<double>(const std::vector<Patch>&)>& losses, int threads,
                      const Task& task);

/// By a search of so many seconds and renders at most, within the band that is attended to, from the empty patch, which
/// also refines the values. Nothing is held fast: it says what could be, not what may be changed. Throws Error where
/// the recording cannot be matched, and Cancelled.
MovePlan searchedPlan(const MatchTarget& target, const Attention& attention, const FacetWeights& weights,
                      double seconds, int evaluations, int threads, const Task& task);

} // namespace facet
