#include "core/audio/audio_file.h"
#include "core/audio/peaks.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <limits>
#include <sndfile.h>

namespace facet {
namespace {

using testing::sentenceOf;
using testing::TemporaryFolder;

Recording tone(int rate, int channels) {
    Recording recording = testing::soundOf(0.3, rate, [](double t) { return 0.5 * std::sin(2764.6 * t); });
    if (channels == 2)
        recording.channels.push_back(std::vector<float>(recording.channels[0].rbegin(), recording.channels[0].rend()));
    return recording;
}

/// Writes with libsndfile in a format that Facet reads only.
void writeForeign(const std::filesystem::path& path, int format, const Recording& recording) {
    SF_INFO info{};
    info.samplerate = recording.rateHz;
    info.channels = 1;
    info.format = format;
    SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr) << sf_strerror(nullptr);
    sf_writef_float(file, recording.channels[0].data(), recording.frameCount());
    sf_close(file);
}

struct RoundTrip {
    const char* name;
    SampleFormat format;
    double tolerance; ///< half a step of the format
};

TEST(AudioFiles, WhatIsWrittenIsRead) {
    const TemporaryFolder folder;
    for (const auto& [name, format, tolerance] :
         {RoundTrip{"a.wav", SampleFormat::wavFloat, 0.0}, RoundTrip{"b.wav", SampleFormat::wav24, 1.3e-7},
          RoundTrip{"c.wav", SampleFormat::wav16, 3.1e-5}, RoundTrip{"d.flac", SampleFormat::flac24, 1.3e-7},
          RoundTrip{"e.flac", SampleFormat::flac16, 3.1e-5}}) {
        const Recording written = tone(44100, 2);
        writeAudio(folder / name, written, format);
        const Recording read = readAudio(folder / name);
        ASSERT_EQ(read.rateHz, 44100) << name;
        ASSERT_EQ(read.channelCount(), 2) << name;
        ASSERT_EQ(read.frameCount(), written.frameCount()) << name;
        for (std::size_t c = 0; c < 2; ++c)
            for (std::size_t i = 0; i < written.channels[c].size(); ++i)
                ASSERT_NEAR(read.channels[c][i], written.channels[c][i], tolerance) << name;
        EXPECT_EQ(hashOf(readAudioBytes(readWholeFile(folder / name), name)), hashOf(read)) << name;
    }
}

TEST(AudioFiles, OtherFormatsAreRead) {
    const TemporaryFolder folder;
    const Recording written = tone(48000, 1);
    for (const auto& [name, format] : {std::pair{"a.aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_16},
                                       {"b.ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS},
                                       {"c.mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III}}) {
        writeForeign(folder / name, format, written);
        const Recording read = readAudio(folder / name);
        EXPECT_EQ(read.rateHz, 48000) << name;
        EXPECT_NEAR(read.seconds(), written.seconds(), 0.06) << name; // MP3 pads
        EXPECT_NEAR(peakOf(read), 0.5, 0.06) << name;
    }
}

TEST(AudioFiles, BadInputGetsOneClearSentence) {
    const TemporaryFolder folder;
    testing::writeBytes(folder / "empty.wav", "");
    testing::writeBytes(folder / "text.wav", "This is not a recording at all, whatever its name says.\n");
    writeAudio(folder / "whole.flac", tone(48000, 1), SampleFormat::flac24);
    const std::string whole = readWholeFile(folder / "whole.flac");
    testing::writeBytes(folder / "truncated.flac", whole.substr(0, whole.size() / 2));
    Recording nan = tone(48000, 1);
    nan.channels[0][100] = std::numeric_limits<float>::quiet_NaN();
    writeAudio(folder / "nan.wav", nan);

    EXPECT_NE(sentenceOf([&] { readAudio(folder / "missing.wav"); }).find("does not exist"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readAudio(folder.path()); }).find("is a folder"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readAudio(folder / "empty.wav"); }).find("is empty"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readAudio(folder / "text.wav"); }).find("is not audio"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readAudio(folder / "truncated.flac"); }).find("breaks off"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readAudio(folder / "nan.wav"); }).find("not a number at 0.002 s"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { writeAudio(folder / "none" / "x.wav", tone(48000, 1)); }).find("cannot be written"),
              std::string::npos);
}

TEST(Recordings, ThatCannotServeAreRefused) {
    const auto refused = [](const Recording& r) { return sentenceOf([&] { requireUsable(r, "It"); }); };
    EXPECT_NE(refused(testing::soundOf(1.0, 48000, [](double) { return 0.0; })).find("is silent"), std::string::npos);
    EXPECT_NE(refused(Recording{48000, {{0.5f, -0.5f}}}).find("too short"), std::string::npos);
    EXPECT_NE(
        refused(Recording{48000, std::vector<std::vector<float>>(6, tone(48000, 1).channels[0])}).find("6 channels"),
        std::string::npos);
    EXPECT_EQ(refused(tone(48000, 2)), "");
}

TEST(Recordings, AreCutMixedAndHashed) {
    const Recording stereo = tone(48000, 2);
    const Recording part = excerpt(stereo, 0.1, 0.2);
    EXPECT_EQ(part.frameCount(), 4800);
    EXPECT_EQ(part.channels[0][0], stereo.channels[0][4800]);
    EXPECT_EQ(excerpt(stereo, 0.2, 99.0).frameCount(), 4800);
    EXPECT_FLOAT_EQ(monoMix(stereo)[7], 0.5f * (stereo.channels[0][7] + stereo.channels[1][7]));
    EXPECT_NE(hashOf(stereo), hashOf(part));
    EXPECT_NEAR(peakOf(withGain(stereo, -6.0206)), 0.5 * peakOf(stereo), 1e-5);
}

TEST(PeakPyramid, NeverMissesAPeak) {
    Recording recording = testing::soundOf(5.0, 48000, [](double t) { return 0.1 * std::sin(300.0 * t); });
    recording.channels[0][123456] = 0.9f;
    recording.channels[0][123457] = -0.8f;
    const Peaks peaks(recording);
    for (int width : {10, 100, 1000, 10000, 100000}) {
        const auto [low, high] = peaks.range(recording, 123457 - width / 2, 123457 + (width + 1) / 2);
        EXPECT_EQ(high, 0.9f) << width;
        EXPECT_EQ(low, -0.8f) << width;
    }
    EXPECT_EQ(peaks.range(recording, -50, -10), (std::pair{0.0f, 0.0f}));
}

} // namespace
} // namespace facet
