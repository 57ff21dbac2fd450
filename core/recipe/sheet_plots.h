// Pictures of a patch and of two sounds.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"
#include "core/recipe/plot.h"

#include <vector>

namespace facet {

/// The waves of the sources that are heard, the filters' responses, and the envelopes of level and cutoff.
std::vector<Plot> patchPlots(const Patch& patch);

/// Level over time and mean spectrum of two sounds of one phrase, each re its own loudest.
std::vector<Plot> soundPlots(const Recording& reference, const Recording& render);

} // namespace facet
