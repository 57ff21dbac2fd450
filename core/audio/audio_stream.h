// An audio file read piece by piece, however long it is.
#pragma once

#include "core/audio/recording.h"

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>

namespace facet {

/// Sample formats that Facet writes. Float files keep values beyond full scale; the others clip there.
enum class SampleFormat { wavFloat, wav24, wav16, flac24, flac16 };

/// One thread at a time; several streams may be open on one file.
class AudioStream {
public:
    /// Opens a file of any length. Throws Error with one sentence when it is missing, unreadable, empty or foreign.
    explicit AudioStream(const std::filesystem::path& path);
    /// The same on a file's bytes, which must outlive the stream; `name` is how errors call it.
    AudioStream(const std::string& bytes, const std::string& name);
    ~AudioStream();
    AudioStream(AudioStream&&) noexcept;

    const std::string& name() const; ///< file name, for people
    int rateHz() const;
    int channelCount() const;
    /// As stated by the file; an MP3's may be off by a few frames.
    std::int64_t frames() const;
    double seconds() const { return static_cast<double>(frames()) / rateHz(); }
    /// A format that keeps the file's samples exactly.
    SampleFormat losslessFormat() const;

    /// Frames [begin, begin + count), fewer at the end of the file; at most 2³¹ of them. All channels. Throws Error
    /// when the file breaks off or holds samples that are not numbers.
    Recording read(std::int64_t begin, std::int64_t count);
    /// From `begin` to the end, wherever that is.
    Recording readFrom(std::int64_t begin) { return read(begin, frames() - begin + 1152 * 4); } // an MP3 may hold more

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
