// Where notes may begin.
#pragma once

#include "core/analysis/notes/heard_sound.h"

#include <vector>

namespace facet {

/// A place where a note may begin, in seconds: at a rise of the level, or where only the pitch changes.
struct NoteStart {
    double seconds;
    bool rise;
};

/// Rises of the level, in order: sudden ones, and those that come out of silence slowly.
std::vector<NoteStart> risesOf(const HeardSound& sound);

/// Those of them that most bands share, or that are large: what beats, wavers or is noise rises in a few.
std::vector<NoteStart> struckRises(const HeardSound& sound, std::vector<NoteStart> rises);

/// Share of the bands of a third of an octave, within 35 dB of the strongest, whose level rises by 3 dB or more there:
/// most where a note is struck, few where what sounds already beats.
double shareOfBandsRising(const HeardSound& sound, double seconds);

/// That share where what sounded before is struck again.
inline constexpr double strikesAll = 0.8;

/// All places where notes of one voice may begin, in order: `rises`, key changes without a rise (legato), and slides
/// that are too fast for the pitch tracker. `slowToo`: slow moves of a tone or less are keys too, not bends. Throws
/// Cancelled.
std::vector<NoteStart> withPitchChanges(const HeardSound& sound, std::vector<NoteStart> rises, bool slowToo = false);

} // namespace facet
