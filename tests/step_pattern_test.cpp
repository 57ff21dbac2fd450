// Gates with a rhythm, and what is none.
#include "core/analysis/facets/band_levels.h"
#include "core/analysis/facets/step_pattern.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/analysis/profile.h"
#include "core/engine/render.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

const std::vector<double> rhythm{1.0, 0.0, 0.5, 1.0, 0.0, 1.0, 0.25, 0.0};
constexpr double step = 0.125;

/// A note of 4 s behind a gate.
Recording gated(const std::function<double(double)>& gain) {
    return testing::soundOf(4.4, 48000, [&](double t) {
        return t < 0.1 || t > 4.1 ? 0.0 : 0.5 * gain(t - 0.1) * testing::sawAt(220.0, t);
    });
}

double gateAt(double since) { return rhythm[static_cast<std::size_t>(since / step) % rhythm.size()]; }

/// That a pattern is the rhythm, to within so many seconds of its step and so much of each level.
void expectRhythm(const StepPattern& found, double seconds, double share) {
    ASSERT_TRUE(found.found());
    EXPECT_NEAR(found.stepSeconds, step, seconds);
    ASSERT_EQ(found.levels.size(), rhythm.size());
    const auto first = static_cast<std::size_t>(std::lround((found.begin - 0.1) / step)) % rhythm.size();
    for (std::size_t i = 0; i < rhythm.size(); ++i)
        EXPECT_NEAR(found.levels[i], rhythm[(first + i) % rhythm.size()], share) << i;
}

TEST(StepPatterns, AreFoundWithTheirStepAndLevels) {
    const Performance played = testing::oneNote(57, 0.1, 4.1, 4.4);
    const StepPattern found = findStepPattern(gated(gateAt).channels[0], played);
    expectRhythm(found, 0.001, 0.08);
}

TEST(StepPatterns, AreNotFoundInWhatIsNoGate) {
    const Performance played = testing::oneNote(57, 0.1, 4.1, 4.4);
    const auto none = [&](const std::function<double(double)>& gain) {
        return !findStepPattern(gated(gain).channels[0], played).found();
    };
    EXPECT_TRUE(none([](double) { return 1.0; })) << "held";
    EXPECT_TRUE(none([](double t) { return 0.6 + 0.4 * std::sin(2.0 * 3.14159265 * 5.0 * t); })) << "tremolo";
    EXPECT_TRUE(none([](double t) { return std::exp(-4.0 * std::fmod(t, 0.3)); }))
        << "struck or repeated: it only rises at once";
    EXPECT_TRUE(none([](double t) { return std::exp(-t); })) << "dies away";
    EXPECT_FALSE(findStepPattern(std::vector<float>{}, Performance{}).found());
}

/// Nine voices within 50 cents, whose partials rise and fall by themselves, behind a gain.
Recording beating(const std::function<double(double)>& gain) {
    return testing::soundOf(4.4, 48000, [&](double t) {
        if (t < 0.1 || t > 4.1) return 0.0;
        double sum = 0.0;
        for (int voice = 0; voice < 9; ++voice)
            sum += testing::sawAt(220.0 * std::exp2((voice - 4) * 5.7 / 1200.0), t + 0.00037 * voice * voice);
        return 0.06 * gain(t - 0.1) * sum;
    });
}

TEST(BandLevels, TellWhatAllBandsDoFromWhatEachDoes) {
    const BandLevels alone(beating([](double) { return 1.0; }).channels[0]);
    EXPECT_LT(alone.commonShare(0.2, 4.0), 0.2) << "voices that beat";
    const BandLevels switched(beating(gateAt).channels[0]);
    EXPECT_GT(switched.commonShare(0.2, 4.0), 0.6) << "behind a gate";
    const Track level = switched.commonDb(0.0, 4.0);
    EXPECT_GT(level.at(0.1 + 0.5 * step), level.at(0.1 + 1.5 * step) + 15.0f) << "an open and a closed step";
    EXPECT_TRUE(alone.commonDb(5.0, 6.0).values.empty()) << "behind the recording";
    EXPECT_EQ(alone.commonShare(5.0, 6.0), 0.0);
}

TEST(StepPatterns, AreFoundBehindVoicesThatBeat) {
    const Performance played = testing::oneNote(57, 0.1, 4.1, 4.4);
    const Profile profile = measureProfile(beating(gateAt), played);
    const StepPattern& found = profile.motion.switched;
    expectRhythm(found, 0.002, 0.3);
    EXPECT_FALSE(measureProfile(beating([](double) { return 1.0; }), played).motion.switched.found());
}

TEST(Motion, OfATremoloIsHeardBehindVoicesThatBeat) {
    const Performance played = testing::oneNote(57, 0.1, 4.1, 4.4);
    const auto shaken = [](double t) { return 1.0 + 0.4 * std::sin(2.0 * 3.14159265 * 6.5 * t); };
    const MotionProfile motion = measureProfile(beating(shaken), played).motion;
    ASSERT_TRUE(motion.tremolo.found());
    EXPECT_NEAR(motion.tremolo.rateHz, 6.5, 0.1);
    EXPECT_NEAR(motion.tremolo.depth, 0.4, 0.12);
    EXPECT_FALSE(measureProfile(beating([](double) { return 1.0; }), played).motion.tremolo.found());
}

TEST(StepPatterns, BecomeADrawnLfoThatSwitchesTheSources) {
    const Performance played = testing::oneNote(57, 0.1, 4.1, 4.4);
    const Recording reference = gated(gateAt);
    const Patch patch = withMotion(measureProfile(reference, played), Patch());
    const auto found = std::find_if(patch.modules().begin(), patch.modules().end(), [](const Patch::Module& m) {
        return m.kind == ModuleKind::link && m.contents().to == "layer:a/source:a/amplitude";
    });
    ASSERT_NE(found, patch.modules().end());
    const Recording made = render(patch, played);
    const auto loudness = [](const Recording& sound, double from, double to) {
        double sum = 0.0;
        for (auto i = static_cast<std::size_t>(from * 48000); i < static_cast<std::size_t>(to * 48000); ++i)
            sum += static_cast<double>(sound.channels[0][i] * sound.channels[0][i]);
        return std::sqrt(sum);
    };
    const double full = loudness(made, 0.1 + 0.3 * step, 0.1 + 0.9 * step);
    for (int i = 0; i < 16; ++i) {
        const double from = 0.1 + (i + 0.3) * step, to = 0.1 + (i + 0.9) * step;
        EXPECT_NEAR(loudness(made, from, to) / full, rhythm[static_cast<std::size_t>(i) % rhythm.size()], 0.12) << i;
    }
}

} // namespace
} // namespace facet
