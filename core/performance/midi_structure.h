// Whether the bytes of a MIDI file are whole.
#pragma once

#include <string>
#include <string_view>

namespace facet {

/// Walks chunks and events of a Standard MIDI File (RP-001, "Chunk Types", "MTrk events") without keeping anything.
/// Empty when they are well formed; else what is wrong, fit to end a sentence: "track 2 breaks off". libsmf ends the
/// whole program on many damaged files, so nothing else may be handed to it.
std::string flawOfMidi(std::string_view bytes);

} // namespace facet
