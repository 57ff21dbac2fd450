// Candidates as people hear them.
#pragma once

#include "core/match/search/state.h"

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

} // namespace facet
