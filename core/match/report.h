// What a match found, as JSON.
#pragma once

#include "core/match/match.h"

#include <string>

namespace facet {

/// Likeness and each facet before and after with its floor, the structure chosen and the runners-up,
/// what moves, what stays unlike, how sure each value is and what nothing tells, evaluations, seconds and seed.
std::string matchReport(const MatchResult& result);

/// A comparison alone: likeness, and per facet likeness, difference, words and values.
std::string comparisonReport(const Comparison& comparison);

} // namespace facet
