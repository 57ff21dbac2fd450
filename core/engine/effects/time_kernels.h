// The inner loops of the effects that look back in time: the 16 of a group are successive samples.
#pragma once

#include "core/engine/effects/ring.h"
#include "core/engine/lanes.h"

#include <array>
#include <span>

namespace facet::kernels {

/// Adds `gain` × a ring's samples of `frames` instants from `at` on, delayed by what goes evenly from `from` to `to`
/// samples (≥ 2, less than the ring), cubically interpolated (Lagrange).
void addDelayed(const Ring& ring, int at, double from, double to, float gain, int frames, float* out);

/// Σ taps[k] × input[t − k] for `frames` samples; `input` points at the first, and what came before stands before it.
/// `taps`: a multiple of 16.
void convolve(const float* input, const float* taps, int tapCount, int frames, float* out);

/// sum += a × b of complex numbers, real and imaginary parts apart; `count`: a multiple of 16.
void multiplyAdd(const float* aReal, const float* aImag, const float* bReal, const float* bImag, float* sumReal,
                 float* sumImag, int count);

/// sin(2π c) of 16 places in cycles.
void sines(const float* cycles, float* out);

/// y[t] = (1 − pole) x[t] + pole y[t − 1] over a row of 16, in place; `last`: y of the sample before, and then that of
/// the last of `frames`.
void lowPassRow(float* row, float pole, float& last, int frames);

inline constexpr int reverbLines = 16;

/// One line of a reverb in a block.
struct ReverbLine {
    Ring* ring = nullptr;
    int shift = 0;         ///< of its times, so that the lines do not all fall on one another in the cache
    int delay = 20;        ///< whole samples, ≥ 18
    float fraction = 0.0f; ///< and parts of one, at the block's beginning
    float drift = 0.0f;    ///< change of the delay per sample; less than a fiftieth
    float gain = 0.0f;     ///< of a whole turn
    float pole = 0.0f;     ///< of its low-pass
    float lastOut = 0.0f;  ///< of the low-pass
};
/// Feedback through an orthonormal Hadamard matrix: M. Gerzon, "Unitary (energy-preserving) multichannel networks with
/// feedback", Electronics Letters 12 (11), 1976; decay and damping of each line after J.-M. Jot, A. Chaigne, "Digital
/// delay networks for designing artificial reverberators", 90th AES Convention, 1991. `left`, `right`:
/// rows of 16, in, and out the reflections alone. `moved`: whether any delay is not a whole number.
void runReverb(std::span<ReverbLine, reverbLines> lines, int at, bool moved, float* left, float* right, int frames);

} // namespace facet::kernels
