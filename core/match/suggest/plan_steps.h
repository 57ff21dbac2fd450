// The moves that lead from a patch to a plan.
#pragma once

#include "core/match/suggest/move_plan.h"
#include "core/parameters/signal_parts.h"

#include <functional>
#include <string>
#include <vector>

namespace facet {

/// One part of a plan taken over.
struct PlanStep {
    std::string part; ///< its id in the plan
    PartPlace place = PartPlace::output;
    Patch patch{}; ///< with this part alone
    Patch all{};   ///< with the whole plan, this part as here
    Patch rest{};  ///< with the whole plan but for this part
};

struct PlanSteps {
    Patch all{}; ///< the patch with the whole plan
    std::vector<PlanStep> steps;
};

/// Every part of a plan that a patch has not yet and `allows`; where a part brings an element that is less likely than
/// not, also without that.
PlanSteps stepsOf(const MovePlan& plan, const Patch& patch, const std::function<bool(const Patch&)>& allows);

} // namespace facet
