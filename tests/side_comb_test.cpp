// A chorus or flanger read from the levels of partials on both sides: against theory, and against sounds that have
// none.
#include "core/base/units.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "core/match/evidence/partial_lines.h"
#include "core/match/evidence/side_comb.h"
#include "core/match/starts/comb_starts.h"
#include "core/match/starts/estimate.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

constexpr double turn = 2.0 * std::numbers::pi;
constexpr int rate = 48000;

/// A line of notes of a saw's first partials, evaluated at any time, so that a delay is exact.
class Line {
public:
    explicit Line(std::vector<int> keys) : keys_(std::move(keys)) {}
    double seconds() const { return each * static_cast<double>(keys_.size()); }
    double at(double t) const {
        const auto n = static_cast<int>(std::floor(t / each));
        if (t < 0.0 || n >= static_cast<int>(keys_.size())) return 0.0;
        const double since = t - n * each, hz = hzFromKey(keys_[static_cast<std::size_t>(n)]);
        const double level = std::min({1.0, since / 0.005, (each - since) / 0.02}) * std::exp(-1.5 * since);
        double sum = 0.0;
        for (int p = 1; p * hz < 6000.0; ++p) sum += std::sin(turn * p * hz * since) / p;
        return 0.2 * level * sum;
    }
    Performance played() const {
        Performance performance = testing::oneNote(keys_[0], 0.0, each, seconds(), rate, 2);
        for (std::size_t i = 1; i < keys_.size(); ++i)
            performance.notes.push_back(
                {each * static_cast<double>(i), each * static_cast<double>(i + 1), keys_[i], 0.0, 100.0});
        performance.normalize();
        return performance;
    }

private:
    static constexpr double each = 0.6;
    std::vector<int> keys_;
};

Recording through(const Line& line, const SideComb& comb) {
    Recording sound{rate, {{}, {}}};
    const auto frames = static_cast<std::size_t>(line.seconds() * rate);
    for (std::size_t side = 0; side < 2; ++side)
        for (std::size_t i = 0; i < frames; ++i) {
            const double t = static_cast<double>(i) / rate;
            sound.channels[side].push_back(
                static_cast<float>((1.0 - comb.mix) * line.at(t) + comb.mix * line.at(t - comb.delayAt(side == 1, t))));
        }
    return sound;
}

const std::vector<int> melody{52, 57, 50, 60, 55, 47, 59, 54};

TEST(SideCombs, AreReadFromBothSides) {
    for (const SideComb& made :
         {SideComb{9.3e-3, 1.4e-3, 0.7, 0.13, 0.25, 0.45}, SideComb{16.0e-3, 2.2e-3, 0.42, 0.6, 0.5, 0.5},
          SideComb{3.1e-3, 0.7e-3, 0.35, 0.8, 0.25, 0.5}}) {
        const auto read = sideCombOf(through(Line(melody), made), 2);
        ASSERT_TRUE(read) << made.delay;
        EXPECT_NEAR(read->delay, made.delay, 1e-4);
        EXPECT_NEAR(read->depth, made.depth, 1e-4);
        EXPECT_NEAR(read->rateHz, made.rateHz, 0.02);
        EXPECT_NEAR(std::remainder(read->phase - made.phase, 1.0), 0.0, 0.05);
        EXPECT_NEAR(read->sides, made.sides, 0.04);
        EXPECT_NEAR(read->mix, made.mix, 0.1);
        EXPECT_EQ(read->kind(), made.delay < 5e-3 ? ModuleKind::flanger : ModuleKind::chorus);
    }
}

TEST(SideCombs, AreNotReadIntoOtherSides) {
    const Performance line = Line(melody).played();
    Patch spread; // detuned voices beat on either side
    spread.set({"layer:a/source:a", "voices"}, 7.0);
    spread.set({"layer:a/source:a", "spread"}, 90.0);
    EXPECT_FALSE(sideCombOf(render(spread, line), 2));
    Patch hall;
    hall.add("reverb:a");
    hall.set({"reverb:a", "on"}, 1.0);
    hall.set({"reverb:a", "mix"}, 45.0);
    EXPECT_FALSE(sideCombOf(render(hall, line), 2));
    Patch panned;
    panned.set({"layer:a", "pan"}, 60.0);
    panned.add("layer:a/lfo:a");
    testing::link(panned, "layer:a/lfo:a", "layer:a/pan", 80.0);
    EXPECT_FALSE(sideCombOf(render(panned, line), 2));
    Recording mono = through(Line(melody), {9.3e-3, 1.4e-3, 0.7, 0.13, 0.25, 0.45});
    mono.channels.pop_back();
    EXPECT_FALSE(sideCombOf(mono, 2));
    Recording silence{rate, {std::vector<float>(48000), std::vector<float>(48000)}};
    EXPECT_FALSE(sideCombOf(silence, 2));
}

TEST(SideCombs, AreTheSameOnAnyNumberOfThreads) {
    const Recording sound = through(Line(melody), {9.3e-3, 1.4e-3, 0.7, 0.13, 0.25, 0.45});
    const auto one = sideCombOf(sound, 1), four = sideCombOf(sound, 4);
    ASSERT_TRUE(one && four);
    EXPECT_EQ(one->delay, four->delay);
    EXPECT_EQ(one->phase, four->phase);
    EXPECT_EQ(one->explained, four->explained);
}

TEST(SideCombs, BecomeAnEffectThatSoundsLikeThem) {
    // The engine's own saw through the effect that was read sounds as through the one that was set.
    for (const double delay : {11.0, 3.0}) {
        const SideComb made{delay * 1e-3, 0.9e-3, 0.6, 0.3, 0.25, 0.5};
        const auto patch = withMeasuredComb(made, Patch());
        ASSERT_TRUE(patch);
        const Performance line = Line(melody).played();
        const auto read = sideCombOf(render(*patch, line), 2);
        ASSERT_TRUE(read) << delay;
        EXPECT_NEAR(read->rateHz, made.rateHz, 0.03) << delay;
        EXPECT_NEAR(read->depth, made.depth, 2e-4) << delay;
        EXPECT_NEAR(read->delay, made.delay, 2e-4) << delay;
        EXPECT_NEAR(std::remainder(read->phase - made.phase, 1.0), 0.0, 0.06) << delay;
        EXPECT_FALSE(withMeasuredComb(made, *patch)) << "one is there";
    }
}

TEST(SideCombs, AreTakenOutOfThePartials) {
    const Line line(melody);
    const SideComb comb{9.3e-3, 1.4e-3, 0.7, 0.13, 0.25, 0.45};
    const Recording dry = through(line, {9.3e-3, 1.4e-3, 0.7, 0.13, 0.25, 0.0}), wet = through(line, comb);
    const Performance played = line.played();
    const auto plain = lineInstantsOf(measureProfile(dry, played), dry, 6000.0);
    auto colored = lineInstantsOf(measureProfile(wet, played), wet, 6000.0);
    const auto apart = [&](const std::vector<LineInstant>& other) {
        double sum = 0.0;
        int count = 0;
        for (std::size_t k = 0; k < std::min(plain.size(), other.size()); ++k)
            for (std::size_t i = 1; i < 16; i += 2) {
                if (!plain[k].heard[i] || !other[k].heard[i]) continue;
                sum += static_cast<double>(std::abs((plain[k].levels[i] - plain[k].levels[fundamentalLine]) -
                                                    (other[k].levels[i] - other[k].levels[fundamentalLine])));
                ++count;
            }
        return sum / std::max(1, count);
    };
    ASSERT_GT(plain.size(), 20u);
    const double before = apart(colored);
    takeOut(comb, colored);
    EXPECT_GT(before, 2.0);
    EXPECT_LT(apart(colored), 0.4 * before);
}

TEST(Rooms, AreSetAsTheTailThatWasHeard) {
    Patch hall;
    hall.set({"layer:a/envelope:level", "release"}, 30.0);
    hall.add("reverb:a");
    hall.set({"reverb:a", "on"}, 1.0);
    hall.set({"reverb:a", "decay"}, 1600.0);
    hall.set({"reverb:a", "mix"}, 30.0);
    Performance notes = testing::oneNote(52, 0.05, 0.5, 5.0, rate, 2);
    notes.notes.push_back({1.6, 2.2, 57, 0.0, 100.0});
    notes.normalize();
    const Profile heard = measureProfile(render(hall, notes), notes);
    EXPECT_TRUE(isInRoom(heard));
    Patch start;
    start.set({"layer:a/envelope:level", "release"}, 900.0);
    const auto rooms = withMeasuredRoom(heard, start);
    ASSERT_FALSE(rooms.empty());
    for (const Patch& room : rooms) {
        EXPECT_NEAR(room.value({"reverb:a", "decay"}), 1600.0, 400.0);
        EXPECT_LT(room.value({"layer:a/envelope:level", "release"}), 100.0) << "it need not stand for the tail";
    }
    EXPECT_TRUE(withMeasuredRoom(heard, hall).empty()) << "it has one";
    Patch dry = hall;
    dry.set({"reverb:a", "on"}, 0.0);
    const Profile plain = measureProfile(render(dry, notes), notes);
    EXPECT_FALSE(isInRoom(plain));
    EXPECT_TRUE(withMeasuredRoom(plain, start).empty());
}

} // namespace
} // namespace facet
