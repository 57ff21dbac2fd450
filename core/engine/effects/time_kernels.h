// The inner loops of the effects that look back in time: the 16 of a group are successive samples, or the lines of a
// reverb.
#pragma once

#include "core/engine/lanes.h"

#include <array>

namespace facet::kernels {

/// Adds `gain` × a ring's samples of `frames` instants from `at` on, delayed by what goes evenly from `from` to `to`
/// samples (≥ 2, less than the ring), cubically interpolated (Lagrange).
void addDelayed(const float* ring, int mask, int at, double from, double to, float gain, int frames, float* out);

/// Σ taps[k] × input[t − k] for `frames` samples; `input` points at the first, and what came before stands before it.
/// `taps`: a multiple of 16.
void convolve(const float* input, const float* taps, int tapCount, int frames, float* out);

/// sum += a × b of complex numbers, real and imaginary parts apart; `count`: a multiple of 16.
void multiplyAdd(const float* aReal, const float* aImag, const float* bReal, const float* bImag, float* sumReal,
                 float* sumImag, int count);

inline constexpr int reverbLines = 16;
static_assert(reverbLines == laneCount);

/// What the loop of a reverb works with in a block. Memory is [time][line].
struct ReverbLoop {
    float* memory = nullptr;
    int mask = 0;                                      ///< of time
    int at = 0;                                        ///< time of the first sample
    alignas(64) std::array<int, reverbLines> delays{}; ///< whole samples, ≥ 18
    alignas(64) Row fractions{};                       ///< and parts of one, at the block's beginning
    alignas(64) Row drifts{};                          ///< change of the delays per sample
    bool moved = false;                                ///< whether fractions and drifts are any
    alignas(64) Row gains{};                           ///< of a whole turn
    alignas(64) Row damping{};                         ///< pole of the low-pass of each line
    alignas(64) Row lastOut{};                         ///< of the low-passes
};
/// Feedback through an orthonormal Hadamard matrix: M. Gerzon, "Unitary (energy-preserving) multichannel networks with
/// feedback", Electronics Letters 12 (11), 1976; decay and damping of each line after J.-M. Jot, A. Chaigne, "Digital
/// delay networks for designing artificial reverberators", 90th AES Convention, 1991. `left`, `right`: in, and out the
/// reflections alone.
void runReverb(ReverbLoop& loop, float* left, float* right, int frames);

} // namespace facet::kernels
