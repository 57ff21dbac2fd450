// Notes found in a recording.
#pragma once

#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/strokes.h"
#include "core/performance/performance.h"

#include <span>
#include <string>

namespace facet {

/// Notes read from a recording, with what was learned beside them.
struct FoundNotes {
    /// Notes with key, cents, velocity; tuningCents; tempo when `tempoConfidence` says so; the caller's extent is left
    /// alone.
    Performance performance;
    /// Share of the sounding time that has a clear pitch.
    double confidence = 0.0;
    /// Of the tempo that the notes' starts agree on; below 0.9 the performance keeps its 120.
    double tempoConfidence = 0.0;
    /// Seconds and level of the echo that explains the repeats left out; notMeasurable when there is none.
    double echoSeconds = notMeasurable;
    int repeatsLeftOut = 0;
    /// Why even bursts were taken for notes held behind a gate or struck again, or empty; for people.
    std::string gateEvidence;
    /// Notes that the pitch slides into; each overlaps the note before.
    int glides = 0;
    /// What was decided and why, in words: gates joined, repeats of an echo left out. May be empty.
    std::string evidence() const;
    /// One honest sentence when the notes are not to be trusted; empty otherwise.
    std::string problem;
};

/// What a recording is taken for before its notes are read.
enum class Texture {
    line,     ///< one note follows the other
    chords,   ///< several notes at once
    oneSound, ///< one note follows the other, of a sound whose partials are no multiples of one frequency
    noise,    ///< nothing that has keys
};

/// Ways to read a line where more than one is likely.
struct LineRead {
    bool slowMovesAreKeys = false; ///< the line moves to another key where its pitch moves slowly by a tone or less, in
                                   ///< place of a bend
    std::span<const Stroke> strokes; ///< where there are any its notes begin there, in place of rises of the level
};

/// The notes of a sound taken for something. Of `line`: a note begins where the level rises anew or the pitch moves to
/// another key, and ends where its fitted envelope lets go. Of `chords`: those between two rises, a proposal, and
/// `problem` says so. Of `oneSound`: the same, the lowest of each. Of `noise`: one note for each stretch of sound, on
/// middle C. Empty where the sound cannot be read that way. Velocities follow loudness and brightness apart: the
/// loudest note is 100, 2 for each dB and 8 for each octave of the spectral centroid beyond what follows the key
/// (common practice, no source). Repeats of an echo, and bursts behind a gate, are notes here.
/// `chords`: what chordsIn() found in the same sound; a line does without.
/// Throws Cancelled.
FoundNotes notesAs(Texture texture, const HeardSound& sound, const ChordNotes& chords, const LineRead& how = {});

/// Draws swells, slides and bends of a line into its notes, once it is decided which there are. Throws Cancelled.
void finishLine(const HeardSound& sound, FoundNotes& found);

/// Hits of a sound without a pitch: a note each, at its strongest frequency. Throws Cancelled.
FoundNotes hitsOf(const HeardSound& sound);

} // namespace facet
