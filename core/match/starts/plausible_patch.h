// Patches as somebody might have made them, drawn at random.
#pragma once

#include "core/parameters/patch.h"

#include <cstdint>

namespace facet {

/// Patches of one structure, and so of one graph: they can be rendered in lanes.
inline constexpr int plausiblePerStructure = 16;

/// The patch of a number; equal numbers give equal patches on every machine, and plausiblePerStructure numbers in a row
/// have one structure. How often what is used is common practice, no source. Any thread.
Patch plausiblePatch(std::uint64_t number);

} // namespace facet
