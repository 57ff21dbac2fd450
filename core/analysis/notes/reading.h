// Readings: what may have been played on a recording, ranked.
#pragma once

#include "core/analysis/notes/note_finding.h"

#include <span>
#include <string>
#include <vector>

namespace facet {

/// One way to read a recording. A value; shared and compared freely.
struct Reading {
    FoundNotes found;
    Texture texture = Texture::line;
    /// That this one is right, as far as the notes alone can tell; those of all readings sum to 1.
    double probability = 1.0;
    /// In a few words what it takes the recording for: "5 notes", "one held note behind a gate".
    std::string words;
};

inline constexpr std::size_t mostReadings = 6;

/// The likely readings of mono sound at 48 kHz, never more than mostReadings and at least one, whose notes may be empty:
/// first the likeliest of the kind that all of its readings together make likeliest, then the others, the likeliest
/// first. They differ in what the sound is taken for (one line, chords, one inharmonic sound, noise), in whether notes
/// begin where the level rises or where the spectrum says that something is struck, in whether chords are told from each
/// moment or from all their sound, in whether bursts of the same keys were struck or held behind a gate, and in whether
/// softer repeats were played or are an echo's. Any thread. Throws Cancelled.
std::vector<Reading> readingsOf(std::span<const float> mono48k, const Task& task = {});

/// The notes of the likeliest reading.
FoundNotes findNotes(std::span<const float> mono48k, const Task& task = {});

} // namespace facet
