// Chords, or one sound whose partials are no multiples of one frequency: a bar, a bell, a modulated tone?
#pragma once

#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/note_spans.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// What proposed chords have of a single sound.
struct OneSound {
    int events = 0;     ///< chords of two notes or more
    int places = 0;     ///< how many different distances they lie apart
    double alike = 0.0; ///< share of their notes that lie at the same distances in all of them, 0 … 1
    double octaves =
        0.0; ///< share of them an octave, a twelfth or a fifth above the lowest, as second sources are tuned
    double overtones = 0.0; ///< share of them at a ratio of small whole numbers that no two keys have, 0 … 1
    /// How much more likely their distances are between keys a whole number of semitones apart than between partials
    /// anywhere: natural logarithm, each distance once, octaves and fifths left out.
    double tempered = 0.0;
    double explained = 0.0; ///< as of ChordNotes
    int keys = 0;           ///< how many different keys their spectra are shifted to, as those of one sound
    double shifted = 0.0;   ///< how well they lie on each other so, 0 … 1; see ShiftedKeys
    /// Natural logarithm of the odds that it is one sound.
    double logOdds() const;
};

/// Chords of keyboards change their shape, and keys of one harmonic sound explain all of them; what a bar, a bell or a
/// modulator adds to a tone lies at the same ratios for every key, off any harmonic series. Throws Cancelled.
OneSound oneSoundIn(const HeardSound& sound, const ChordNotes& chords);

/// One span for each struck rise, at the keys to which one sound is shifted; the place of the same partial in all
/// chords says where they lie. None where there is no chord.
std::vector<NoteSpan> lineOfOneSound(const HeardSound& sound, const ChordNotes& chords);

} // namespace facet
