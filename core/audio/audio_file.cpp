#include "core/audio/audio_file.h"

#include "core/base/error.h"
#include "core/base/files.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <fmt/format.h>
#include <memory>
#include <sndfile.h>
#include <unistd.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr double longestSeconds = 1800.0;

struct CloseSound {
    void operator()(SNDFILE* file) const { sf_close(file); }
};
using SoundHandle = std::unique_ptr<SNDFILE, CloseSound>;

Recording readAll(AudioStream& stream) {
    if (stream.frames() == 0) throw Error(fmt::format("“{}” holds no sound; choose another file.", stream.name()));
    if (stream.seconds() > longestSeconds)
        throw Error(fmt::format("“{}” is longer than 30 minutes; cut out the part you need.", stream.name()));
    return stream.readFrom(0);
}

int sndfileFormat(SampleFormat format) {
    switch (format) {
    case SampleFormat::wavFloat: return SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    case SampleFormat::wav24: return SF_FORMAT_WAV | SF_FORMAT_PCM_24;
    case SampleFormat::wav16: return SF_FORMAT_WAV | SF_FORMAT_PCM_16;
    case SampleFormat::flac24: return SF_FORMAT_FLAC | SF_FORMAT_PCM_24;
    case SampleFormat::flac16: return SF_FORMAT_FLAC | SF_FORMAT_PCM_16;
    }
    return 0;
}

} // namespace

Recording readAudio(const fs::path& path) {
    AudioStream stream(path);
    return readAll(stream);
}

Recording readAudioBytes(const std::string& bytes, const std::string& name) {
    AudioStream stream(bytes, name);
    return readAll(stream);
}

void writeAudio(const fs::path& path, const Recording& recording, SampleFormat format) {
    if (recording.channelCount() == 0)
        throw Error(fmt::format("“{}” was not written: there is no sound to write.", path.filename().string()));
    const fs::path temporary = temporaryBeside(path);
    SF_INFO info{};
    info.samplerate = recording.rateHz;
    info.channels = recording.channelCount();
    info.format = sndfileFormat(format);
    {
        const SoundHandle file(sf_open(temporary.c_str(), SFM_WRITE, &info));
        if (!file) {
            const std::string reason = sf_strerror(nullptr);
            std::error_code code;
            fs::remove(temporary, code);
            throw Error(fmt::format("“{}” cannot be written; choose a folder you may write to.", path.string()),
                        reason);
        }
        sf_command(file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
        sf_command(file.get(), SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE); // it would carry a time stamp
        std::vector<float> interleaved(static_cast<std::size_t>(recording.frameCount()) * recording.channels.size());
        for (std::size_t c = 0; c < recording.channels.size(); ++c)
            for (std::size_t i = 0; i < recording.channels[c].size(); ++i)
                interleaved[i * recording.channels.size() + c] = recording.channels[c][i];
        if (sf_writef_float(file.get(), interleaved.data(), recording.frameCount()) != recording.frameCount()) {
            const std::string reason = sf_strerror(file.get());
            std::error_code code;
            fs::remove(temporary, code);
            throw Error(
                fmt::format("“{}” cannot be written: the disk is full or failing; free some space and try again.",
                            path.string()),
                reason);
        }
    }
    replaceFile(temporary, path);
}

std::string audioFileBytes(const Recording& recording, SampleFormat format) {
    static std::atomic<int> turn = 0;
    const fs::path temporary =
        fs::temp_directory_path() / fmt::format("facet-audio-{}-{}.tmp", ::getpid(), turn.fetch_add(1));
    writeAudio(temporary, recording, format);
    std::string bytes = readWholeFile(temporary, 4ull << 30);
    std::error_code code;
    fs::remove(temporary, code);
    return bytes;
}

} // namespace facet
