// What a search's starts are measured from besides the profile: how wide lines are, how a filter opens, how chords die
// away.
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/evidence/cutoff_sweep.h"
#include "core/match/starts/estimate.h"
#include "core/match/starts/hypotheses.h"
#include "core/match/evidence/line_width.h"
#include "core/match/evidence/isolated_notes.h"
#include "core/match/proposals/measured_modulation.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <numbers>
#include <vector>

namespace facet {
namespace {

constexpr double rate = 48000.0, turn = 2.0 * std::numbers::pi;

/// One second of saws below 8 kHz side by side, each so many cents from `hz`.
Recording voicesAt(double hz, const std::vector<double>& cents) {
    Recording recording;
    recording.rateHz = static_cast<int>(rate);
    recording.channels.emplace_back(static_cast<std::size_t>(rate), 0.0f);
    std::vector<float>& sound = recording.channels[0];
    for (std::size_t v = 0; v < cents.size(); ++v)
        for (int n = 1; n * hz < 8000.0; ++n) {
            const double step = turn * n * hz * std::exp2(cents[v] / 1200.0) / rate;
            for (std::size_t i = 0; i < sound.size(); ++i)
                sound[i] += static_cast<float>(
                    0.1 / n * std::sin(step * static_cast<double>(i) + 2.4 * n * static_cast<double>(v)));
        }
    return recording;
}

TEST(LineSpread, IsTheStandardDeviationOfVoices) {
    // Two, three and seven at equal distances: a uniform spread's deviation in closed form.
    EXPECT_NEAR(lineWidthCents(voicesAt(220.0, {-12.0, 12.0}), 0.0, 1.0, 220.0), 12.0, 2.0);
    EXPECT_NEAR(lineWidthCents(voicesAt(220.0, {-15.0, 0.0, 15.0}), 0.0, 1.0, 220.0), 15.0 * std::sqrt(2.0 / 3.0), 2.0);
    EXPECT_NEAR(lineWidthCents(voicesAt(220.0, {-18, -12, -6, 0, 6, 12, 18}), 0.0, 1.0, 220.0), 12.0, 2.5);
    EXPECT_NEAR(detuneFromLineWidth(12.0, 2), 12.0, 1e-9);
    EXPECT_NEAR(detuneFromLineWidth(15.0 * std::sqrt(2.0 / 3.0), 3), 15.0, 1e-9);
    EXPECT_NEAR(detuneFromLineWidth(12.0, 7), 18.0, 1e-9);
}

TEST(LineSpread, OneVoiceHasNone) {
    EXPECT_LT(lineWidthCents(voicesAt(220.0, {0.0}), 0.0, 1.0, 220.0), 1.0);
    EXPECT_FALSE(isMeasured(lineWidthCents(voicesAt(220.0, {0.0}), 0.0, 0.2, 220.0))) << "too short";
    EXPECT_FALSE(isMeasured(lineWidthCents(voicesAt(220.0, {}), 0.0, 1.0, 220.0))) << "silence";
}

TEST(CutoffSweep, TellsAttackHeightAndRest) {
    const Note note{.start = 0.5, .end = 2.5, .key = 60, .velocity = 100.0};
    Track cutoff{0.01, {}};
    const auto fill = [&](auto octaves) {
        cutoff.values.clear();
        for (int i = 0; i < 300; ++i)
            cutoff.values.push_back(static_cast<float>(300.0 * std::exp2(octaves(0.01 * i - 0.5))));
        cutoff.values[80] = 12000.0f; // jumps
        cutoff.values[120] = notMeasurable;
    };
    fill([](double t) { return t < 0.4 ? 3.0 * std::max(0.0, t) / 0.4 : 1.5 + 1.5 * std::exp(-(t - 0.4) / 0.25); });
    const CutoffSweep rise = cutoffSweepOf(cutoff, note);
    ASSERT_TRUE(rise.found());
    EXPECT_NEAR(std::log2(rise.fromHz / 300.0), 0.0, 0.15);
    EXPECT_NEAR(rise.octaves, 3.0, 0.25) << "medians flatten what is sharp";
    EXPECT_NEAR(rise.seconds, 0.4, 0.03);
    EXPECT_NEAR(rise.rests, 0.5, 0.05);
    EXPECT_NEAR(rise.fallSeconds, 0.25, 0.04);

    fill([](double t) { return t < 0.4 ? 0.8 * std::max(0.0, t) / 0.4 : 0.8; });
    EXPECT_FALSE(cutoffSweepOf(cutoff, note).found()) << "less than an octave";
    fill([](double t) { return 3.0 * std::exp(-std::max(0.0, t) / 0.3); });
    EXPECT_FALSE(cutoffSweepOf(cutoff, note).found()) << "only closes";
    EXPECT_FALSE(cutoffSweepOf(Track{}, note).found());
}

TEST(CutoffSweep, IsAHypothesis) {
    Profile profile;
    profile.seconds = 3.0;
    NoteProfile note;
    note.note = {.start = 0.0, .end = 2.0, .key = 48, .velocity = 100.0};
    note.f0Hz = hzFromKey(48.0, 0.0);
    profile.notes.push_back(note);
    profile.cutoffHz.stepSeconds = 0.01;
    for (int i = 0; i < 200; ++i)
        profile.cutoffHz.values.push_back(static_cast<float>(200.0 * std::exp2(4.0 * std::min(1.0, 0.01 * i / 0.6))));
    const auto all = hypothesesFor(profile, voicesAt(note.f0Hz, {0.0}), Patch());
    EXPECT_GE(std::count_if(all.begin(), all.end(),
                            [](const Hypothesis& each) {
                                return std::abs(each.patch.value({"layer:a/envelope:filter", "attack"}) - 600.0) <
                                           40.0 &&
                                       std::abs(each.patch.value({"layer:a/filter:a", "envelope"}) - 48.0) < 3.0;
                            }),
              4);
}

TEST(LoneNotes, AreThoseThatNothingElseSoundsWith) {
    Profile profile;
    const auto note = [&](double start, double end, int key) {
        NoteProfile one;
        one.note = {.start = start, .end = end, .key = key, .velocity = 100.0};
        profile.notes.push_back(one);
    };
    EXPECT_EQ(longestIsolatedNote(profile, 5.0).note, nullptr);
    note(0.0, 1.0, 48);
    note(0.0, 1.0, 55); // a chord
    note(1.005, 1.5, 60);
    note(1.5, 1.8, 62);
    note(2.5, 2.52, 64);
    EXPECT_FALSE(isIsolated(profile.notes[0], profile));
    EXPECT_TRUE(isIsolated(profile.notes[2], profile)) << "what only touches it does not count";
    const IsolatedNote longest = longestIsolatedNote(profile, 5.0);
    EXPECT_EQ(longest.note, &profile.notes[2]);
    EXPECT_DOUBLE_EQ(longest.until, 1.5);
    profile.notes.erase(profile.notes.begin() + 2);
    EXPECT_DOUBLE_EQ(longestIsolatedNote(profile, 5.0).until, 2.5);
    profile.notes.erase(profile.notes.begin() + 2);
    EXPECT_EQ(longestIsolatedNote(profile, 5.0).note, nullptr) << "a click of 20 ms tells nothing";
}

TEST(PitchSweeps, TheFirstNoteAloneTellsWhatEchoesHideOfTheOthers) {
    Performance phrase = testing::oneNote(48, 0.05, 0.75, 2.8);
    phrase.notes.push_back({0.9, 1.3, 55, 0.0, 80.0});
    phrase.notes.push_back({1.45, 2.2, 60, 0.0, 110.0});
    Patch falling;
    falling.set({"layer:a/envelope:level", "release"}, 565.0);
    falling.add("delay:a");
    falling.set({"delay:a", "on"}, 1.0);
    falling.setNearest({"delay:a", "time"}, 763.0);
    falling = withSweep({1930.0, 0.03}, falling);
    const Recording reference = render(falling, phrase);
    const Profile profile = measureProfile(reference, phrase);
    ASSERT_FALSE(isMeasured(sweepOfNotes(profile).cents)) << "then there would be nothing to make up for";
    const OnsetSweep sweep = sweepOfFirst(profile);
    EXPECT_NEAR(sweep.cents, 1930.0, 200.0);
    EXPECT_NEAR(sweep.seconds, 0.03, 0.01);
    const auto falls = [](const Patch& patch) {
        return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
            return m.kind == ModuleKind::link && m.contents().to == "layer:a/source:a/semitone" &&
                   std::abs(patch.value({m.path, "amount"}) - 19.3) < 2.0;
        });
    };
    const auto hypotheses = hypothesesFor(profile, reference, Patch());
    EXPECT_TRUE(std::any_of(hypotheses.begin(), hypotheses.end(),
                            [&](const Hypothesis& h) { return h.measured && falls(h.patch); }));
    EXPECT_EQ(withSweep(sweep, falling), falling) << "it begins off its pitch already";
    EXPECT_FALSE(isMeasured(sweepOfFirst(Profile{}).cents));
}

TEST(Estimates, AChordsReleaseIsHowItDiesAway) {
    Profile profile;
    profile.seconds = 3.0;
    for (int key : {53, 60, 63}) {
        NoteProfile note;
        note.note = {.start = 0.0, .end = 1.5, .key = key, .velocity = 100.0};
        note.level.release = 0.03; // what a single one of them says
        profile.notes.push_back(note);
    }
    profile.levelDb.stepSeconds = 0.001;
    for (int i = 0; i < 3000; ++i)
        profile.levelDb.values.push_back(-10.0f - 50.0f * std::max(0.0f, 0.001f * static_cast<float>(i) - 1.5f));
    // 20 dB in 0.4 s; a release of this curve has fallen as far in 45 % of its time.
    const Patch chord = estimate(profile, Patch());
    EXPECT_NEAR(chord.value({"layer:a/envelope:level", "release"}), 400.0 / 0.449, 20.0);
    profile.notes.resize(1);
    EXPECT_NEAR(estimate(profile, Patch()).value({"layer:a/envelope:level", "release"}), 30.0, 0.1);
}

} // namespace
} // namespace facet
