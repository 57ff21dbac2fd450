// Parameters that move over a phrase.
#pragma once

#include "core/match/search/match_settings.h"
#include "core/match/targets/prepared_target.h"

#include <functional>
#include <vector>

namespace facet {

/// What no constant explains: where the phrase comes clearly closer when a parameter of a source or filter follows a
/// curve, as when somebody turned a knob while it played. Each is tried by itself from its constant, with knots at even
/// distances (least absolute residuals, as in the search), and taken when the loss falls by a tenth and the likeness
/// rises by two; then the next is tried beside it, three at most. Curves that the performance has already, locks and
/// ranges are obeyed. `goOn` is asked, by any thread, before each render. Throws Cancelled.
std::vector<Curve> curvesFor(const Patch& patch, const PreparedTarget& target, const MatchSettings& settings,
                             const std::function<bool()>& goOn, const Task& task = {});

} // namespace facet
