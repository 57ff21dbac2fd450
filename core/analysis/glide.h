// How the pitch comes to a note: from the note before, or from off the note.
#pragma once

#include "core/analysis/track.h"

#include <span>

namespace facet {

/// How one steady pitch becomes the next.
struct Glide {
    double start = notMeasurable;   ///< seconds in the recording
    double seconds = notMeasurable; ///< whole way; 0 for a step
    double bend = notMeasurable;    ///< of the way in cents, as in SegmentCurve; 0 is straight
    bool found() const { return isMeasured(seconds); }
};

/// Fits a glide between two known pitches to mono sound at 48 kHz: of all ways from one to the other, the one along
/// which each cycle of the sound repeats the one before. So a glide may be faster than any pitch tracker's window.
/// `pitchHz` says roughly where; `around`: where the new note begins; nothing after `latest` is looked at. Not found
/// when the pitches are less than a semitone apart, when they are not held before and after, or when the cycles along
/// the best way do not repeat (other notes sound as well).
Glide fitGlide(std::span<const float> mono48k, const Track& pitchHz, double around, double fromHz, double toHz,
               double earliest, double latest);

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
