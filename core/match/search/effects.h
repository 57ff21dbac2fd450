// What stands behind the voices, one effect after the other.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Tries every kind of effect behind the best patch, each fitted by itself, and keeps those that earn their place, the
/// best first. The voices are rendered once for all settings of a kind, which makes this cheap. Throws BudgetSpent and
/// Cancelled.
void addEffects(SearchState& state, const Evaluator& evaluator);

} // namespace facet
