// What a match found, as JSON.
#pragma once

#include "core/match/heard_elements.h"
#include "core/match/match.h"

#include <string>
#include <vector>

namespace facet {

/// Likeness and each facet before and after with its floor, the structure chosen and the runners-up,
/// curves, shortfalls, the range of each value, unidentifiable parameters, evaluations, seconds and seed.
/// `made`: what the elements of the best patch contribute, where that was measured.
std::string matchReport(const MatchResult& result, const std::vector<HeardElement>& made = {});

/// A comparison alone: likeness, and per facet likeness, difference, words and values.
std::string comparisonReport(const Comparison& comparison);

} // namespace facet
