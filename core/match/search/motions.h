// What moves the voices and what sounds beside them, one after the other.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Tries LFOs at many rates and places, noise and further sources on the best patch, each fitted by itself, and keeps
/// those that earn their place, the best first. Throws BudgetSpent and Cancelled.
void addMotions(SearchState& state, const Evaluator& evaluator);

} // namespace facet
