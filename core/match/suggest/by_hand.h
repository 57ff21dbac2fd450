// A step of a build set by ear: how near each value came.
#pragma once

#include "core/match/suggest/build.h"

#include <string>
#include <vector>

namespace facet {

/// How far two values of a parameter lie apart, in steps that are just noticed: 1 dB, 3 cents, half a semitone, 6 % of
/// an amount, an eighth of an octave of frequency, a quarter of a time (and 4 ms). Level and pitch after B. C. J.
/// Moore, "An Introduction to the Psychology of Hearing", 6th ed. 2012 (from memory); the others are common practice,
/// no source. Of what takes steps only: 0 when equal, else 10 at least.
double noticedSteps(const ParameterDescriptor& descriptor, double a, double b);

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
