// A search that keeps to what a described instrument can do.
#pragma once

#include "core/match/search/evaluator.h"
#include "core/match/search/match_settings.h"

#include <vector>

namespace facet {

/// The settings of a search for `settings.instrument`: it starts with the nearest that the instrument plays, what has
/// no control is locked, and ranges end where scales do. Locks and ranges that were given hold where the start is one
/// of the instrument's own patches. Without an instrument the settings as they are.
MatchSettings keptToInstrument(MatchSettings settings);

/// Puts patches on the steps of the instrument's scales, each on what is nearest by ear: coarse controls are also tried
/// a step to either side. Nothing without an instrument. Throws BudgetSpent and Cancelled, patches are on steps then
/// too.
void putOnSteps(const MatchSettings& settings, const Evaluator& evaluator, std::vector<Candidate>& candidates);

} // namespace facet
