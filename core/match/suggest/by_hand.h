// A step of a build set by ear: how near each value came.
#pragma once

#include "core/match/suggest/build.h"

#include <string>
#include <vector>

namespace facet {

/// One value set by ear.
struct HandSetting {
    PartSetting right; ///< as the build has it
    std::string yours; ///< rounded
    double steps = 0.0;
    bool isNear() const { return steps <= 2.0; }
    bool isAlike() const { return steps <= 1.0; }
};

/// The step's patch with all that is set in it where the empty patch or a new module has it: where setting it by ear
/// begins. Modules that the step adds are there.
Patch beginningByHand(const BuildStep& step);

/// What was set, in the step's order.
std::vector<HandSetting> comparedByHand(const BuildStep& step, const Patch& yours);

} // namespace facet
