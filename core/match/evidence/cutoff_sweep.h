// A cutoff that rises while a note lasts.
#pragma once

#include "core/analysis/series/track.h"
#include "core/performance/performance.h"

namespace facet {

/// How the effective cutoff of one note rises and falls back.
struct CutoffSweep {
    double fromHz = notMeasurable;
    double octaves = 0.0;     ///< from there to the top
    double seconds = 0.0;     ///< from the note's start to the top
    double rests = 1.0;       ///< share of the octaves that are left in the last fifth of the note
    double fallSeconds = 0.0; ///< from the top until 63 % of the way to where it rests

    bool found() const { return isMeasured(fromHz); }
};

/// Reads it off a track of the cutoff in Hz, after medians of five have taken out what jumps. Not found where it rises
/// by less than an octave or within 50 ms, or where fewer than twenty points were measured. Any thread.
CutoffSweep cutoffSweepOf(const Track& cutoffHz, const Note& note);

} // namespace facet
