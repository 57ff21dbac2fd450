// The inner loops that make a source's sound.
#pragma once

#include "core/engine/kernels/band_limit.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/kernels/sample_table.h"
#include "core/engine/kernels/wave_table.h"
#include "core/parameters/table.h"

#include <cstdint>
#include <span>

namespace facet::kernels {

/// Sections of the filter that colors noise.
inline constexpr int tiltSections = 10;
/// Cycles per sample from which on a source is out of hearing and falls silent.
inline constexpr double highestIncrement = 0.45;

/// The filter that colors noise, as parallel one-poles: y = direct x + Σ residue s, s = x + pole s⁻¹.
struct Tilt {
    float slope = 0.0f; ///< as an exponent of frequency; 0: none
    float direct = 1.0f;
    std::array<float, blockFrames> residues{}, poles{}; ///< tiltSections of them
};

/// What few oscillators need: kept apart, so that many plain ones lie close together.
struct OscillatorExtra {
    double before = 0.0;   ///< phase that was heard last, with everything that moved it, not wrapped
    double wrapped = -1.0; ///< samples since its cycle began, when it did since its last sample
    bool begun = false;    ///< whether there is a `before`
    double master = 0.0;   ///< phase of what begins its cycle anew
    float last = 0.0f;     ///< its own last values, fed back
    float earlier = 0.0f;
    std::uint64_t drawn = 0; ///< values of noise so far
    std::uint64_t seed = 0;
    Tilt tilt; ///< of the last block: its slope seldom changes
    std::array<float, blockFrames> tilted{};
};

/// One oscillator. `line` holds the band-limited signal from the present sample on: 16 samples that
/// are complete but for nothing, and beyond them what later jumps will still change.
struct Oscillator {
    alignas(64) std::array<float, 3 * blockFrames> line{};
    double phase = 0.0; ///< in cycles, [0, 1), of the sample 16 ahead of the present one; of a sample: its place
    bool high = true;   ///< pulse only: the half it is in
    OscillatorExtra* extra = nullptr; ///< of noise, and of what is moved by the sample
};

/// What a source sounds like in this block.
struct SourceShape {
    Wave wave = Wave::saw;
    Wave blendWave = Wave::sine;
    float blend = 0.0f;    ///< share of the second wave, 0…1
    float width = 0.5f;    ///< of a pulse, (0, 1)
    float clip = 4.0f;     ///< amplitude of the sine before it is clipped at 1, ≥ 1
    float position = 0.0f; ///< in a wavetable, 0…1
    float tilt = 0.0f;     ///< slope of noise as an exponent of frequency: dB per octave / 6.02
    const WaveTable* table = nullptr;
    const SampleTable* sample = nullptr;
};

/// Instants at which an oscillator begins its cycle, in samples from the block's first on: at −0.25 a quarter of a
/// sample before it.
struct Wraps {
    int count = 0;
    std::array<float, blockFrames> at{};
};

/// What moves a source sample by sample. Rows may be null. All but `amplitude` belong to the samples 16 ahead.
struct SampleMoves {
    const float* phase = nullptr;     ///< cycles
    const float* octaves = nullptr;   ///< of pitch
    const float* width = nullptr;     ///< added
    const float* position = nullptr;  ///< added
    const float* amplitude = nullptr; ///< factor, of the present samples
    float feedback = 0.0f;            ///< cycles by which the mean of its own last two values moves the phase
    double masterIncrement = 0.0;     ///< > 0: an unheard oscillator of this pitch begins the cycle anew
    const Wraps* master = nullptr;    ///< or another source does
};

/// Advances one oscillator and adds it to two rows, with gains that move linearly over the first block.
struct SourceJob {
    Oscillator* oscillator = nullptr;
    double increment = 0.0; ///< cycles per sample, (0, 0.5); of a sample: its own samples per sample
    const SourceShape* shape = nullptr;
    float leftFrom = 0.0f, leftTo = 0.0f, rightFrom = 0.0f, rightTo = 0.0f;
    float* left = nullptr;
    float* right = nullptr;                ///< nullptr: one channel only
    bool overwrites = false;               ///< what is in the rows; else it adds
    bool started = false;                  ///< whether it has been heard
    float leftEnd = 0.0f, rightEnd = 0.0f; ///< where gains go in the end, while a block is made in two halves
    const SampleMoves* moves = nullptr;    ///< nullptr: nothing moves it by the sample
    float* ahead = nullptr;                ///< receives, added, the samples 16 ahead: what this source moves others by
    Wraps* wraps = nullptr;                ///< receives where its cycles begin
};
/// `at`: where in the rows. More than a block of `frames` only of jobs that nothing moves by the sample.
void runSources(std::span<const SourceJob> jobs, int at, int frames);

} // namespace facet::kernels
