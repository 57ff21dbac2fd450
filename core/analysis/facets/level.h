// Loudness envelopes and what they say about attack, decay, sustain and release.
#pragma once

#include "core/analysis/series/track.h"
#include "core/base/task.h"
#include "core/performance/performance.h"

#include <span>
#include <vector>

namespace facet {

/// Level in dB of mono sound at 48 kHz at steps of 1 ms: mean square under a Hann-like window of
/// `smoothingSeconds` (two periods of the lowest note keep a tone's own cycles out).
Track levelTrack(std::span<const float> mono48k, double smoothingSeconds);

/// The fitted envelope of one note. Times in seconds.
struct LevelFit {
    double delay = notMeasurable;       ///< from the note's start until it rises
    double attack = notMeasurable;      ///< whole rise to the peak
    double attackBend = notMeasurable;  ///< curve of the attack, as in the engine; 0 is straight
    double hold = notMeasurable;        ///< at the peak, before the decay
    double decay = notMeasurable;       ///< whole decay segment
    double decayBend = notMeasurable;   ///< curve of the decay, as in the engine
    double decayTime = notMeasurable;   ///< time in which the decay covers 63 % of its way
    double sustainDb = notMeasurable;   ///< re the peak
    double release = notMeasurable;     ///< whole release segment
    double releaseBend = notMeasurable; ///< curve of the release
    double gate = notMeasurable;        ///< from the note's start to the beginning of its release
    double peakDb = notMeasurable;
    double errorDb = notMeasurable; ///< mean deviation of the fit
};

/// Fits the engine's envelope to the level of one note that starts at `start` and before `next` (the start
/// of the next note or the end of the sound). The model goes through the same smoothing as the measurement,
/// so the window's length drops out of the times. Delay, hold and a curve of the attack are asked for only where the
/// note is not explained without them; they are 0 where it is. `gate`: known length of the note, or NaN to fit it too.
LevelFit fitLevel(const Track& level, double smoothingSeconds, double start, double gate, double next,
                  const Task& task = {});

} // namespace facet
