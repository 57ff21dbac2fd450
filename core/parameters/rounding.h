// Values as people write them down.
#pragma once

#include "core/parameters/table.h"

namespace facet {

/// The nearest value with so many digits, 1 … 3: significant ones of frequencies, times and ratios; of levels, shares
/// and intervals the coarse step that people set by ear, whole units, or tenths. A delay's time has one digit more, as
/// repeats that are off by a percent drift away from the beat. What takes steps only stays.
double roundedTo(const ParameterDescriptor& descriptor, double value, int digits);

} // namespace facet
