// Chords whose keys are struck and let go together.
#pragma once

#include "core/analysis/notes/chord_notes.h"

namespace facet {

/// The notes of a recording whose keys are struck in chords: from each of strokesOf() to where the level says that they
/// were let go, the keys that explain the mean power of the spectra there. Where voices beat, that mean tells their keys
/// when no single moment does; notes that set in between two strokes are not seen. Throws Cancelled.
ChordNotes struckChordsIn(const HeardSound& sound);

} // namespace facet
