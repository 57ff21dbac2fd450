// How the best patches of a search are marked and ranked at its end.
#pragma once

#include "core/match/match.h"
#include "core/match/prepared_target.h"

#include <vector>

namespace facet {

/// Marks over all targets with the output's level solved, unless it is locked: loss, likeness and floors are weighted
/// means, the comparison is with the first.
ScoredPatch scoreAll(const Patch& patch, const std::vector<PreparedTarget>& targets, int seeds,
                     const MatchSettings& settings);

/// What the ranking goes by: likeness, the loss (which sees what no facet does), and simplicity.
double worthOf(const Patch& patch, double likeness, double loss, const Patch& start);

} // namespace facet
