// Standard MIDI Files (MMA, "Standard MIDI Files 1.0", RP-001) in and out, through libsmf.
#pragma once

#include "core/performance/performance.h"

#include <filesystem>

namespace facet {

/// Notes, tempo and pitch bends (±2 semitones unless RPN 0 says otherwise) of all channels. A note-on with
/// velocity 0 ends a note; a note left hanging ends with the file. Only `notes`, `bends` and `tempo` (the
/// first one stated) of the result are set. Throws Error for a file that is no MIDI file or has no notes.
Performance readMidi(const std::filesystem::path& path);

/// Writes format 0 at 960 ticks per quarter note and the performance's constant tempo. Times round to a
/// tick, velocities to whole numbers; bends are sampled every 10 ms for a range of ±2 semitones.
void writeMidi(const std::filesystem::path& path, const Performance& performance);

} // namespace facet
