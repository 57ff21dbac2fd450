// What the best patch still lacks, one element after the other.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Tries elements that the recording is likely to have (SearchInputs::odds) and the best patch has not, each fitted by
/// itself, and keeps those that earn their place, the best first. Throws BudgetSpent and Cancelled.
void addLikely(SearchState& state, const Evaluator& evaluator);

/// The same with what is left between the recording and a render: LFOs that go as it goes round, noise and an
/// equalizer.
void addMotions(SearchState& state, const Evaluator& evaluator);

} // namespace facet
