// The engine's inner loops are compiled for several instruction sets and chosen at run time.
//
// Everything works on groups of 16 floats on every target. In a row, the 16 are successive samples of one
// oscillator; in the filters, where each sample needs the one before, they are 16 unrelated lanes: channels,
// voices or candidates of a search in any mixture. No arithmetic crosses lanes, so what a lane
// gives does not depend on its neighbors.
#pragma once

#include <array>
#include <string>

namespace facet::kernels {

inline constexpr int laneCount = 16;
/// Longest block the kernels process at once. What moves goes evenly from where it stood before a block to where it
/// stands behind it.
inline constexpr int blockFrames = 16;
/// Most blocks that are made on end, where nothing has to look at them in between.
inline constexpr int stretchBlocks = 16;
inline constexpr int stretchFrames = stretchBlocks * blockFrames;

using Row = std::array<float, laneCount>;

/// Name of the instruction set in use.
std::string targetName();

/// For tests: restrict to a named set ("AVX2", "SSE4"), or back to the best with an empty name. False when the
/// machine or the build does not have it. Not while anything renders.
bool forceTarget(const std::string& name);

} // namespace facet::kernels
