// A reference of known making with its notes.
#pragma once

#include "core/audio/audio_file.h"
#include "core/performance/midi_file.h"

#include <filesystem>
#include <string>

namespace facet {

struct KnownSound {
    Recording recording;
    Performance played; ///< over the recording's extent
};

/// FOLDER/NAME.flac and NAME.mid, as bench/construction/references.py leaves them. Throws Error.
inline KnownSound readKnownSound(const std::filesystem::path& folder, const std::string& name) {
    KnownSound known{readAudio(folder / (name + ".flac")), readMidi(folder / (name + ".mid"))};
    known.played.frames = known.recording.frameCount();
    known.played.rateHz = known.recording.rateHz;
    known.played.channelCount = known.recording.channelCount();
    return known;
}

} // namespace facet
