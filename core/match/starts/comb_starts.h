// Patches with the chorus or flanger that was heard.
#pragma once

#include "core/match/evidence/side_comb.h"
#include "core/parameters/patch.h"

#include <optional>

namespace facet {

/// The patch with a chorus or, below 5 ms, a flanger as it was heard, behind what colors and before what rings on.
/// Nothing where there is no room for it or one is there.
std::optional<Patch> withMeasuredComb(const SideComb& comb, const Patch& patch);

} // namespace facet
