// What a build or a sheet of a cue depends on, as one number.
#pragma once

#include "app/session/results/results_controller.h"
#include "core/base/hash.h"
#include "core/project/document.h"

namespace facet {

/// Of the patch, what it is compared with, what counts, and how its build is told.
inline Hasher toldKey(const Cue& cue, const Excerpt& excerpt) {
    Hasher hasher;
    hasher.number(ResultsController::renderKeyOf(cue, excerpt)).number(ResultsController::profileKeyOf(cue, excerpt));
    for (const double weight : cue.facetWeights) hasher.number(weight);
    for (const PlannedStep& step : cue.build.steps) {
        for (const std::string& part : step.parts) hasher.text(part);
        hasher.text(step.title).text(step.text).number(step.hidden ? 1.0 : 0.0);
    }
    return hasher;
}

} // namespace facet
