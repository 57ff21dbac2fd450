#include "core/audio/audio_stream.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <sndfile.h>

namespace facet {

namespace fs = std::filesystem;

namespace {

struct MemoryFile {
    const std::string* bytes = nullptr;
    sf_count_t position = 0;
    sf_count_t size() const { return static_cast<sf_count_t>(bytes->size()); }
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
        std::memcpy(out, file->bytes->data() + file->position, static_cast<std::size_t>(count));
        file->position += count;
        return count;
    };
    io.tell = [](void* user) { return static_cast<MemoryFile*>(user)->position; };
    return io;
}

} // namespace

struct AudioStream::Impl {
    struct Close {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    std::string name;
    MemoryFile memory;
    SF_INFO info{};
    std::unique_ptr<SNDFILE, Close> file;

    /// What holds for a file as for bytes.
    void check() const {
        if (!file)
            throw Error(fmt::format("“{}” is not audio that Facet can read; use WAV, FLAC, AIFF, OGG or MP3.", name),
                        sf_strerror(nullptr));
        if (info.samplerate < 4000 || info.samplerate > 768000)
            throw Error(
                fmt::format("“{}” states a sample rate of {} Hz; export it at 44.1 or 48 kHz.", name, info.samplerate));
        if (info.channels > 64)
            throw Error(fmt::format("“{}” has {} channels; mix it down first.", name, info.channels));
    }
    /// MP3 states an estimate; everything else states what it holds.
    bool exact() const { return (info.format & SF_FORMAT_TYPEMASK) != SF_FORMAT_MPEG; }
};

AudioStream::AudioStream(const fs::path& path) : impl_(std::make_unique<Impl>()) {
    impl_->name = path.filename().string();
    std::error_code code;
    if (!fs::exists(path, code))
        throw Error(fmt::format("“{}” does not exist; check the name and folder.", path.string()), code.message());
    if (fs::is_directory(path, code))
        throw Error(fmt::format("“{}” is a folder; choose an audio file in it.", path.string()));
    if (fs::file_size(path, code) == 0 && !code)
        throw Error(fmt::format("“{}” is empty; choose another file.", impl_->name));
    if (!std::unique_ptr<FILE, int (*)(FILE*)>(std::fopen(path.c_str(), "rb"), std::fclose))
        throw Error(fmt::format("“{}” cannot be read; check its permissions.", path.string()), std::strerror(errno));
    impl_->file.reset(sf_open(path.c_str(), SFM_READ, &impl_->info));
    impl_->check();
}

AudioStream::AudioStream(const std::string& bytes, const std::string& name) : impl_(std::make_unique<Impl>()) {
    impl_->name = name;
    if (bytes.empty()) throw Error(fmt::format("“{}” is empty; choose another file.", name));
    impl_->memory.bytes = &bytes;
    SF_VIRTUAL_IO io = memoryReader();
    impl_->file.reset(sf_open_virtual(&io, SFM_READ, &impl_->info, &impl_->memory));
    impl_->check();
}

AudioStream::~AudioStream() = default;
AudioStream::AudioStream(AudioStream&&) noexcept = default;

const std::string& AudioStream::name() const { return impl_->name; }
int AudioStream::rateHz() const { return impl_->info.samplerate; }
int AudioStream::channelCount() const { return impl_->info.channels; }
std::int64_t AudioStream::frames() const { return impl_->info.frames; }

SampleFormat AudioStream::losslessFormat() const {
    const bool fits = channelCount() <= 8; // of FLAC
    switch (impl_->info.format & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_S8:
    case SF_FORMAT_PCM_U8:
    case SF_FORMAT_PCM_16: return fits ? SampleFormat::flac16 : SampleFormat::wav16;
    case SF_FORMAT_PCM_24: return fits ? SampleFormat::flac24 : SampleFormat::wav24;
    default: return SampleFormat::wavFloat;
    }
}

Recording AudioStream::read(std::int64_t begin, std::int64_t count) {
    const SF_INFO& info = impl_->info;
    begin = std::clamp<std::int64_t>(begin, 0, info.frames);
    const std::int64_t stated = std::min(count, info.frames - begin);
    if (impl_->exact()) count = stated;
    const auto channels = static_cast<std::size_t>(info.channels);
    Recording recording{info.samplerate, std::vector<std::vector<float>>(channels)};
    for (auto& channel : recording.channels) channel.reserve(static_cast<std::size_t>(stated));
    if (sf_seek(impl_->file.get(), begin, SEEK_SET) < 0)
        throw Error(fmt::format("“{}” cannot be read at {:.2f} s; copy or export it again.", impl_->name,
                                static_cast<double>(begin) / info.samplerate),
                    sf_strerror(impl_->file.get()));
    constexpr std::int64_t chunkFrames = 16384;
    std::vector<float> chunk(channels * chunkFrames);
    std::int64_t total = 0;
    while (total < count) {
        const sf_count_t got = sf_readf_float(impl_->file.get(), chunk.data(), std::min(chunkFrames, count - total));
        if (got <= 0) break;
        for (std::size_t c = 0; c < channels; ++c)
            for (sf_count_t i = 0; i < got; ++i) {
                const float sample = chunk[static_cast<std::size_t>(i) * channels + c];
                if (!std::isfinite(sample))
                    throw Error(fmt::format("“{}” holds a sample that is not a number at {:.3f} s; export it again.",
                                            impl_->name, static_cast<double>(begin + total + i) / info.samplerate));
                recording.channels[c].push_back(sample);
            }
        total += got;
    }
    if (impl_->exact() && total < stated)
        throw Error(fmt::format("“{}” breaks off after {:.2f} of {:.2f} s; copy or export it again.", impl_->name,
                                static_cast<double>(begin + total) / info.samplerate, seconds()),
                    sf_strerror(impl_->file.get()));
    return recording;
}

} // namespace facet
