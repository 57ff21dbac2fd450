// How the pitch comes to a note: from the note before, or from off the note.
#pragma once

#include "core/analysis/track.h"

#include <span>

namespace facet {

/// Seconds a glide takes from one steady pitch to the next, straight in cents: the time between a tenth and nine tenths
/// of the way, extended to the whole, with the smoothing of the pitch tracker taken out. `around`: where the new note
/// begins. notMeasurable when the two pitches are less than a semitone apart or the way is not seen.
double glideTime(const Track& pitchHz, double around, double fromHz, double toHz, double latest);

struct OnsetSweep {
    double cents = notMeasurable;   ///< pitch at the onset re the note's steady pitch
    double seconds = notMeasurable; ///< until 63 % of it is done
};

/// How far off a note begins and how quickly it comes to its steady pitch; notMeasurable below 30 cents.
OnsetSweep onsetSweep(const Track& pitchHz, double start, double end, double steadyHz);

/// The same for a low hit whose pitch falls faster than a pitch tracker's window: from the spacing of the rising zero
/// crossings of the sound below 600 Hz.
OnsetSweep sweepOfHit(std::span<const float> mono48k, double start, double end, double steadyHz);

} // namespace facet
