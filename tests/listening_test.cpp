// The reference as it is heard and looked at: slow listening, the focus band, the spectrogram, and what limits it.
#include "core/analysis/facets/pitch.h"
#include "core/analysis/quality.h"
#include "core/analysis/spectrogram.h"
#include "core/audio/audio_file.h"
#include "core/audio/time_stretch.h"
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::sawAt;
using testing::soundOf;

constexpr double turn = 2.0 * std::numbers::pi;

TEST(SlowListening, KeepsThePitchAndStretchesTheTime) {
    // A tone that starts at 0.5 s and ends at 1 s.
    const Recording tone =
        soundOf(1.5, 48000, [](double t) { return t >= 0.5 && t < 1.0 ? 0.4 * sawAt(220.0, t) : 0.0; });
    for (int times : {2, 4, 8}) {
        const Recording slow = stretched(tone, times);
        EXPECT_EQ(slow.frameCount(), tone.frameCount() * times);
        EXPECT_EQ(slow.channelCount(), 1);
        const auto& x = slow.channels[0];
        const PitchTrack track = trackPitch(x);
        EXPECT_NEAR(centsBetween(220.0, track.hz.at(0.75 * times)), 0.0, 5.0) << times;
        const auto rms = [&](double from, double to) {
            double sum = 0.0;
            for (auto i = static_cast<std::size_t>(from * 48000); i < static_cast<std::size_t>(to * 48000); ++i)
                sum += static_cast<double>(x[i]) * x[i];
            return std::sqrt(sum / ((to - from) * 48000));
        };
        EXPECT_GT(rms(0.55 * times, 0.95 * times), 20.0 * rms(0.1 * times, 0.4 * times)) << "the start is where it was";
        EXPECT_GT(rms(0.55 * times, 0.95 * times), 20.0 * rms(1.1 * times, 1.4 * times)) << "and so is the end";
    }
    EXPECT_EQ(stretched(tone, 1.0).channels, tone.channels);
    std::stop_source source;
    source.request_stop();
    Task task;
    task.stop = source.get_token();
    EXPECT_THROW(stretched(tone, 4.0, task), Cancelled);
}

TEST(SlowListening, KeepsBothSides) {
    Recording sides = soundOf(0.5, 44100, [](double t) { return 0.3 * std::sin(turn * 300.0 * t); });
    sides.channels.push_back(std::vector<float>(sides.channels[0].size(), 0.0f));
    const Recording slow = stretched(sides, 2.0);
    ASSERT_EQ(slow.channelCount(), 2);
    EXPECT_EQ(slow.rateHz, 44100);
    EXPECT_LT(peakOf(Recording{44100, {slow.channels[1]}}), 0.01f);
    EXPECT_GT(peakOf(Recording{44100, {slow.channels[0]}}), 0.2f);
}

TEST(FocusBand, PassesWhatLiesBetween) {
    const Recording tones = soundOf(1.0, 48000, [](double t) {
        return 0.1 * (std::sin(turn * 100.0 * t) + std::sin(turn * 1000.0 * t) + std::sin(turn * 8000.0 * t));
    });
    const auto level = [](const Recording& r, double hz) {
        return testing::componentDb(r.channels[0], 12000, 16384, hz, 48000.0);
    };
    const Recording band = withinBand(tones, 300.0, 3000.0);
    EXPECT_NEAR(level(band, 1000.0), -20.0, 0.05);
    EXPECT_LT(level(band, 100.0), -100.0);
    EXPECT_LT(level(band, 8000.0), -100.0);
    EXPECT_NEAR(level(withinBand(tones, 0.0, 3000.0), 100.0), -20.0, 0.05);
    EXPECT_NEAR(level(withinBand(tones, 300.0, 0.0), 8000.0), -20.0, 0.05);
    EXPECT_EQ(withinBand(tones, 0.0, 0.0).channels, tones.channels);
    // −6 dB where the band ends, by the shape of its edge.
    EXPECT_NEAR(level(withinBand(tones, 1000.0, 0.0), 1000.0), -26.02, 0.3);
}

TEST(Spectrograms, ShowATonesPitchAndTime) {
    const Recording tone = soundOf(1.0, 44100, [](double t) {
        return t < 0.5 ? 0.3 * std::sin(turn * 100.0 * t) : 0.3 * std::sin(turn * 3000.0 * t);
    });
    const Spectrogram picture = measureSpectrogram(tone);
    EXPECT_NEAR(picture.columns * picture.secondsPerColumn, 1.0, 0.01);
    const auto loudestHz = [&](double seconds) {
        const int column = static_cast<int>(seconds / picture.secondsPerColumn);
        int best = 0;
        for (int row = 0; row < Spectrogram::rows; ++row)
            if (picture.at(column, row) > picture.at(column, best)) best = row;
        return Spectrogram::hzOfRow(best);
    };
    EXPECT_NEAR(centsBetween(100.0, loudestHz(0.25)), 0.0, 120.0);
    EXPECT_NEAR(centsBetween(3000.0, loudestHz(0.75)), 0.0, 60.0);
    // The high tone begins within its 21 ms window.
    const auto row3k = static_cast<int>(std::lround(std::log(3000.0 / Spectrogram::lowestHz) /
                                                    std::log(Spectrogram::highestHz / Spectrogram::lowestHz) *
                                                    (Spectrogram::rows - 1)));
    EXPECT_LT(picture.at(static_cast<int>(0.47 / picture.secondsPerColumn), row3k), 120);
    EXPECT_GT(picture.at(static_cast<int>(0.53 / picture.secondsPerColumn), row3k), 230);
    EXPECT_EQ(measureSpectrogram(Recording{48000, {{}}}).columns, 0);
    EXPECT_LE(measureSpectrogram(soundOf(20.0, 8000, [](double t) { return std::sin(t); })).columns, 2001);
}

std::string allOf(const std::vector<std::string>& sentences) {
    std::string text;
    for (const auto& each : sentences) text += each + "\n";
    return text;
}

std::string warnedOf(const Recording& recording, double tuning = 0.0) {
    return allOf(warningsOf(measureQuality(recording), recording.seconds(), tuning));
}

TEST(Warnings, NameWhatLimitsARecording) {
    const auto tone = [](double t) { return 0.5 * sawAt(220.0, t); };
    EXPECT_NE(
        warnedOf(soundOf(1.0, 48000, [&](double t) { return std::clamp(4.0 * tone(t), -1.0, 1.0); })).find("Clipped"),
        std::string::npos);
    Random random(2);
    EXPECT_NE(
        warnedOf(soundOf(1.0, 48000, [&](double t) { return (t < 0.7 ? tone(t) : 0.0) + random.between(-0.02, 0.02); }))
            .find("Noisy"),
        std::string::npos);
    Recording twice = soundOf(1.0, 48000, tone);
    twice.channels.push_back(twice.channels[0]);
    EXPECT_NE(warnedOf(twice).find("Mono in a stereo file"), std::string::npos);
    std::fill(twice.channels[1].begin(), twice.channels[1].end(), 0.0f);
    EXPECT_NE(warnedOf(twice).find("One side is silent"), std::string::npos);
    Random white(6);
    const Recording dull =
        withinBand(soundOf(1.5, 48000, [&](double) { return white.between(-0.4, 0.4); }), 0.0, 10000.0);
    EXPECT_NEAR(measureQuality(dull).upperCutoffHz, 10000.0, 600.0);
    EXPECT_NE(warnedOf(dull).find("Band-limited"), std::string::npos);
    EXPECT_NE(warnedOf(soundOf(0.1, 48000, tone)).find("Only 100 ms"), std::string::npos);
    EXPECT_NE(warnedOf(soundOf(1.0, 48000, [&](double t) { return 0.2 + tone(t); })).find("Offset"), std::string::npos);
    EXPECT_NE(warnedOf(soundOf(1.0, 48000, tone), -17.0).find("17 cents below"), std::string::npos);
}

TEST(Warnings, LeaveGoodRecordingsAlone) {
    EXPECT_EQ(warnedOf(soundOf(1.0, 48000, [](double t) { return 0.5 * sawAt(220.0, t); })), "");
    for (const char* name : {"airlock.flac", "comet-tail.flac", "comet-tail-echoes.flac", "ring-nebula.flac",
                             "touchdown.flac", "beacon.flac"})
        EXPECT_EQ(warnedOf(readAudio(testing::demoFile(name))), "") << name;
}

} // namespace
} // namespace facet
