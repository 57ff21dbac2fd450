// What else plays in the piece that the cues belong to: an audio file that the project keeps.
#pragma once

#include "core/audio/recording.h"

#include <filesystem>
#include <memory>
#include <string>

namespace facet {

/// The rest of the piece, to which all cues play.
struct Backing {
    std::string name;
    std::string sourcePath; ///< where the file was
    double seconds = 0.0;
    std::string audioKey;                     ///< hash of `bytes`; names them in files
    std::shared_ptr<const std::string> bytes; ///< an audio file: the original, or a large one as 24-bit FLAC
};

inline constexpr double longestBacking = 600.0; ///< seconds

/// Throws Error for a file that cannot be read, holds no sound, has more than two channels or is too long.
Backing makeBacking(const std::filesystem::path& path);

/// Its sound, one or two channels, at its own rate. Throws Error when the bytes are damaged.
Recording soundOf(const Backing& backing);

} // namespace facet
