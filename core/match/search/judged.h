// Candidates as people hear them.
#pragma once

#include "core/match/search/state.h"

#include <functional>
#include <vector>

namespace facet {

/// A candidate with what decides between structures. The loss decides between values.
struct Judged {
    Candidate candidate{};
    double likeness = 0.0; ///< 0 … 100
    double worth = 0.0;    ///< worthOf()
};

/// Each in its place. One takes as long as many renders; several are measured at a time. Throws Cancelled.
std::vector<Judged> judged(SearchState& state, const std::vector<Candidate>& candidates);
/// The one that is worth most; `candidates` not empty. Throws Cancelled.
Judged mostWorth(SearchState& state, const std::vector<Candidate>& candidates);

/// Lets `improve` make more of the best candidate, by worth. What it has come to leads, also where the budget ends
/// meanwhile; `changed` is told of it before. Throws BudgetSpent and Cancelled.
void leadByWorth(SearchState& state, const std::function<void(Judged&)>& improve,
                 const std::function<void(const Patch& before, const Patch& after)>& changed = {});

} // namespace facet
