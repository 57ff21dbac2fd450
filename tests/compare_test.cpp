#include "core/base/random.h"
#include "core/base/units.h"
#include "core/compare/blind_test.h"
#include "core/compare/comparison.h"
#include "core/compare/distance.h"
#include "core/compare/loss.h"
#include "core/compare/picture_difference.h"
#include "core/compare/sound_difference.h"
#include "core/engine/render.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const Address cutoff{"layer:a/filter:a", "cutoff"};
const Address cents{"layer:a/source:a", "cents"};
const Address decay{"layer:a/envelope:level", "decay"};
const Address wave{"layer:a/source:a", "wave"};

Patch basePatch() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 900.0);
    patch.set({"layer:a/filter:a", "envelope"}, 24.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 300.0);
    patch.set(decay, 400.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 30.0);
    patch.set({"layer:a/envelope:level", "release"}, 60.0);
    return patch;
}

Performance phrase() {
    Performance performance = testing::oneNote(45, 0.05, 0.7, 1.6);
    performance.notes.push_back({0.8, 1.4, 52, 0.0, 100.0});
    performance.normalize();
    return performance;
}

Comparison compared(const Recording& reference, const Recording& render) {
    const Profile a = measureProfile(reference, phrase());
    const Profile b = measureProfile(render, phrase(), {.source = &a.source});
    return compare(a, b);
}

Recording with(const Address& address, double value) {
    Patch patch = basePatch();
    patch.set(address, value);
    return render(patch, phrase());
}

TEST(Likeness, IsFullForTheSameSound) {
    const Recording reference = render(basePatch(), phrase());
    const Comparison same = compared(reference, reference);
    EXPECT_NEAR(same.likeness, 100.0, 1e-9);
    ASSERT_EQ(same.facets.size(), static_cast<std::size_t>(facetCount));
    for (const auto& facet : same.facets)
        EXPECT_EQ(facet.words, facet.facet == Facet::width ? "mono recording" : "alike") << labelOf(facet.facet);
}

TEST(Likeness, IsDeafToGainPhaseAndStart) {
    const Recording reference = render(basePatch(), phrase());
    EXPECT_GT(compared(reference, withGain(reference, -9.0)).likeness, 99.0);
    Recording late = reference;
    late.channels[0].insert(late.channels[0].begin(), 480, 0.0f);
    late.channels[0].resize(reference.channels[0].size());
    EXPECT_GT(compared(reference, late).likeness, 95.0);
    Performance other = phrase();
    other.seed = 99;
    EXPECT_GT(compared(reference, render(basePatch(), other)).likeness, 95.0);
}

TEST(Likeness, FallsWithTheSizeOfAKnownChange) {
    const Recording reference = render(basePatch(), phrase());
    struct Change {
        Address address;
        std::vector<double> values; ///< further and further away
        Facet facet;
    };
    for (const Change& change :
         {Change{cents, {10.0, 30.0, 90.0}, Facet::pitch}, Change{cutoff, {1200.0, 2400.0, 9000.0}, Facet::brightness},
          Change{decay, {900.0, 2500.0, 12000.0}, Facet::level}}) {
        double last = 100.0;
        for (double value : change.values) {
            const Comparison comparison = compared(reference, with(change.address, value));
            const double now = comparison.find(change.facet)->likeness;
            EXPECT_LT(now, last) << change.address.text() << " " << value;
            last = now;
        }
    }
}

TEST(Likeness, OfAWrongOctaveIsLow) {
    const Recording reference = render(basePatch(), phrase());
    const Comparison comparison = compared(reference, with({"layer:a/source:a", "octave"}, 1.0));
    EXPECT_LT(comparison.find(Facet::pitch)->likeness, 10.0);
    EXPECT_LT(comparison.likeness, 50.0);
    EXPECT_EQ(comparison.find(Facet::pitch)->words, "12 semitones too high");
}

TEST(Likeness, SetsFacetsAside) {
    const Recording reference = render(basePatch(), phrase());
    const Profile a = measureProfile(reference, phrase());
    const Profile b = measureProfile(with(cutoff, 3000.0), phrase(), {.source = &a.source});
    FacetWeights weights = equalWeights;
    const Comparison all = compare(a, b, weights);
    weights[static_cast<std::size_t>(Facet::brightness)] = 0.0;
    weights[static_cast<std::size_t>(Facet::harmonics)] = 0.0;
    const Comparison without = compare(a, b, weights);
    EXPECT_GT(without.likeness, all.likeness + 10.0);
    EXPECT_EQ(without.find(Facet::brightness)->likeness, all.find(Facet::brightness)->likeness);
    weights[static_cast<std::size_t>(Facet::brightness)] = 2.0;
    EXPECT_LT(compare(a, b, weights).likeness, without.likeness);
    EXPECT_EQ(compare(a, b, FacetWeights{}).likeness, all.likeness) << "not everything can be set aside";
}

TEST(Likeness, HearsTwoRealizationsOfOneProcessAsAlike) {
    Patch patch = basePatch();
    patch.set({"layer:a/filter:a", "on"}, 0.0);
    patch.set({"layer:a/source:a", "voices"}, 7.0);
    patch.set({"layer:a/source:a", "detune"}, 20.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 100.0);
    Performance held = testing::oneNote(57, 0.05, 3.0, 3.4, 48000, 2);
    const Profile a = measureProfile(render(patch, held), held);
    EXPECT_GT(fluctuationOf(a).depthDb, 0.5);
    Patch still = patch;
    still.set({"layer:a/source:a", "voices"}, 1.0);
    const Profile steady = measureProfile(render(still, held), held, {.source = &a.source});
    held.seed = 77;
    const Profile again = measureProfile(render(patch, held), held, {.source = &a.source});
    EXPECT_GT(compare(a, again).likeness, 85.0);
    EXPECT_LT(compare(a, steady).likeness, 80.0) << "one that does not fluctuate is another";
}

TEST(Likeness, IsNotMovedByAShortLapseOfThePitchMeasurement) {
    const Recording reference = render(basePatch(), phrase());
    const Profile a = measureProfile(reference, phrase());
    Profile b = a;
    for (int i = 20; i < 26; ++i) b.pitchHz.values[static_cast<std::size_t>(i)] /= 3.0f;
    EXPECT_GT(compare(a, b).find(Facet::pitch)->likeness, 99.0);
}

TEST(Differences, AreNamedInWordsAndUnits) {
    const Recording reference = render(basePatch(), phrase());
    EXPECT_EQ(compared(reference, with(cents, 25.0)).find(Facet::pitch)->words, "25 cents sharp");
    const std::string darker = compared(reference, with(cutoff, 150.0)).find(Facet::brightness)->words;
    EXPECT_TRUE(darker.find("closes to") == 0 || darker.find("darker") != std::string::npos ||
                darker.find("opens to") == 0)
        << darker;
    const auto square = compared(reference, with(wave, 3.0));
    EXPECT_NE(square.find(Facet::harmonics)->words.find("2nd partial"), std::string::npos)
        << square.find(Facet::harmonics)->words;
    EXPECT_NE(square.find(Facet::harmonics)->words.find("weaker"), std::string::npos);
}

/// Sines by frequency and amplitude.
Recording sines(std::vector<std::pair<double, double>> all, double phase = 0.0) {
    return testing::soundOf(1.0, 48000, [=](double t) {
        double sum = 0.0;
        for (const auto& [hz, amplitude] : all) sum += amplitude * std::sin(2.0 * 3.14159265358979 * hz * t + phase);
        return sum;
    });
}

TEST(Blind, ChanceIsThatOfTheBinomialTables) {
    // Binomial tables, p = 1/2: P(X ≥ 9 | 10) = 0.0107, P(X ≥ 12 | 16) = 0.0384, P(X ≥ 14 | 16) = 0.0021
    // (CRC Standard Mathematical Tables; from memory, and checked by summing the coefficients).
    EXPECT_NEAR(chanceOf(9, 10), 0.0107, 5e-5);
    EXPECT_NEAR(chanceOf(12, 16), 0.0384, 5e-5);
    EXPECT_NEAR(chanceOf(14, 16), 0.0021, 5e-5);
    EXPECT_NEAR(chanceOf(0, 8), 1.0, 1e-12);
    EXPECT_NEAR(chanceOf(8, 8), 1.0 / 256.0, 1e-12);
}

TEST(Blind, DrawsEachTrialAnewAndCountsRightAnswers) {
    BlindTest known(16, 3), guessed(2000, 4);
    while (!known.finished()) known.answer(known.xIsB());
    EXPECT_EQ(known.right(), 16);
    known.answer(true);
    EXPECT_EQ(known.done(), 16) << "no more than was agreed";
    while (!guessed.finished()) guessed.answer(true);
    EXPECT_NEAR(guessed.right(), 1000, 100) << "either as often";
}

TEST(SoundDifference, IsWhatOneHasAndTheOtherLacks) {
    // Other phases are no difference; a partial at half the amplitude lacks three quarters of its power.
    const Recording reference = sines({{300.0, 0.3}, {900.0, 0.2}, {1500.0, 0.1}});
    const Recording other = sines({{300.0, 0.3}, {900.0, 0.1}, {2500.0, 0.1}}, 2.0);
    const SoundDifference parts = differenceBetween(reference, other, 0.0);
    const auto lacking = [&](double hz) {
        return testing::componentDb(parts.lacking.channels[0], 12000, 16384, hz, 48000.0);
    };
    const auto excess = [&](double hz) {
        return testing::componentDb(parts.excess.channels[0], 12000, 16384, hz, 48000.0);
    };
    EXPECT_LT(lacking(300.0), -50.0);
    EXPECT_NEAR(lacking(900.0), dbFromGain(0.2 * std::sqrt(0.75)), 0.5);
    EXPECT_NEAR(lacking(1500.0), dbFromGain(0.1), 0.5);
    EXPECT_LT(excess(900.0), -50.0);
    EXPECT_NEAR(excess(2500.0), dbFromGain(0.1), 0.5);
    EXPECT_EQ(parts.lacking.frameCount(), reference.frameCount());
    // Softer as a whole is no difference when loudness is matched.
    const SoundDifference same = differenceBetween(reference, withGain(reference, -12.0), 12.0);
    EXPECT_LT(testing::componentDb(same.lacking.channels[0], 12000, 16384, 300.0, 48000.0), -50.0);
}

TEST(PictureDifference, ShowsWhatEachHasBeyondTheOther) {
    const Recording reference = sines({{300.0, 0.3}, {2000.0, 0.1}});
    const Recording other = sines({{300.0, 0.3}, {5000.0, 0.1}}, 1.0);
    const auto difference = differenceOf(measureSpectrogram(reference), measureSpectrogram(other), 0.0);
    const auto at = [](const Spectrogram& picture, double hz) {
        const double row = (Spectrogram::rows - 1) * std::log(hz / Spectrogram::lowestHz) /
                           std::log(Spectrogram::highestHz / Spectrogram::lowestHz);
        return static_cast<int>(picture.at(picture.columns / 2, static_cast<int>(std::lround(row))));
    };
    EXPECT_GT(at(difference.lacking, 2000.0), 200);
    EXPECT_EQ(at(difference.lacking, 300.0), 0) << "other phases are no difference";
    EXPECT_EQ(at(difference.lacking, 5000.0), 0);
    EXPECT_GT(at(difference.excess, 5000.0), 200);
    EXPECT_EQ(at(difference.excess, 300.0), 0);
    // As soft a copy, brought to equal loudness, differs nowhere.
    const auto same = differenceOf(measureSpectrogram(reference), measureSpectrogram(withGain(reference, -9.0)), 9.0);
    EXPECT_EQ(*std::max_element(same.lacking.levels.begin(), same.lacking.levels.end()), 0);
}

TEST(SearchLoss, IsZeroForItselfAndDeafToGain) {
    const Recording reference = render(basePatch(), phrase());
    const Loss loss(reference, phrase());
    EXPECT_NEAR(Loss::value(loss.residual(reference)), 0.0, 1e-4);
    EXPECT_NEAR(Loss::value(loss.residual(withGain(reference, -13.0))), 0.0, 0.01);
    EXPECT_GT(Loss::value(loss.residual(with(cutoff, 1000.0))), 0.2);
}

TEST(SearchLoss, IsNotAfterTheNoiseOfARecording) {
    const Performance performance = testing::oneNote(57, 0.1, 1.0, 2.0);
    const auto struck = [](double hz) {
        return testing::soundOf(2.0, 48000, [hz](double t) {
            return t < 0.1 ? 0.0 : 0.5 * std::exp(-(t - 0.1) / 0.15) * testing::sawAt(hz, t - 0.1);
        });
    };
    const Recording clean = struck(220.0);
    Recording noisy = clean;
    Random random(3);
    for (float& x : noisy.channels[0]) x += 3e-4f * static_cast<float>(2.0 * random.unit() - 1.0);
    const Loss loss(noisy, performance);
    const double same = Loss::value(loss.residual(clean)), other = Loss::value(loss.residual(struck(247.0)));
    EXPECT_LT(same, 1.6) << "the noise is not for a patch to rebuild";
    EXPECT_GT(other, 3.0 * same);
}

TEST(SearchLoss, HearsALevelThatIsOffForAMoment) {
    // A note a third as loud in one 50 ms of it, and the same tail cut off where it has fallen by 40 dB.
    const Performance performance = testing::oneNote(57, 0.1, 0.6, 2.0);
    const auto sound = [](const std::function<double(double)>& gain) {
        return testing::soundOf(2.0, 48000, [&gain](double t) {
            const double fall = t < 0.1 ? 0.0 : std::exp(-std::max(0.0, t - 0.6) / 0.1);
            return 0.4 * fall * gain(t) * testing::sawAt(220.0, t);
        });
    };
    const Loss loss(sound([](double) { return 1.0; }), performance);
    const auto distance = [&](const std::function<double(double)>& gain) {
        return Loss::value(loss.residual(sound(gain)));
    };
    const double whole = distance([](double) { return 1.0; });
    const double cut = distance([](double t) { return t > 0.6 + 0.1 * std::log(100.0) ? 0.0 : 1.0; });
    const double dipped = distance([](double t) { return t > 0.3 && t < 0.35 ? 0.33 : 1.0; });
    EXPECT_LT(whole, 1e-3);
    EXPECT_GT(cut, 0.5);
    EXPECT_GT(dipped, 0.3);
}

/// Renders of the phrase at half the rate of an analysis.
Recording halfRender(const Patch& patch) {
    Recording sound;
    renderEach({&patch, 1}, phrase(), analysisRateHz / 2,
               [&](std::size_t, Recording&& one) { sound = std::move(one); });
    return sound;
}

TEST(SearchLoss, AtHalfTheRateSaysWhatTheWholeOneDoes) {
    const Recording reference = render(basePatch(), phrase());
    const Loss whole(reference, phrase()), half(atRate(reference, analysisRateHz / 2), phrase());
    const auto halfOf = [&](const Patch& patch) { return Loss::value(half.residual(halfRender(patch))); };
    const double same = halfOf(basePatch());
    EXPECT_LT(same, 0.6) << "filters end nearer to half the rate, little else differs";
    for (const auto& [address, value] : {std::pair{cutoff, 1000.0}, std::pair{cutoff, 3000.0}, std::pair{cents, 8.0}}) {
        Patch changed = basePatch();
        changed.set(address, value);
        const double there = Loss::value(whole.residual(render(changed, phrase()))), here = halfOf(changed);
        EXPECT_GT(here, 2.0 * same) << address.text() << value;
        EXPECT_NEAR(here, there, 0.35 * there + same) << address.text() << value;
    }
}

TEST(SearchLoss, SeesCents) {
    const Recording reference = render(basePatch(), phrase());
    const Loss loss(reference, phrase());
    const double near = Loss::value(loss.residual(with(cents, 2.0)));
    const double far = Loss::value(loss.residual(with(cents, 8.0)));
    EXPECT_GT(near, 0.1);
    EXPECT_GT(far, near + 0.3);
}

TEST(SearchLoss, HearsHowFastADrumFalls) {
    const Performance hits = testing::fixturePhrase();
    const Patch drum = testing::fixturePatch("falling-tom");
    const Loss loss(render(drum, hits), hits);
    const std::string envelope = drum.find("link:a")->contents().from;
    double before = Loss::value(loss.residual(render(drum, hits)));
    for (double share : {1.1, 1.25, 1.5}) {
        Patch slower = drum;
        slower.set({envelope, "decay"}, share * drum.value({envelope, "decay"}));
        const double now = Loss::value(loss.residual(render(slower, hits)));
        EXPECT_GT(now, before + 0.3) << share;
        before = now;
    }
}

TEST(UpperCutoff, IsThatOfABandLimitedTransfer) {
    Recording dull = testing::soundOf(1.0, 48000, [](double t) {
        double sum = 0.0;
        for (int n = 1; n < 60; ++n)
            sum += 0.05 * std::sin(2.0 * 3.14159265358979 * 100.0 * n * t + n * n); // up to 5.9 kHz
        return sum;
    });
    EXPECT_NEAR(upperCutoffHz(dull, 48000), 5900.0, 100.0);
    EXPECT_LE(upperCutoffHz(render(Patch(), phrase()), 22050), 0.45 * 22050);
}

} // namespace
} // namespace facet
