// The course of a search.
#pragma once

#include "core/match/optimize/certainty.h"
#include "core/match/search/state.h"

#include <vector>

namespace facet {

/// Runs the stages of docs/search.md until nothing gains any more, the budget is spent or a stop is requested; leaves
/// the best of each structure on the leaderboard, best first. Throws Error for what cannot be rendered.
void runSearch(SearchState& state);

/// How well the targets determine each parameter of a patch that was found; neither budget nor stop counts.
std::vector<KnownRange> certaintyOf(SearchState& state, const Patch& patch);

/// Parameters of a patch that no target determines, so that a search leaves them as they are.
std::vector<Address> unidentifiableOf(const SearchInputs& inputs, const Patch& patch);

} // namespace facet
