// The end of a search: what does not earn its place is taken out, and levels are finished.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Takes out one module after another, what costs least first, while each costs less than 3 % of the loss, all together
/// less than 8 %, and likeness falls by less than one at each step; then refines what is left. Structures that the
/// pruned one replaces leave the leaderboard: they are no better and more complicated. What was pruned until then
/// stands when it throws BudgetSpent or Cancelled.
void prune(SearchState& state, Allowance allowance);

/// Fits what shapes levels to the decibel, as far as the rank grows by less than 4 %: see withFittedLevels(). Throws
/// likewise.
void finishLevels(SearchState& state, Allowance allowance);

} // namespace facet
