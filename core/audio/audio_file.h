// Audio files in and out, through libsndfile.
#pragma once

#include "core/audio/audio_stream.h"
#include "core/audio/recording.h"

#include <filesystem>
#include <string>

namespace facet {

/// Reads WAV, AIFF, FLAC, OGG, Opus, MP3, CAF, W64 or RF64. Throws Error, with one sentence, for a missing,
/// unreadable, empty, foreign, truncated or oversized (over 30 min) file and for samples that are not numbers.
Recording readAudio(const std::filesystem::path& path);

/// The same from a file's bytes in memory; `name` is how errors call it.
Recording readAudioBytes(const std::string& bytes, const std::string& name);

/// Writes all or nothing: a failed write leaves an existing file as it was. Throws Error. Equal
/// recordings give equal bytes (no time stamps).
void writeAudio(const std::filesystem::path& path, const Recording& recording,
                SampleFormat format = SampleFormat::wavFloat);

/// The bytes that writeAudio() would write.
std::string audioFileBytes(const Recording& recording, SampleFormat format = SampleFormat::wavFloat);

} // namespace facet
