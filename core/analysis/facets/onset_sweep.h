// How the pitch comes to a note that begins off it.
#pragma once

#include "core/analysis/series/track.h"
#include "core/audio/recording.h"

#include <span>
#include <vector>

namespace facet {

/// A fall or rise of pitch at the beginning of notes.
struct OnsetSweep {
    double cents = notMeasurable;   ///< pitch at the onset re the note's steady pitch
    double seconds = notMeasurable; ///< until 63 % of it is done
};

/// How far off a note begins and how quickly it comes to its steady pitch, as far as a pitch tracker can follow;
/// notMeasurable below 30 cents.
OnsetSweep onsetSweep(const Track& pitchHz, double start, double end, double steadyHz);

/// What is left of it so many seconds after the onset, where it is exponential.
double sweptCents(const OnsetSweep& sweep, double seconds);

/// One period of a sound.
struct OnsetCycle {
    double seconds; ///< its middle
    double cents;   ///< its frequency re the steady pitch
};

/// The cycles of the first 0.4 s of a note, from the spacing of the rising zero crossings of mono sound below
/// eight times its steady pitch. Meaningful where a sound crosses zero once in a period. None above 500 Hz.
std::vector<OnsetCycle> onsetCycles(std::span<const float> mono, double start, double end, double steadyHz,
                                    double rateHz = analysisRateHz);

inline constexpr double strayCents = 300.0; ///< a cycle farther from a sweep is no part of it

/// The way that a pitch exponential in time takes through them with the least mean absolute deviation (P. Bloomfield,
/// W. L. Steiger, "Least Absolute Deviations", 1983), for a fall that is faster than a pitch tracker's window: drums,
/// zaps. notMeasurable below 90 cents, and where cycles follow no such way.
OnsetSweep sweepOf(const std::vector<OnsetCycle>& cycles, double start);

} // namespace facet
