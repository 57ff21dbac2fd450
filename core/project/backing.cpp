#include "core/project/backing.h"

#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"

#include <fmt/format.h>

namespace facet {

Backing makeBacking(const std::filesystem::path& path) {
    constexpr std::uintmax_t keptAsItIs = 16u << 20;
    AudioStream stream(path);
    if (stream.frames() == 0) throw Error(fmt::format("“{}” holds no sound; choose another file.", stream.name()));
    if (stream.channelCount() > 2)
        throw Error(fmt::format("“{}” has {} channels; choose a mono or stereo file to play along.", stream.name(),
                                stream.channelCount()));
    if (stream.seconds() > longestBacking)
        throw Error(fmt::format("“{}” is longer than {:.0f} minutes; cut out the part that the cues play in.",
                                stream.name(), longestBacking / 60.0));
    Backing backing;
    backing.name = path.stem().string();
    backing.sourcePath = path.string();
    const Recording sound = stream.readFrom(0); // whole, so that damage is found now
    backing.seconds = sound.seconds();
    backing.bytes = std::make_shared<const std::string>(std::filesystem::file_size(path) <= keptAsItIs
                                                            ? readWholeFile(path)
                                                            : audioFileBytes(sound, SampleFormat::flac24));
    backing.audioKey = Hasher().text(*backing.bytes).hex();
    return backing;
}

Recording soundOf(const Backing& backing) { return readAudioBytes(*backing.bytes, backing.name); }

} // namespace facet
