// The engine's inner loops, compiled for several instruction sets and chosen at run time.
//
// Everything works on groups of 16 floats on every target. In a row, the 16 are successive samples of one
// oscillator; in the filters, where each sample needs the one before, they are 16 unrelated lanes: channels,
// voices or candidates of a search in any mixture. No arithmetic crosses lanes, so what a lane
// gives does not depend on its neighbors.
#pragma once

#include "core/engine/band_limit.h"
#include "core/parameters/table.h"

#include <array>
#include <span>
#include <string>

namespace facet::kernels {

inline constexpr int laneCount = 16;
/// Longest block the kernels process at once.
inline constexpr int blockFrames = 16;

using Row = std::array<float, laneCount>;

/// One oscillator. `line` holds the band-limited signal from the present sample on: 16 samples that
/// are complete but for nothing, and beyond them what later jumps will still change.
struct Oscillator {
    alignas(64) std::array<float, 3 * blockFrames> line{};
    double phase = 0.0; ///< in cycles, [0, 1), of the sample 16 ahead of the present one
    bool high = true;   ///< pulse only: the half it is in
};

/// Advances one oscillator by `frames` and adds it to two rows, with gains that move linearly over the block.
struct SourceJob {
    Oscillator* oscillator;
    double increment; ///< cycles per sample, (0, 0.5)
    float width;      ///< pulse width, (0, 1)
    Wave wave;
    float leftFrom, leftTo, rightFrom, rightTo;
    float* left;
    float* right; ///< nullptr: one channel only
};
void runSources(std::span<const SourceJob> jobs, int frames);

/// State of the low-pass of one lane: two state-variable sections and the coefficients it left off with.
struct FilterState {
    std::array<float, 4> memory{};
    float g = -1.0f; ///< tan(π f / rate) at the end of the last block; negative: not yet started
    float damping1 = 0.0f;
    float damping2 = 0.0f;
};

/// Filters rows in place. Section 2 is skipped with `fourPole` off. Trapezoidal (zero-delay-feedback)
/// state-variable sections: V. Zavalishin, "The Art of VA Filter Design", rev. 2.1, 2018, chapter 4.
struct FilterJob {
    FilterState* state;
    float* row;       ///< blockFrames samples
    float cutoffLog2; ///< log2 of the cutoff in Hz at the end of the block
    float damping1;   ///< 1/Q of the sections
    float damping2;
};
/// `jobs`: at most 16, which fill the lanes.
void runFilters(std::span<const FilterJob> jobs, bool fourPole, float rateHz, int frames);

/// Name of the instruction set in use.
std::string targetName();

/// For tests: restrict to a named set ("AVX2", "SSE4"), or back to the best with an empty name. False when the
/// machine or the build does not have it. Not while anything renders.
bool forceTarget(const std::string& name);

} // namespace facet::kernels
