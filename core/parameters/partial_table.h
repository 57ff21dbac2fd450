// Levels of the partials of a harmonic table, edited as a whole.
#pragma once

#include "core/parameters/module_data.h"

#include <vector>

namespace facet {

/// dB re full scale of each partial, the fundamental first; what is left out at the end, and absentPartialDb, is
/// absent.
using PartialLevels = std::vector<double>;
inline constexpr double absentPartialDb = -120.0;

/// Level of partial n ≥ 1.
double partialLevel(const PartialLevels& levels, int n);
/// With partial n at a level (clamped to −120…0 dB); none is left out before the last that is there.
PartialLevels withPartial(PartialLevels levels, int n, double db);
/// All partials of a saw, 1/n.
PartialLevels sawPartials();
/// Odd or even partials alone.
PartialLevels everyOther(PartialLevels levels, bool odd);
/// Distances from the strongest × a factor > 0: more than 1 makes the sound darker.
PartialLevels scaled(PartialLevels levels, double factor);

} // namespace facet
