// Candidates of a search improved where they stand.
#pragma once

#include "core/match/search/state.h"

#include <vector>

namespace facet {

/// Improves one by so many iterations of Levenberg–Marquardt, within the search's limits. What it returns is never
/// worse. Throws BudgetSpent and Cancelled, as all of these.
Candidate refine(SearchState& state, const Evaluator& evaluator, const Candidate& from, int iterations);

/// Improves each in place, in pairs. `jacobian`: at a patch that all of them are changes of, see Refinement; then six
/// go side by side, as each asks for few renders.
void refineEach(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates, int iterations,
                const LinearRefit* jacobian = nullptr);

/// The same, each within limits of its own.
void refineEachWithin(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates,
                      const std::vector<SearchLimits>& limits, int iterations);

/// Keeps the best so many, and improves each of them in place.
void refineBest(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates, std::size_t most,
                int iterations, const LinearRefit* jacobian = nullptr);

/// Keeps the best so many, of each structure (as people read it) at most so many: what is alike gets stuck alike.
void keepDifferent(std::vector<Candidate>& candidates, std::size_t most, int ofEach);

/// Patches near one: every continuous parameter moved by a normal deviate of so much of its range.
std::vector<Patch> scattered(SearchState& state, const Patch& patch, double deviation, int count);

} // namespace facet
