// The inner loops of the effects that look back in time: the 16 of a group are successive samples.
#pragma once

#include "core/engine/effects/ring.h"
#include "core/engine/kernels/lanes.h"

#include <array>
#include <span>

namespace facet::kernels {

/// Adds `gain` × a ring's samples of `frames` instants from `at` on, delayed by what goes evenly from `from` to `to`
/// samples (≥ 2, less than the ring), cubically interpolated (Lagrange).
/// Whole groups of sixteen are read and written.
void addDelayed(const Ring& ring, int at, double from, double to, float gain, int frames, float* out);
/// The same in place of what was there.
void readDelayed(const Ring& ring, int at, double from, double to, int frames, float* out);

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

/// The lines of a reverb in a block.
struct ReverbLines {
    template <typename T> using Each = std::array<T, reverbLines>;
    Each<Ring*> rings{};
    Each<int> shifts{};      ///< of their times, so that the lines do not all fall on one another in the cache
    Each<int> delays{};      ///< whole samples, ≥ 18
    Each<float> fractions{}; ///< and parts of one, at the block's beginning
    Each<float> drifts{};    ///< change of the delay per sample; less than a fiftieth
    Each<float> gains{};     ///< of a whole turn
    Each<float> poles{};     ///< of the low-passes
    Each<float> lastOuts{};  ///< of the low-passes
};
/// Feedback through an orthonormal Hadamard matrix: M. Gerzon, "Unitary (energy-preserving) multichannel networks with
/// feedback", Electronics Letters 12 (11), 1976; decay and damping of each line after J.-M. Jot, A. Chaigne, "Digital
/// delay networks for designing artificial reverberators", 90th AES Convention, 1991. `left`, `right`:
/// rows of 16, in, and out the reflections alone. `moved`: whether any delay is not a whole number.
void runReverb(ReverbLines& lines, int at, bool moved, float* left, float* right, int frames);

} // namespace facet::kernels
