// Standard MIDI Files (MMA, "Standard MIDI Files 1.0", RP-001) in and out, through libsmf.
#pragma once

#include "core/performance/performance.h"

#include <filesystem>
#include <string>
#include <vector>

namespace facet {

/// Notes, tempo, meter, pitch bends (±2 semitones unless RPN 0 says otherwise), modulation wheel and channel pressure
/// of all channels, of formats 0 and 1. A note-on with velocity 0 ends a note, a sustain pedal holds it, one left
/// hanging ends with the file. Only these of the result are set (of several tempos the first). Throws Error for a file
/// that is no MIDI file or has no notes.
Performance readMidi(const std::filesystem::path& path);

enum class MidiFormat {
    oneTrack,  ///< format 0
    tempoApart ///< format 1: tempo and meter on a track of their own
};

/// A curve of a parameter that is written as a controller.
struct WrittenController {
    std::string target; ///< of the performance's curve
    int number = 0;     ///< 1 … 119
    std::string words;  ///< what it moves and how far, for those who read the file
};

/// Writes 960 ticks per quarter note and the performance's constant tempo. Times round to a tick, velocities to whole
/// numbers; curves are sampled every 10 ms; a bend range beyond ±2 semitones is stated by RPN 0. Curves of parameters
/// are written as the controllers that are named for them, with a text event that says what it moves; others are left
/// out.
void writeMidi(const std::filesystem::path& path, const Performance& performance,
               MidiFormat format = MidiFormat::oneTrack, const std::vector<WrittenController>& controllers = {});

} // namespace facet
