// What many sounds of known making teach of another: summaries, odds, and what they count.
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/match/element_evidence.h"
#include "core/prior/element_odds.h"
#include "core/prior/sound_summary.h"
#include "core/match/proposals/added_element.h"
#include "core/match/evidence/motion_odds.h"
#include "core/match/evidence/story_odds.h"
#include "core/match/search/score.h"
#include "core/performance/midi_file.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

/// A line of eight notes of two velocities with gaps between them, and time to ring out.
Performance line() {
    Performance played;
    const int keys[] = {45, 52, 57, 48, 55, 60, 50, 57};
    for (int i = 0; i < 8; ++i)
        played.notes.push_back({0.05 + 0.4 * i, 0.33 + 0.4 * i, keys[i], 0.0, i % 3 == 0 ? 110.0 : 70.0});
    played.frames = static_cast<int>(4.2 * analysisRateHz);
    return played;
}

Patch plain() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 1800.0);
    patch.set({"layer:a/envelope:level", "release"}, 40.0);
    return patch;
}

Recording played(const Patch& patch, const Performance& performance = line()) {
    return std::move(renderAt48k({&patch, 1}, performance).front());
}

TEST(SoundSummary, HasOneSizeAndIsFiniteForAnySound) {
    const auto size = static_cast<std::size_t>(summarySize());
    EXPECT_GT(size, 500u);
    Performance one;
    one.notes = {{0.0, 0.02, 127, 0.0, 1.0}};
    one.frames = 2400;
    Recording silence;
    silence.channels.assign(1, std::vector<float>(2400));
    for (const Recording& sound : {silence, played(plain(), one)}) {
        const std::vector<float> summary = soundSummary(sound, one);
        EXPECT_EQ(summary.size(), size);
        EXPECT_TRUE(std::all_of(summary.begin(), summary.end(), [](float x) { return std::isfinite(x); }));
    }
    Performance late = one; // notes beyond the end of what was recorded
    late.notes.push_back({3.0, 4.0, 0, 0.0, 127.0});
    EXPECT_EQ(soundSummary(silence, late).size(), size);
    EXPECT_THROW(soundSummary(silence, Performance{}), Error);
}

TEST(SoundSummary, DoesNotDependOnLoudness) {
    const Recording loud = played(plain());
    const std::vector<float> one = soundSummary(loud, line()), other = soundSummary(withGain(loud, -18.0), line());
    const auto differ = [&](float by) {
        int count = 0;
        for (std::size_t i = 0; i < one.size(); ++i) count += std::abs(one[i] - other[i]) > by;
        return count;
    };
    EXPECT_LE(differ(0.05f), 2) << "where a level has two equal peaks, the later may be the highest";
    EXPECT_EQ(differ(1.0f), 0);
}

TEST(SoundSummary, OfOneChannelIsThatOfTwoAlike) {
    Recording two = played(plain()), one = two;
    two.channels[1] = two.channels[0];
    one.channels.resize(1);
    const std::vector<float> a = soundSummary(one, line()), b = soundSummary(two, line());
    for (std::size_t i = 0; i < a.size(); ++i) EXPECT_NEAR(a[i], b[i], 0.05) << "number " << i;
}

TEST(ElementOdds, RiseWithWhatIsAddedToAPatch) {
    // Each is told from the same sound without it. Settings are the middling ones of withElements().
    const ElementOdds before = elementOdds(played(plain()), line());
    ASSERT_TRUE(before.known());
    for (const Element each : {Element::reverb, Element::delay, Element::chorus, Element::stacked, Element::reduction,
                               Element::gate, Element::vibrato, Element::otherSource, Element::sweptFilter}) {
        const ElementOdds with = elementOdds(played(withElements(plain(), {each})), line());
        EXPECT_GT(with.of(each), before.of(each) + 0.5) << wordOf(each);
    }
}

ElementOdds oddsInDemo(const std::string& name) {
    const Recording recording = readAudio(std::string(FACET_SOURCE_DIR "/demo/") + name + ".flac");
    Performance performance = readMidi(std::string(FACET_SOURCE_DIR "/demo/") + name + ".mid");
    performance.rateHz = recording.rateHz;
    performance.frames = recording.frameCount();
    performance.channelCount = recording.channelCount();
    return elementOdds(atRate(recording, analysisRateHz), performance);
}

TEST(ElementOdds, TellElementsOfAnotherProgramsSounds) {
    EXPECT_GT(oddsInDemo("comet-tail-echoes").of(Element::delay), oddsInDemo("comet-tail").of(Element::delay) + 0.5);
    EXPECT_GT(oddsInDemo("beacon").of(Element::gate), oddsInDemo("airlock").of(Element::gate) + 0.5);
    EXPECT_GT(oddsInDemo("airlock").of(Element::lowPass), 0.0);
}

TEST(ElementOdds, KnowNothingOfASoundWithoutNotes) {
    Recording silence;
    silence.channels.assign(2, std::vector<float>(48000));
    const ElementOdds none = elementOdds(silence, {});
    EXPECT_FALSE(none.known());
    EXPECT_EQ(none.of(Element::reverb), 0.0);
    EXPECT_EQ(none.probabilityOf(Element::reverb), 0.5);
    EXPECT_TRUE(likelihoodOf(Element::reverb, none).empty());
}

ElementOdds oddsOf(Element element, float logarithm) {
    std::array<float, elementCount> all{};
    all[static_cast<std::size_t>(element)] = logarithm;
    return ElementOdds(all);
}

TEST(ElementOdds, ArePartOfWhatAPatchIsWorth) {
    const Patch start, room = withElements(start, {Element::reverb});
    const auto worth = [&](const ElementOdds& odds) { return worthOf(room, 90.0, 1.0, start, odds); };
    EXPECT_GT(worth(oddsOf(Element::reverb, 0.5f)), worth({}));
    EXPECT_LT(worth(oddsOf(Element::reverb, -2.0f)), worth({}));
    EXPECT_EQ(worth(oddsOf(Element::reverb, -9.0f)), worth(oddsOf(Element::reverb, -5.0f)))
        << "no certainty beyond what was seen";
    EXPECT_LE(worth(oddsOf(Element::reverb, 9.0f)), worthOf(start, 90.0, 1.0, start))
        << "what is likely must be heard too";
    EXPECT_EQ(worth(oddsOf(Element::chorus, 2.0f)), worth({})) << "what the patch has not is no merit of it";
    EXPECT_GT(worthOf(start, 90.0, 1.0, start, oddsOf(Element::saw, -3.0f)), 83.0)
        << "nor is what it began with a fault";
}

TEST(ElementOdds, AreKnownBetterOnceThePartialsTellWhatTheCutoffFollows) {
    const auto told = [](double velocity, double perOctave, bool filtered = true) {
        SourceFilterFit fit;
        fit.filtered = filtered;
        fit.cutoff.velocity = velocity;
        fit.cutoff.perOctave = perOctave;
        return std::vector{fit};
    };
    const ElementOdds before = oddsOf(Element::reverb, 2.4f);
    const ElementOdds none = withStories(before, told(0.0, 0.0)), both = withStories(before, told(1.0, 0.5));
    EXPECT_LT(none.of(Element::velocityToFilter), -0.3);
    EXPECT_LT(none.of(Element::keyTracking), -1.0);
    EXPECT_GT(both.of(Element::velocityToFilter), 1.0);
    EXPECT_LT(both.of(Element::keyTracking), 0.0) << "it makes up for other things as often";
    EXPECT_GT(both.of(Element::keyTracking), none.of(Element::keyTracking) + 0.8);
    EXPECT_EQ(both.of(Element::reverb), before.of(Element::reverb)) << "of that they tell nothing";
    MotionProfile motion;
    EXPECT_EQ(withMeasuredMotion(before, motion).of(Element::tremolo), before.of(Element::tremolo));
    motion.tremolo.rateHz = 6.0;
    EXPECT_GT(withMeasuredMotion(before, motion).of(Element::tremolo), 1.0) << "a tremolo that was measured";
    EXPECT_FALSE(withMeasuredMotion(ElementOdds{}, motion).known()) << "where nothing is known nothing is made up";
    EXPECT_EQ(withStories(before, {}).of(Element::keyTracking), before.of(Element::keyTracking));
    EXPECT_EQ(withStories(before, told(1.0, 0.5, false)).of(Element::keyTracking), before.of(Element::keyTracking));
}

TEST(ElementOdds, AreSaidInWordsWhereTheyAreClear) {
    EXPECT_EQ(likelihoodOf(Element::reverb, oddsOf(Element::reverb, 2.4f)), "92 of 100 sounds like it have it");
    EXPECT_EQ(likelihoodOf(Element::reverb, oddsOf(Element::reverb, -2.4f)), "only 8 of 100 sounds like it have it");
    EXPECT_TRUE(likelihoodOf(Element::reverb, oddsOf(Element::reverb, 0.1f)).empty());
    const Profile nothing;
    EXPECT_TRUE(evidenceIn(nothing, oddsOf(Element::reverb, 2.4f)).contains(Element::reverb));
    EXPECT_FALSE(evidenceIn(nothing, oddsOf(Element::reverb, -2.4f)).contains(Element::reverb))
        << "that speaks against it";
}

} // namespace
} // namespace facet
