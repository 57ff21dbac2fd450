// A filter that opens while a note lasts.
#pragma once

#include "core/analysis/series/track.h"
#include "core/performance/performance.h"

namespace facet {

struct CutoffRise {
    double fromHz = notMeasurable;
    double octaves = 0.0;     ///< from there to the top
    double seconds = 0.0;     ///< from the note's start to the top
    double rests = 1.0;       ///< share of the octaves that are left in the last fifth of the note
    double fallSeconds = 0.0; ///< from the top until 63 % of the way to where it rests

    bool found() const { return isMeasured(fromHz); }
};

/// From a track of the cutoff in Hz, without what jumps (medians of five). Not found where it rises by less than an
/// octave or within 50 ms, or where less than twenty points of it were measured.
CutoffRise cutoffRiseOf(const Track& cutoffHz, const Note& note);

} // namespace facet
