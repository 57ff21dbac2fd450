// Outlines of spectra as formulas, and the levels of partials that are held against them.
#include "core/match/evidence/envelope_families.h"
#include "core/match/evidence/partial_moments.h"

#include "core/base/units.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <numbers>
#include <set>

namespace facet {
namespace {

using Family = SpectralEnvelopeMotion::Family;

constexpr double pi = std::numbers::pi;

/// The member of a family with these stages and this feedback.
EnvelopeFamily member(Family family, int stages = 0, double feedback = 0.0) {
    for (const EnvelopeFamily& each : envelopeFamilies())
        if (each.family == family && each.stages == stages && each.feedback == feedback) return each;
    ADD_FAILURE() << "no such member";
    return {};
}

TEST(EnvelopeFamilies, CoverTheirRangesInEvenSteps) {
    std::set<Family> seen;
    for (const EnvelopeFamily& each : envelopeFamilies()) {
        seen.insert(each.family);
        EXPECT_GT(each.count, 50);
        EXPECT_NEAR(each.placeAt(1) - each.placeAt(0), each.step, 1e-12);
        for (int i = 0; i < each.count; ++i)
            for (int n : {1, 5, 16}) {
                const double gain = each.gain(each.placeAt(i), n, 220.0);
                ASSERT_TRUE(std::isfinite(gain) && gain >= 0.0) << i << " " << n;
            }
    }
    EXPECT_EQ(seen.size(), 4u);
    const EnvelopeFamily pulse = member(Family::pulse);
    EXPECT_EQ(pulse.placeAt(0), 2.0);
    EXPECT_EQ(pulse.placeAt(pulse.count - 1), 98.0);
}

TEST(EnvelopeFamilies, OfPulsesAreTheirFourierSeries) {
    // |sin(π n w)| re a saw's 1/n (Oppenheim, Willsky, Nawab, "Signals and Systems", 2nd ed. 1997, example 3.5).
    const EnvelopeFamily pulse = member(Family::pulse);
    for (int n = 2; n <= 16; n += 2) EXPECT_NEAR(pulse.gain(50.0, n, 100.0), 0.0, 1e-9) << "a square has no even ones";
    for (int n = 1; n <= 15; n += 2) EXPECT_NEAR(pulse.gain(50.0, n, 100.0), 1.0, 1e-9);
    for (int n = 1; n <= 16; ++n)
        EXPECT_NEAR(pulse.gain(30.0, n, 100.0), pulse.gain(70.0, n, 100.0), 1e-9) << "a pulse and its complement";
    EXPECT_NEAR(pulse.gain(25.0, 4, 100.0), 0.0, 1e-9);
}

TEST(EnvelopeFamilies, OfSyncedSawsAreWhatTheirWaveformHas) {
    // Against the transform of the waveform itself: a saw of ratio r that begins anew with each cycle.
    const EnvelopeFamily synced = member(Family::synced);
    constexpr int size = 1 << 16;
    for (double semitones : {5.0, 12.0, 19.0, 31.0}) {
        const double ratio = std::exp2(semitones / 12.0);
        for (int n : {1, 2, 3, 7}) {
            double re = 0.0, im = 0.0, saw = 0.0;
            for (int i = 0; i < size; ++i) {
                const double t = (i + 0.5) / size, slave = std::fmod(t * ratio, 1.0);
                re += (2.0 * slave - 1.0) * std::cos(2.0 * pi * n * t) / size;
                im += (2.0 * slave - 1.0) * std::sin(2.0 * pi * n * t) / size;
                saw += (2.0 * t - 1.0) * std::sin(2.0 * pi * n * t) / size;
            }
            EXPECT_NEAR(synced.gain(semitones, n, 100.0), std::hypot(re, im) / std::abs(saw), 0.01)
                << semitones << " " << n;
        }
    }
}

TEST(EnvelopeFamilies, OfPhasersHaveANotchForEachPairOfStages) {
    // Behind first-order all-passes at one frequency each stage turns by 90° there: with 4 stages the mix cancels where
    // each turns by 45° and by 135°.
    const EnvelopeFamily phaser = member(Family::phaser, 4);
    const double center = 1000.0, place = 12.0 * std::log2(center);
    for (double turn : {pi / 8.0, 3.0 * pi / 8.0}) { // 2 · 4 · turn is an odd multiple of π
        const double hz = center * std::tan(turn);
        EXPECT_NEAR(phaser.gain(place, 1, hz), 0.0, 1e-6) << hz;
    }
    EXPECT_NEAR(phaser.gain(place, 1, 1.0), 2.0, 0.01) << "far below both sounds add up";
}

TEST(EnvelopeFamilies, OfFlangersAreCombs) {
    const EnvelopeFamily flanger = member(Family::flanger);
    EXPECT_NEAR(flanger.gain(1.0, 1, 500.0), 0.0, 1e-9) << "half a cycle of 500 Hz is 1 ms";
    EXPECT_NEAR(flanger.gain(1.0, 2, 500.0), 2.0, 1e-9);
    EXPECT_NEAR(flanger.gain(1.0, 3, 500.0), 0.0, 1e-9);
    const EnvelopeFamily fed = member(Family::flanger, 0, 0.5);
    EXPECT_GT(fed.gain(1.0, 2, 500.0), flanger.gain(1.0, 2, 500.0)) << "feedback raises its peaks";
}

Profile profileOf(const std::vector<float>& mono, const Performance& performance) {
    return measureProfile(Recording{48000, {mono}}, performance);
}

TEST(PartialMoments, OfASawAreLevel) {
    const double hz = hzFromKey(57);
    const Recording saw =
        testing::soundOf(1.2, 48000, [&](double t) { return t < 0.1 || t > 1.0 ? 0.0 : 0.3 * testing::sawAt(hz, t); });
    const Performance played = testing::oneNote(57, 0.1, 1.0, 1.2);
    const auto moments = partialMomentsOf(profileOf(saw.channels[0], played), saw);
    ASSERT_GT(moments.size(), 40u);
    for (const PartialMoment& moment : moments) {
        EXPECT_NEAR(moment.since - moment.sinceNote, 0.1, 1e-6);
        EXPECT_NEAR(moment.hz, hz, 0.5);
        if (moment.sinceNote < 0.05 || moment.since > 0.95) continue; // the window reaches beyond the note
        ASSERT_GE(moment.levels.size(), 12);
        EXPECT_LT(moment.levels.maxCoeff() - moment.levels.minCoeff(), 0.5) << "dB at " << moment.since;
    }
}

TEST(PartialMoments, AreNoneWhereNotesSoundTogetherOrHaveFewPartials) {
    const double hz = hzFromKey(57);
    const Recording sine = testing::soundOf(1.0, 48000, [&](double t) { return 0.3 * std::sin(2.0 * pi * hz * t); });
    const Performance one = testing::oneNote(57, 0.0, 1.0, 1.0);
    EXPECT_TRUE(partialMomentsOf(profileOf(sine.channels[0], one), sine).empty()) << "one partial is no outline";
    const Recording chord = testing::soundOf(
        1.0, 48000, [&](double t) { return 0.2 * testing::sawAt(hz, t) + 0.2 * testing::sawAt(hzFromKey(61), t); });
    Performance two = testing::oneNote(57, 0.0, 1.0, 1.0);
    two.notes.push_back({0.0, 1.0, 61, 0.0, 100.0});
    two.normalize();
    EXPECT_TRUE(partialMomentsOf(profileOf(chord.channels[0], two), chord).empty());
}

} // namespace
} // namespace facet
