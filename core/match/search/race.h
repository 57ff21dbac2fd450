// The race: every starting point compared, fewer and fewer of them, longer and longer.
#pragma once

#include "core/match/search/state.h"

#include <functional>

namespace facet {

/// Compares what measurements suggest (hypotheses) and the patches of the seed bank that sound most like the longest
/// note, at first on the segment of the first target about that note, then on everything; the best two are refined.
/// `attempt` 0 is the first, each further one takes other patches of the bank, and structures that no earlier one has
/// followed. Something is found even when the budget is spent. Throws BudgetSpent and Cancelled.
void race(SearchState& state, Allowance allowance, int attempt);

/// A race for where a render is cheap. Starting points are compared by `few`, parts of what the search compares, and
/// the best of each structure refined there; the best two are tried with every kind of effect. Those that stay are
/// halved again and again on everything that the search compares, and refined longer each time. `afterHeat` gets the
/// best after each. Throws BudgetSpent and Cancelled, and what `afterHeat` throws.
void halve(SearchState& state, const std::vector<PreparedTarget>& few, Allowance allowance,
           const std::function<void(const Patch&)>& afterHeat);

/// A short race that shows what a reading of the recording comes to: what measurements suggest, compared on everything
/// that the search compares, the best three varied and refined a little. Its candidates stay on the leaderboard.
/// Something is found even when the budget is spent. Throws BudgetSpent and Cancelled.
void tryReading(SearchState& state, Allowance allowance);

/// Begins from what an earlier search had found (MatchSettings::goOnWith) instead. Throws likewise.
void goOn(SearchState& state, Allowance allowance);

} // namespace facet
