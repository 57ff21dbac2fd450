// Sounds as producers make them, drawn at random over everything that the engine can do, and phrases to play them.
#pragma once

#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <cstdint>
#include <vector>

namespace facet {

/// Patches of one structure that play one phrase, so that they are rendered in lanes.
struct DrawnSounds {
    std::vector<Patch> patches;
    Performance phrase; ///< at 48 kHz, of two channels
};

/// The sounds of a number; equal numbers give equal sounds. How often what is used is common practice, no source.
DrawnSounds drawnSounds(std::uint64_t number, int patches);

} // namespace facet
