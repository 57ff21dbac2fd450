// A recording of single notes cut at its pauses.
#pragma once

#include "core/audio/recording.h"

#include <string>
#include <vector>

namespace facet {

/// A note and when it begins.
struct SingleNote {
    Recording sound;
    double start = 0.0; ///< seconds from the beginning of `sound`
};

/// Where the note of a recording begins: where its level first lies within 50 dB of its highest. Throws Error for
/// silence, named by `name`.
SingleNote singleNote(const Recording& recording, const std::string& name);

/// The notes one after another in a recording, with pauses of at least 0.25 s between them: each from shortly before it
/// begins to the next one. Throws Error where nothing sounds, and where there are not `count` notes.
std::vector<SingleNote> notesApart(const Recording& recording, std::size_t count, const std::string& name);

/// A recording and what it is called in sentences.
struct NamedRecording {
    std::string name;
    Recording sound;
};

/// One note for each of `count` positions: from a single recording with pauses, or from one recording each. Throws
/// Error as above, and for any other number of recordings.
std::vector<SingleNote> notesOf(const std::vector<NamedRecording>& recordings, std::size_t count);

/// Level in dB of a recording every 10 ms, its channels together; −120 and above.
std::vector<double> levelEachFrame(const Recording& recording);
inline constexpr double levelFrameSeconds = 0.01;

} // namespace facet
