// How far values of a parameter lie apart to the ear.
#pragma once

#include "core/parameters/table.h"

namespace facet {

/// How far two values of a parameter lie apart, in steps that are just noticed: 1 dB, 3 cents, half a semitone, 6 % of
/// an amount, an eighth of an octave of frequency, a quarter of a time (and 4 ms). Level and pitch after B. C. J.
/// Moore, "An Introduction to the Psychology of Hearing", 6th ed. 2012 (from memory); the others are common practice,
/// no source. Of what takes steps only: 0 when equal, else 10 at least.
double noticedSteps(const ParameterDescriptor& descriptor, double a, double b);

} // namespace facet
