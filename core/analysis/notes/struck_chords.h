// Chords whose keys are struck and let go together.
#pragma once

#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/strokes.h"

namespace facet {

/// The notes of a recording whose keys are struck in chords: from each stroke to where the level says that they
/// were let go, the keys that explain the mean power of the spectra there. Where voices beat, that mean tells their
/// keys when no single moment does; notes that set in between two strokes are not seen. Throws Cancelled.
ChordNotes struckChordsIn(const HeardSound& sound, const std::vector<Stroke>& strokes);

} // namespace facet
