// Whether there is anything in a recording that has keys.
#pragma once

#include "core/analysis/notes/heard_sound.h"

namespace facet {

/// Geometric over arithmetic mean of the power in narrow bands, weighted by power, of the quarter of the loud moments
/// in which it is lowest: about 0.57 for noise however it is filtered (e to the −γ for a periodogram's exponential
/// distribution), below 0.45 where partials stand in it. Throws Cancelled.
double bandFlatnessOf(const HeardSound& sound);

} // namespace facet
