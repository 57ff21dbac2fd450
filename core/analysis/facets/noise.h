// What is not partials: noise, its color, and the click of an onset.
#pragma once

#include "core/analysis/series/track.h"
#include "core/base/task.h"
#include "core/performance/performance.h"

#include <array>
#include <span>
#include <vector>

namespace facet {

/// Octave bands of a noise measurement, centers in Hz (IEC 61260-1:2014 base-ten octaves, nominal names).
inline constexpr std::array<double, 8> noiseBandHz{125, 250, 500, 1000, 2000, 4000, 8000, 16000};

/// What of a sound is noise, and its spectrum.
struct NoiseProfile {
    Track ratioDb; ///< harmonic-to-noise ratio over time
    double harmonicToNoiseDb = notMeasurable;
    std::array<double, noiseBandHz.size()> bandRatioDb{}; ///< the same in each octave
    /// Level of the noise in each octave re the whole sound's power.
    std::array<double, noiseBandHz.size()> bandNoiseDb{};
    double slopeDbPerOctave = notMeasurable; ///< of the noise's density: 0 white, −3 pink
    double clickDb = notMeasurable;          ///< strongest onset: its first 4 ms above 4 kHz re 20–60 ms after it
};

/// Beyond this ratio noise cannot be distinguished from the partials' own spreading, and the sound counts as clean.
inline constexpr double cleanRatioDb = 55.0;

/// Splits the spectrum of each note (mono, 48 kHz) at its partials: power within a Blackman–Harris main lobe of a
/// multiple of f0 is harmonic, the density between them is noise and is continued below them. Gates, slides and fast
/// filters spread partials there, too: where a period foretells the next one much better than that (P. Boersma,
/// "Accurate short-term analysis of the fundamental frequency and the harmonics-to-noise ratio of a sampled sound", IFA
/// Proceedings 17, 1993; here with seven taps around the period, so that a lag between samples and a moving filter cost
/// nothing), what is not foretold is the noise; and what voices that beat spread there are lines once one looks longer.
/// `f0Hz`: of each note. Notes too short for nine periods in a window are
/// left out; everything notMeasurable when all are. Throws Cancelled.
NoiseProfile measureNoise(std::span<const float> mono48k, const Performance& performance,
                          const std::vector<double>& f0Hz, const Task& task = {});

} // namespace facet
