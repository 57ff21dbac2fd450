// Newly added modules fitted by themselves.
#pragma once

#include "core/match/search/state.h"

#include <vector>

namespace facet {

/// Which newly added modules are fitted, and how long.
struct ModuleFit {
    double promising = 1.6; ///< times the loss without it: what lies above is left alone
    std::size_t mostKinds = 10;
    int iterations = 2;
};

/// A module that was just added to a patch seldom does what it could. Of those in `changed` that `before` did not have,
/// the best of each kind is fitted with everything else held fixed, which costs little, and appended to `changed`.
/// Throws BudgetSpent and Cancelled.
void fitAddedModules(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& changed,
                     const Candidate& before, const ModuleFit& how = {});

} // namespace facet
