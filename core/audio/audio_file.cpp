#include "core/audio/audio_file.h"

#include "core/base/error.h"
#include "core/base/files.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <sndfile.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr double longestSeconds = 1800.0;

struct CloseSound {
    void operator()(SNDFILE* file) const { sf_close(file); }
};
using SoundHandle = std::unique_ptr<SNDFILE, CloseSound>;

struct MemoryFile {
    const std::string& bytes;
    sf_count_t position = 0;
    sf_count_t size() const { return static_cast<sf_count_t>(bytes.size()); }
};

SF_VIRTUAL_IO memoryReader() {
    SF_VIRTUAL_IO io{};
    io.get_filelen = [](void* user) { return static_cast<MemoryFile*>(user)->size(); };
    io.seek = [](sf_count_t offset, int whence, void* user) {
        auto* file = static_cast<MemoryFile*>(user);
        const sf_count_t base = whence == SEEK_SET ? 0 : whence == SEEK_CUR ? file->position : file->size();
        file->position = std::clamp<sf_count_t>(base + offset, 0, file->size());
        return file->position;
    };
    io.read = [](void* out, sf_count_t count, void* user) {
        auto* file = static_cast<MemoryFile*>(user);
        count = std::min(count, file->size() - file->position);
        std::memcpy(out, file->bytes.data() + file->position, static_cast<std::size_t>(count));
        file->position += count;
        return count;
    };
    io.tell = [](void* user) { return static_cast<MemoryFile*>(user)->position; };
    return io;
}

Recording readAll(SNDFILE* file, const SF_INFO& info, const std::string& name) {
    if (info.frames == 0) throw Error(fmt::format("“{}” holds no sound; choose another file.", name));
    if (info.samplerate < 4000 || info.samplerate > 768000)
        throw Error(
            fmt::format("“{}” states a sample rate of {} Hz; export it at 44.1 or 48 kHz.", name, info.samplerate));
    if (static_cast<double>(info.frames) / info.samplerate > longestSeconds || info.channels > 64)
        throw Error(fmt::format("“{}” is longer than 30 minutes; cut out the part you need.", name));

    Recording recording{info.samplerate, {}};
    recording.channels.resize(static_cast<std::size_t>(info.channels));
    for (auto& channel : recording.channels) channel.reserve(static_cast<std::size_t>(info.frames));
    std::vector<float> chunk(static_cast<std::size_t>(info.channels) * 16384);
    sf_count_t total = 0;
    for (;;) {
        const sf_count_t got = sf_readf_float(file, chunk.data(), 16384);
        if (got <= 0) break;
        for (sf_count_t i = 0; i < got; ++i)
            for (int c = 0; c < info.channels; ++c)
                recording.channels[static_cast<std::size_t>(c)].push_back(
                    chunk[static_cast<std::size_t>(i * info.channels + c)]);
        total += got;
    }
    // MP3 states an estimate; everything else states what it holds.
    const bool exact = (info.format & SF_FORMAT_TYPEMASK) != SF_FORMAT_MPEG;
    if (exact && total < info.frames)
        throw Error(fmt::format("“{}” breaks off after {:.2f} of {:.2f} s; copy or export it again.", name,
                                static_cast<double>(total) / info.samplerate,
                                static_cast<double>(info.frames) / info.samplerate),
                    sf_strerror(file));
    for (const auto& channel : recording.channels)
        for (std::size_t i = 0; i < channel.size(); ++i)
            if (!std::isfinite(channel[i]))
                throw Error(fmt::format("“{}” holds a sample that is not a number at {:.3f} s; export it again.", name,
                                        static_cast<double>(i) / info.samplerate));
    return recording;
}

[[noreturn]] void failAsForeign(const std::string& name) {
    throw Error(fmt::format("“{}” is not audio that Facet can read; use WAV, FLAC, AIFF, OGG or MP3.", name),
                sf_strerror(nullptr));
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
    const std::string name = path.filename().string();
    std::error_code code;
    if (!fs::exists(path, code))
        throw Error(fmt::format("“{}” does not exist; check the name and folder.", path.string()), code.message());
    if (fs::is_directory(path, code))
        throw Error(fmt::format("“{}” is a folder; choose an audio file in it.", path.string()));
    if (fs::file_size(path, code) == 0 && !code) throw Error(fmt::format("“{}” is empty; choose another file.", name));
    if (!std::unique_ptr<FILE, int (*)(FILE*)>(std::fopen(path.c_str(), "rb"), std::fclose))
        throw Error(fmt::format("“{}” cannot be read; check its permissions.", path.string()), std::strerror(errno));
    SF_INFO info{};
    const SoundHandle file(sf_open(path.c_str(), SFM_READ, &info));
    if (!file) failAsForeign(name);
    return readAll(file.get(), info, name);
}

Recording readAudioBytes(const std::string& bytes, const std::string& name) {
    if (bytes.empty()) throw Error(fmt::format("“{}” is empty; choose another file.", name));
    MemoryFile memory{bytes};
    SF_VIRTUAL_IO io = memoryReader();
    SF_INFO info{};
    const SoundHandle file(sf_open_virtual(&io, SFM_READ, &info, &memory));
    if (!file) failAsForeign(name);
    return readAll(file.get(), info, name);
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

} // namespace facet
