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

/// All places where notes of one voice may begin, in order: `rises`, key changes without a rise (legato), and slides
/// that are too fast for the pitch tracker. Throws Cancelled.
std::vector<NoteStart> withPitchChanges(const HeardSound& sound, std::vector<NoteStart> rises);

} // namespace facet
