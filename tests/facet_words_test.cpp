// What each facet says of a difference: one measured figure of a profile changed at a time.
#include "core/compare/facets/facet_comparisons.h"
#include "core/engine/render.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

using namespace comparing;

/// Two notes of a stereo sound that is measured in every facet.
const Profile& base() {
    static const Profile profile = [] {
        Patch patch;
        patch.set({"layer:a/source:a", "voices"}, 2.0);
        patch.set({"layer:a/source:a", "spread"}, 60.0);
        patch.set({"layer:a/source:a", "detune"}, 0.0);
        patch.set({"layer:a/filter:a", "on"}, 1.0);
        patch.set({"layer:a/filter:a", "cutoff"}, 1500.0);
        Performance performance = testing::oneNote(45, 0.05, 1.0, 2.4, 48000, 2);
        performance.notes.push_back({1.2, 1.9, 52, 0.0, 100.0});
        performance.normalize();
        return measureProfile(render(patch, performance), performance);
    }();
    return profile;
}

/// The base with something changed.
template <typename Change> Profile with(Change&& change) {
    Profile profile = base();
    change(profile);
    return profile;
}

/// What a facet's table says in a row, as "reference | render | difference"; empty without the row.
std::string row(const FacetComparison& facet, const std::string& label) {
    for (const ComparedValue& value : facet.values)
        if (value.label == label) return value.reference + " | " + value.render + " | " + value.difference;
    return {};
}

PeriodicChange swing(double rateHz, double depth, double confidence = 0.95) {
    PeriodicChange change;
    change.rateHz = rateHz;
    change.depth = depth;
    change.cycles = 8.0;
    change.confidence = confidence;
    for (int i = 0; i < cyclePoints; ++i)
        change.cycle.push_back(static_cast<float>(depth * std::sin(2.0 * 3.14159265358979 * i / cyclePoints)));
    return change;
}

TEST(Texts, HaveUnitsSignsAndADashForWhatIsNotMeasured) {
    EXPECT_EQ(signedText(3.04, 1, "ct"), "+3.0 ct");
    EXPECT_EQ(signedText(-3.04, 1, "ct"), "−3.0 ct");
    EXPECT_EQ(signedText(-0.04, 1, "ct"), "0.0 ct") << "nothing has no sign";
    EXPECT_EQ(msText(0.0042), "4.2 ms");
    EXPECT_EQ(msText(0.42), "420 ms");
    EXPECT_EQ(msText(1.5), "1.50 s");
    EXPECT_EQ(msText(notMeasurable), "–");
    EXPECT_EQ(hzText(440.0), "440 Hz");
    EXPECT_EQ(hzText(1530.0), "1.53 kHz");
    EXPECT_EQ(hzText(19500.0), "open") << "nothing audible is filtered";
    EXPECT_EQ(dbText(-12.34), "−12.3 dB");
    EXPECT_EQ(dbText(-0.01), "0.0 dB");
    EXPECT_EQ(dbText(-75.0), "< −59 dB");
    EXPECT_EQ(apartDb(-6.0, -9.0), "−3.0 dB");
    EXPECT_EQ(apartDb(-6.0, notMeasurable), "–");
}

TEST(Texts, CountPartialsAsPeopleDo) {
    EXPECT_EQ(ordinal(1), "fundamental");
    EXPECT_EQ(ordinal(2), "2nd partial");
    EXPECT_EQ(ordinal(3), "3rd partial");
    EXPECT_EQ(ordinal(4), "4th partial");
    EXPECT_EQ(ordinal(11), "11th partial");
    EXPECT_EQ(ordinal(12), "12th partial");
    EXPECT_EQ(ordinal(21), "21st partial");
}

TEST(Texts, MarkWhatIsDoubtful) {
    EXPECT_EQ(doubted("40 ms", 0.9), "40 ms");
    EXPECT_EQ(doubted("40 ms", 0.3), "≈ 40 ms");
    EXPECT_EQ(doubted("–", 0.0), "–") << "there is nothing to doubt";
}

TEST(FacetWords, OfTheSameProfileAreAlikeEverywhere) {
    const Compared same(base(), base());
    for (auto* compare : {comparePitch, compareLevel, compareHarmonics, compareBrightness, compareNoise, compareMotion,
                          compareWidth, compareSpace}) {
        const FacetComparison facet = compare(same);
        EXPECT_TRUE(facet.measured) << labelOf(facet.facet);
        EXPECT_EQ(facet.words, "alike") << labelOf(facet.facet);
        EXPECT_NEAR(facet.likeness, 100.0, 1e-9) << labelOf(facet.facet);
        EXPECT_FALSE(facet.values.empty()) << labelOf(facet.facet);
    }
}

TEST(FacetWords, OfPitchNameTheSideAndTheInterval) {
    const auto moved = [](double cents) {
        return with([&](Profile& p) {
            for (float& hz : p.pitchHz.values) hz *= static_cast<float>(std::exp2(cents / 1200.0));
            for (float& value : p.pitchCents.values) value += static_cast<float>(cents);
            for (NoteProfile& note : p.notes) note.cents += cents;
        });
    };
    const Profile sharp = moved(30.0), flat = moved(-30.0), octave = moved(-1200.0);
    EXPECT_EQ(comparePitch({base(), sharp}).words, "30 cents sharp");
    EXPECT_EQ(comparePitch({base(), flat}).words, "30 cents flat");
    EXPECT_EQ(comparePitch({base(), octave}).words, "12 semitones too low");
    EXPECT_LT(comparePitch({base(), octave}).likeness, 5.0);
}

TEST(FacetWords, OfLevelNameTheSegmentThatDiffersMost) {
    const auto changed = [](auto&& change) {
        return with([&](Profile& p) {
            for (NoteProfile& note : p.notes) change(note.level);
            // Something must differ over time, or nobody speaks of it.
            for (std::size_t i = 0; i < p.levelDb.values.size(); i += 2) p.levelDb.values[i] -= 9.0f;
        });
    };
    const Profile slow = changed([](LevelFit& fit) { fit.attack += 0.3; });
    EXPECT_EQ(compareLevel({base(), slow}).words, "attack 300 ms longer");
    const Profile dying = changed([](LevelFit& fit) { fit.sustainDb -= 14.0; });
    EXPECT_EQ(compareLevel({base(), dying}).words, "sustain 14.0 dB softer");
    const Profile ringing = changed([](LevelFit& fit) { fit.release += 1.5; });
    EXPECT_EQ(compareLevel({base(), ringing}).words, "release 1.50 s longer");
    const Profile held = changed([](LevelFit& fit) { fit.hold = 0.2; });
    EXPECT_FALSE(row(compareLevel({base(), held}), "Hold").empty())
        << "rare segments have a row when one side has them";
    EXPECT_TRUE(row(compareLevel({base(), slow}), "Delay").empty());
}

TEST(FacetWords, OfHarmonicsNameThePartial) {
    const Profile weak = with([](Profile& p) { p.partials[2] -= 25.0f; });
    const FacetComparison facet = compareHarmonics({base(), weak});
    EXPECT_EQ(facet.words, "3rd partial 25 dB weaker");
    EXPECT_NE(row(facet, "3rd partial").find("−25.0 dB"), std::string::npos) << row(facet, "3rd partial");
    const Profile below = with([](Profile& p) {
        for (NoteProfile& note : p.notes) note.subOctaveDb = -6.0;
        p.partials[2] -= 25.0f;
    });
    const Profile none = with([](Profile& p) {
        for (NoteProfile& note : p.notes) note.subOctaveDb = -60.0;
    });
    EXPECT_EQ(compareHarmonics({none, below}).words, "octave below 54 dB stronger");
    EXPECT_EQ(row(compareHarmonics({none, below}), "An octave below").substr(0, 4), "none");
}

TEST(FacetWords, OfBrightnessSayWhereTheFilterCloses) {
    const auto darker = [](Profile& p) {
        for (auto* track : {&p.centroidHz, &p.rolloffHz})
            for (float& hz : track->values) hz *= 0.5f;
    };
    const Profile dull = with(darker);
    const FacetComparison facet = compareBrightness({base(), dull});
    EXPECT_EQ(facet.words, "1.0 octaves darker");
    EXPECT_NE(row(facet, "Spectral centroid").find("−1.00 oct"), std::string::npos);
    const Profile closing = with([&](Profile& p) {
        darker(p);
        for (NoteProfile& note : p.notes) note.restingCutoffHz = 200.0;
    });
    const Profile open = with([](Profile& p) {
        for (NoteProfile& note : p.notes) note.restingCutoffHz = 3200.0;
    });
    EXPECT_EQ(compareBrightness({open, closing}).words, "closes to 200 Hz, not 3.20 kHz");
    EXPECT_NE(row(compareBrightness({open, closing}), "Resting cutoff").find("−4.00 oct"), std::string::npos);
}

TEST(FacetWords, OfNoiseSayMoreOrLess) {
    const auto ratio = [](float db) {
        return with([&](Profile& p) {
            p.noise.harmonicToNoiseDb = db;
            for (float& value : p.noise.ratioDb.values) value = db;
        });
    };
    const Profile clean = ratio(30.0f), hissing = ratio(10.0f);
    EXPECT_EQ(compareNoise({clean, hissing}).words, "20 dB more noise");
    EXPECT_EQ(compareNoise({hissing, clean}).words, "20 dB less noise");
    EXPECT_NE(row(compareNoise({clean, hissing}), "Harmonics to noise").find("−20.0 dB"), std::string::npos);
}

TEST(FacetWords, OfMotionNameWhatIsMissingOrTooMuch) {
    const Profile vibrato = with([](Profile& p) { p.motion.vibrato = swing(5.6, 30.0); });
    EXPECT_EQ(compareMotion({vibrato, base()}).words, "no vibrato, reference 5.6 Hz");
    EXPECT_EQ(compareMotion({base(), vibrato}).words, "vibrato of 5.6 Hz, reference has none");
    const Profile faster = with([](Profile& p) { p.motion.vibrato = swing(7.0, 30.0); });
    EXPECT_EQ(compareMotion({vibrato, faster}).words, "vibrato 7.00 Hz, not 5.60");
    const Profile deeper = with([](Profile& p) { p.motion.vibrato = swing(5.6, 90.0); });
    EXPECT_EQ(compareMotion({vibrato, deeper}).words, "vibrato ±90 ct, not ±30 ct");
    EXPECT_EQ(row(compareMotion({vibrato, deeper}), "Vibrato shape"), "sine | sine | –");
    // The less sure a cycle is, the less it counts.
    const Profile doubtful = with([](Profile& p) { p.motion.vibrato = swing(5.6, 30.0, 0.57); });
    EXPECT_GT(compareMotion({base(), doubtful}).likeness, compareMotion({base(), vibrato}).likeness + 10.0);
    const Profile swept = with([](Profile& p) { p.motion.filter = swing(0.5, 1.0); });
    EXPECT_EQ(compareMotion({swept, base()}).words, "no filter movement, reference 0.5 Hz");
}

TEST(FacetWords, OfBeatingVoicesNameTheirDistance) {
    const auto apart = [](double cents) {
        return with([&](Profile& p) {
            p.motion.detuneCents = cents;
            p.motion.detuneConfidence = 0.9;
        });
    };
    const Profile narrow = apart(8.0), wide = apart(26.0);
    EXPECT_EQ(compareMotion({narrow, wide}).words, "voices 26 cents apart, not 8");
    EXPECT_EQ(row(compareMotion({narrow, wide}), "Beating voices apart"), "8.0 ct | 26.0 ct | +18.0 ct");
    EXPECT_EQ(row(compareMotion({base(), wide}), "Beating voices apart").substr(0, 4), "none");
}

TEST(FacetWords, OfMotionAreNoneForNotesTooShort) {
    const Profile hasty = with([](Profile& p) { p.motion.noteCount = 0; });
    const FacetComparison facet = compareMotion({base(), hasty});
    EXPECT_FALSE(facet.measured);
    EXPECT_EQ(facet.words, "notes too short to measure");
}

TEST(FacetWords, OfWidthNameSideAndBalance) {
    const Profile narrow = with([](Profile& p) {
        p.width.sideDb -= 12.0;
        for (WidthBand& band : p.width.thirdOctaves) band.sideDb -= 12.0;
    });
    EXPECT_EQ(compareWidth({base(), narrow}).words, "side 12 dB weaker");
    const Profile leaning = with([](Profile& p) {
        p.width.balanceDb += 9.0;
        for (WidthBand& band : p.width.thirdOctaves) band.sideDb += 4.0;
    });
    EXPECT_EQ(compareWidth({base(), leaning}).words, "9.0 dB further right");
    const Profile mono = with([](Profile& p) {
        p.channelCount = 1;
        p.width = WidthProfile{};
    });
    EXPECT_EQ(compareWidth({mono, mono}).words, "mono recording");
    EXPECT_FALSE(compareWidth({mono, mono}).measured);
}

TEST(FacetWords, OfSpaceNameEchoesAndTails) {
    const auto echo = [](double seconds, double levelDb) {
        return with([&](Profile& p) {
            p.space.echo.seconds = seconds;
            p.space.echo.levelDb = levelDb;
            p.space.gapSeconds = std::max(0.2, p.space.gapSeconds);
        });
    };
    const Profile dry = with([](Profile& p) {
        p.space.echo = Echo{};
        p.space.gapSeconds = std::max(0.2, p.space.gapSeconds);
    });
    const Profile eighth = echo(0.25, -6.0), dotted = echo(0.375, -6.0), soft = echo(0.25, -22.0);
    EXPECT_EQ(compareSpace({eighth, dry}).words, "no echo, reference 250 ms");
    EXPECT_EQ(compareSpace({dry, eighth}).words, "echo of 250 ms, reference has none");
    EXPECT_EQ(compareSpace({eighth, dotted}).words, "echo 375 ms, not 250 ms");
    EXPECT_EQ(compareSpace({eighth, soft}).words, "echo 16 dB weaker");
    EXPECT_EQ(row(compareSpace({eighth, dotted}), "Echo time"), "250 ms | 375 ms | –");
    const Profile noPause = with([](Profile& p) { p.space = SpaceProfile{}; });
    EXPECT_EQ(compareSpace({noPause, noPause}).words, "no pause to hear a tail in");
}

TEST(WholeLikeness, IsHalfTheMeanAndHalfTheWorst) {
    std::vector<FacetComparison> facets;
    for (double likeness : {100.0, 80.0, 40.0}) {
        FacetComparison facet = begin(static_cast<Facet>(facets.size()));
        facet.measured = true;
        facet.likeness = likeness;
        facets.push_back(facet);
    }
    FacetComparison unmeasured = begin(Facet::brightness);
    unmeasured.likeness = 0.0;
    facets.push_back(unmeasured);
    // Missing: 0, 20 and 60; the mean is 26.7, the worst 60.
    EXPECT_NEAR(wholeLikeness(facets, equalWeights), 100.0 - 0.5 * 80.0 / 3.0 - 30.0, 1e-9);
    FacetWeights weights = equalWeights;
    weights[2] = 0.0; // set aside
    EXPECT_NEAR(wholeLikeness(facets, weights), 100.0 - 0.5 * 10.0 - 10.0, 1e-9);
    weights.fill(0.0); // when all is set aside, everything counts
    EXPECT_NEAR(wholeLikeness(facets, weights), wholeLikeness(facets, equalWeights), 1e-9);
}

} // namespace
} // namespace facet
