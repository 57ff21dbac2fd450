// The end of a search's fitting: everything that the recordings hold.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Refines the best, and what was worth most on the way, by the whole of each recording at the full rate, and leaves
/// them in SearchState::finished. Before, what is timed as notes of the tempo are is timed in notes, where that sounds
/// no less alike. What is compared until then is a part of it at half the rate. Throws BudgetSpent and
/// Cancelled; what was reached until then is kept.
void finishOnWhole(SearchState& state, Allowance allowance);

} // namespace facet
