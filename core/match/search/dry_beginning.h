// The beginning of a search: what the notes themselves sound like, without what only rings on.
#pragma once

#include "core/match/search/state.h"

namespace facet {

/// Whether that is worth while: a phrase of several moments, of which a few say most.
bool isPhrase(const SearchInputs& inputs);

/// Races all starting points on the telling moments of the targets, by a loss that follows their notes
/// (core/compare/note_loss.h), and makes quick rounds of proposals there. Delays and reverbs take no part: what they
/// add is an upper bound there. Then the best of different structures, with and without the echo that was measured, are
/// compared on everything and recorded on the leaderboard, and the best refined. A render of a few notes costs a small
/// part of one of the whole, and its loss still prefers the right construction where its values are far off
/// (docs/search.md). `afterwards`: of what is compared with everything. Something is found even when the budget is
/// spent. Throws BudgetSpent and Cancelled.
void beginDry(SearchState& state, Allowance allowance, Allowance afterwards);

} // namespace facet
