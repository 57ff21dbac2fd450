// Notes of recordings in which several sound at once, or none has a pitch.
#pragma once

#include "core/analysis/notes/note_starts.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// Share of the sounding time in which several notes sound at once, 0 … 1. Throws Cancelled.
double chordShareOf(const HeardSound& sound);

/// Notes that sound together, and how sure that is.
struct ChordNotes {
    Performance performance;
    std::vector<double> starts; ///< seconds: the rises at which some begin
    double several = 0.0;       ///< share of the moments in which more than one key sounds, 0 … 1
    double explained = 0.0;     ///< share of the spectrum that keys of one harmonic sound explain, 0 … 1
    double overtones = 0.0;     ///< share of that above the fundamentals, 0 … 1
};

/// The notes of a recording in which several keys may sound at once: those that begin at `rises`, and those that set in
/// between. A key that goes on sounding over a rise no louder than before was held. Throws Cancelled.
ChordNotes chordsIn(const HeardSound& sound, const std::vector<NoteStart>& rises);

/// Adds a note for each hit of a sound that has no pitch, at its strongest frequency below 2 kHz.
void proposeHits(const HeardSound& sound, const std::vector<NoteStart>& starts, Performance& performance);

} // namespace facet
