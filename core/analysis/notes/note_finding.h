// Notes found in a recording.
#pragma once

#include "core/analysis/facets/pitch.h"
#include "core/base/task.h"
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
    /// Why repeated bursts were taken for one held note behind a gate, or empty; for people.
    std::string gateEvidence;
    /// Notes that the pitch slides into; each overlaps the note before.
    int glides = 0;
    /// What was decided and why, in words: gates joined, repeats of an echo left out. May be empty.
    std::string evidence() const;
    /// One honest sentence when the notes are not to be trusted; empty otherwise.
    std::string problem;
};

/// Finds onsets and notes in mono sound at 48 kHz. Where several notes sound at once (see chords.h) those between two
/// onsets are proposed and `problem` says so; where nothing has a pitch each hit becomes a note at its strongest low
/// frequency, and `problem` says so too; else one note follows the other. A note begins where the level rises anew
/// or the pitch moves to another key, and ends where its fitted envelope lets go. Velocities follow loudness and
/// brightness apart: the loudest note is 100, 2 for each dB and 8 for each octave of the spectral centroid beyond what
/// follows the key (common practice, no source). Throws Cancelled.
FoundNotes findNotes(std::span<const float> mono48k, const Task& task = {});
/// The same with the pitch already tracked.
FoundNotes findNotes(std::span<const float> mono48k, const PitchTrack& pitch, const Task& task = {});

} // namespace facet
