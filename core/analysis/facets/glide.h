// How the pitch comes from one note to the next.
#pragma once

#include "core/analysis/series/track.h"

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

} // namespace facet
