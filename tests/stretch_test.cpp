// Which part of a long phrase stands for the whole, and what it takes along.
#include "core/match/targets/segment.h"

#include "core/match/targets/prepared_target.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

constexpr double seconds = 12.0;

/// One note a second, all alike, but for two seconds near the end in which keys and velocities differ.
MatchTarget phrase() {
    MatchTarget target;
    target.reference = testing::soundOf(seconds, 48000, [](double t) { return 0.1 * std::sin(700.0 * t); });
    target.performance = testing::oneNote(48, 0.1, 0.6, seconds);
    target.performance.notes.clear();
    for (int i = 0; i < 8; ++i) target.performance.notes.push_back({i + 0.1, i + 0.6, 48, 0.0, 80.0});
    for (int i = 0; i < 4; ++i)
        target.performance.notes.push_back({9.0 + 0.5 * i, 9.4 + 0.5 * i, 40 + 9 * i, 0.0, 30.0 + 30.0 * i});
    target.performance.normalize();
    return target;
}

TEST(TellingSpan, IsWhereNotesDiffer) {
    const TimeSpan span = mostInformativeSpan(phrase(), 3.0);
    EXPECT_LE(span.begin, 9.0);
    EXPECT_GT(span.begin, 7.0);
    EXPECT_GE(span.end, 10.9) << "the last of them sounds to its end";
    EXPECT_LE(span.end - span.begin, 3.0 + 1e-9);
}

TEST(TellingSpan, BeginsBeforeANoteAndLiesWithinTheSound) {
    const MatchTarget target = phrase();
    for (double longest : {0.3, 1.0, 4.0, 60.0}) {
        const TimeSpan span = mostInformativeSpan(target, longest);
        EXPECT_GE(span.begin, 0.0);
        EXPECT_LE(span.end, seconds);
        EXPECT_LT(span.begin, span.end);
        EXPECT_LE(span.end - span.begin, longest + 1e-9);
        const auto& notes = target.performance.notes;
        EXPECT_TRUE(std::any_of(notes.begin(), notes.end(), [&](const Note& note) {
            return note.start >= span.begin && note.start < span.begin + (span.begin > 0.0 ? 0.05 : 0.4);
        })) << longest;
    }
}

TEST(TellingSpan, IsNotWhereTheProducerDoesNotListen) {
    MatchTarget target = phrase();
    target.leftOut = {{8.5, seconds}};
    EXPECT_LT(mostInformativeSpan(target, 3.0).begin, 8.0);
}

TEST(TellingSpan, OfLongNotesIsWhereTheyAre) {
    MatchTarget target = phrase();
    target.performance.notes = {{0.2, 0.3, 48, 0.0, 80.0}, {1.2, 1.3, 48, 0.0, 80.0}, {6.0, 9.0, 48, 0.0, 80.0}};
    const TimeSpan span = mostInformativeSpan(target, 3.5);
    EXPECT_NEAR(span.begin, 6.0, 0.05);
    EXPECT_GE(span.end, 9.0);
}

TEST(TellingSpan, BeginsWithTheRecordingWhereAllNotesAreAlike) {
    // So that a gate or an LFO that runs on through all notes stands where it is.
    MatchTarget target = phrase();
    std::erase_if(target.performance.notes, [](const Note& note) { return note.key != 48; });
    EXPECT_EQ(mostInformativeSpan(target, 2.0).begin, 0.0);
}

TEST(Stretch, HasTheSameSoundAndItsNotesAtTheirPlaces) {
    const MatchTarget whole = phrase();
    const MatchTarget part = segmentOf(whole, {8.9, 11.4});
    ASSERT_EQ(part.reference.frameCount(), 120000);
    EXPECT_EQ(part.performance.frames, 120000);
    const auto& from = whole.reference.channels[0];
    const auto& to = part.reference.channels[0];
    for (int i : {1000, 60000, 119000}) // clear of the edges
        EXPECT_EQ(to[static_cast<std::size_t>(i)], from[static_cast<std::size_t>(427200 + i)]);
    ASSERT_EQ(part.performance.notes.size(), 4u);
    for (std::size_t i = 0; i < 4; ++i) {
        const Note& note = part.performance.notes[i];
        EXPECT_NEAR(note.start, 0.1 + 0.5 * static_cast<double>(i), 1e-9);
        EXPECT_NEAR(note.end - note.start, 0.4, 1e-9);
        EXPECT_EQ(note.key, 40 + 9 * static_cast<int>(i));
    }
}

TEST(Stretch, ShiftsWhatMovesAndCutsWhatIsLeftOut) {
    MatchTarget whole = phrase();
    whole.performance.bends = {{8.0, 0.0}, {10.0, 100.0}};
    whole.performance.setCurve({std::string(wheelTarget), {{9.0, 0.0}, {11.0, 1.0}}});
    whole.leftOut = {{1.0, 2.0}, {8.0, 9.2}, {10.0, 10.5}, {11.0, 12.0}};
    const MatchTarget part = segmentOf(whole, {9.0, 11.5});
    EXPECT_NEAR(part.performance.bendAt(0.0), whole.performance.bendAt(9.0), 1e-9);
    EXPECT_NEAR(part.performance.bendAt(0.5), whole.performance.bendAt(9.5), 1e-9);
    const Curve* wheel = part.performance.curveOf(wheelTarget);
    ASSERT_TRUE(wheel);
    EXPECT_NEAR(valueAt(wheel->points, 1.0), 0.5, 1e-9);
    ASSERT_EQ(part.leftOut.size(), 3u);
    EXPECT_NEAR(part.leftOut[0].begin, 0.0, 1e-9);
    EXPECT_NEAR(part.leftOut[0].end, 0.2, 1e-9);
    EXPECT_NEAR(part.leftOut[1].begin, 1.0, 1e-9);
    EXPECT_NEAR(part.leftOut[1].end, 1.5, 1e-9);
    EXPECT_NEAR(part.leftOut[2].begin, 2.0, 1e-9);
    EXPECT_NEAR(part.leftOut[2].end, 2.5, 1e-9) << "no further than the stretch";
}

TEST(Stretch, HoldsANoteThatHasBegunBefore) {
    MatchTarget whole = phrase();
    whole.performance.notes = {{1.0, 5.0, 48, 0.0, 80.0}, {6.5, 7.0, 50, 0.0, 80.0}};
    const MatchTarget part = segmentOf(whole, {4.0, 6.0});
    ASSERT_EQ(part.performance.notes.size(), 1u);
    EXPECT_EQ(part.performance.notes.front().start, 0.0);
    EXPECT_NEAR(part.performance.notes.front().end, 1.0, 1e-9);
}

PreparedTarget prepared(const MatchTarget& target, const TargetSettings& settings = {}) {
    return PreparedTarget::prepare(target, 1.0, settings, {});
}

TEST(PreparedTargets, OfShortPhrasesAreWholeAndOfLongOnesAPart) {
    const PreparedTarget longer = prepared(phrase());
    const auto part = longer.segment(3.0, {});
    ASSERT_TRUE(part);
    EXPECT_LE(part->performance.seconds(), 3.0 + 1e-6);
    EXPECT_EQ(part->reference.frameCount(), part->performance.frames);
    EXPECT_EQ(part->performance.notes.size(), 4u);
    EXPECT_FALSE(longer.segment(10.0, {})) << "most of it anyway";
    EXPECT_LT(longer.searched({}, {}).performance.seconds(), 4.5);

    MatchTarget few = phrase();
    few = segmentOf(few, {8.9, 11.5});
    EXPECT_EQ(prepared(few).searched({}, {}).performance.frames, few.performance.frames);
}

TEST(PreparedTargets, LookNoHigherThanTheFocusNorThanTheRecordingReaches) {
    const auto bright = [](double t) { return 0.1 * (std::fmod(110.0 * t, 1.0) - 0.5); };
    MatchTarget full = phrase();
    full.reference = testing::soundOf(seconds, 48000, bright);
    TargetSettings focused;
    focused.focusHighHz = 3000.0;
    EXPECT_EQ(prepared(full, focused).upperHz, 3000.0);
    MatchTarget narrow = full; // 16 kHz: nothing above 7.2
    narrow.reference = testing::soundOf(seconds, 16000, bright);
    narrow.performance.rateHz = 16000;
    narrow.performance.frames = narrow.reference.frameCount();
    const PreparedTarget at48k = prepared(narrow);
    EXPECT_LE(at48k.upperHz, 7200.0 + 1e-6);
    EXPECT_EQ(at48k.performance.rateHz, 48000);
    EXPECT_EQ(at48k.reference.rateHz, 48000);
    EXPECT_NEAR(at48k.performance.seconds(), seconds, 1e-3);
}

} // namespace
} // namespace facet
