#include "core/audio/attention.h"
#include "core/audio/audio_file.h"
#include "core/audio/channels.h"
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

TEST(Channels, AreChosenByNameAndNumber) {
    const Recording six{48000, {{0.1f, 0.1f}, {0.2f, 0.2f}, {0.3f, 0.3f}, {0.4f, 0.4f}, {0.5f, 0.5f}, {0.6f, 0.6f}}};
    const auto chosen = [&](const char* text) { return chosenChannels(six, ChannelChoice::parse(text)).channels; };
    EXPECT_EQ(chosen("both"), (std::vector<std::vector<float>>{six.channels[0], six.channels[1]}));
    EXPECT_EQ(chosen("right"), (std::vector<std::vector<float>>{six.channels[1]}));
    EXPECT_EQ(chosen("5,6"), (std::vector<std::vector<float>>{six.channels[4], six.channels[5]}));
    EXPECT_FLOAT_EQ(chosen("mid")[0][0], 0.15f);
    EXPECT_FLOAT_EQ(chosen("side 3,5")[0][0], -0.1f);
    for (const char* text : {"both", "left", "right", "mid", "side", "3", "3,4", "mid 3,4"})
        EXPECT_EQ(ChannelChoice::parse(text).text(), text);
    for (const char* text : {"x", "0", "7x", "2,2", "3,"})
        EXPECT_NE(sentenceOf([&] { ChannelChoice::parse(text); }).find("names no channels"), std::string::npos) << text;
    EXPECT_NE(sentenceOf([&] { chosen("7"); }).find("no channel 7"), std::string::npos);
    const Recording mono{48000, {{1.0f}}};
    EXPECT_EQ(chosenChannels(mono, ChannelChoice::parse("mid")).channels, mono.channels);
    EXPECT_NE(sentenceOf([&] { chosenChannels(mono, ChannelChoice::parse("side")); }).find("mono"), std::string::npos);
}

TEST(Streams, ReadAnyPartAsTheWholeFileHasIt) {
    const TemporaryFolder folder;
    const Recording sound = testing::soundOf(3.0, 44100, [](double t) { return 0.5 * std::sin(900.0 * t * t); });
    for (const auto& [name, format] : {std::pair{"a.wav", SampleFormat::wav24}, {"a.flac", SampleFormat::flac16}}) {
        writeAudio(folder / name, sound, format);
        const Recording whole = readAudio(folder / name);
        AudioStream stream(folder / name);
        EXPECT_EQ(stream.frames(), sound.frameCount());
        const Recording part = stream.read(100001, 777);
        ASSERT_EQ(part.frameCount(), 777);
        for (std::size_t i = 0; i < 777; ++i) EXPECT_EQ(part.channels[0][i], whole.channels[0][100001 + i]);
        EXPECT_EQ(stream.read(132000, 5000).frameCount(), 300) << "fewer at the end";
        // What is read can be written again without loss.
        writeAudio(folder / "again", part, stream.losslessFormat());
        EXPECT_EQ(readAudio(folder / "again").channels, part.channels);
    }
}

TEST(LeftOutTimes, AreSilentAndNothingElseChanges) {
    const Recording sound = testing::soundOf(1.0, 48000, [](double t) { return std::cos(3000.0 * t); });
    const Recording rest = withoutSpans(sound, {{0.25, 0.5}});
    for (int i = 0; i < 48000; ++i) {
        const auto at = static_cast<std::size_t>(i);
        if (i <= 12000 || i >= 24000) {
            ASSERT_EQ(rest.channels[0][at], sound.channels[0][at]) << i;
        } else if (i > 12000 + 144 && i < 24000 - 144) { // edges of 3 ms
            ASSERT_EQ(rest.channels[0][at], 0.0f) << i;
        }
    }
    EXPECT_EQ(joinedSpans({{2.0, 3.0}, {0.0, 1.0}, {0.5, 1.5}, {4.0, 4.0}}),
              (std::vector<TimeSpan>{{0.0, 1.5}, {2.0, 3.0}}));
    EXPECT_DOUBLE_EQ(overlap({{0.0, 1.0}, {0.5, 1.5}}, 0.75, 3.0), 0.75);
}

} // namespace
} // namespace facet
