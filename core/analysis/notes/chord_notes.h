// Notes of recordings in which several sound at once, or none has a pitch.
#pragma once

#include "core/analysis/notes/note_spans.h"
#include "core/analysis/notes/note_starts.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// Whether several notes sound at once most of the time. Throws Cancelled.
bool holdsChords(const HeardSound& sound);

/// Adds a note for every key that sounds at least half of the time between two rises, and sets the tuning. Throws
/// Cancelled.
void proposeChords(const HeardSound& sound, const std::vector<NoteStart>& rises, Performance& performance);

/// The lowest notes of proposed chords, when all else in each is a partial of its lowest; else nothing.
std::vector<NoteSpan> spansOfSingleNotes(const HeardSound& sound, const Performance& chords);

/// Adds a note for each hit of a sound that has no pitch, at its strongest frequency below 2 kHz.
void proposeHits(const HeardSound& sound, const std::vector<NoteStart>& starts, Performance& performance);

} // namespace facet
