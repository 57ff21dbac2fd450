// What counts as simpler, and by how much the simpler of two wins.
#include "core/match/proposals/simplifications.h"

#include "core/match/search/candidate.h"
#include "core/match/search/score.h"
#include "core/match/proposals/links.h"

#include <algorithm>
#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string first = "layer:a/source:a", second = "layer:a/source:b", filter = "layer:a/filter:a";

Patch withWave(const std::string& source, Wave wave) {
    Patch patch;
    patch.set({source, "on"}, 1.0);
    patch.set({source, "wave"}, static_cast<double>(wave));
    return patch;
}

Patch withReverb(Patch patch) {
    patch.add("reverb:a");
    patch.set({"reverb:a", "on"}, 1.0);
    return patch;
}

TEST(Handicap, IsOneForWhatHasNoMoreThanItBeganWith) {
    const Patch start;
    EXPECT_EQ(handicapOf(start, start), 1.0);
    EXPECT_EQ(handicapOf(withReverb(start), withReverb(start)), 1.0);
    EXPECT_EQ(handicapOf(start, withReverb(start)), 1.0) << "less is no merit of its own";
}

TEST(Handicap, GrowsWithEachThingThatIsHeard) {
    const Patch start;
    const Patch room = withReverb(start);
    Patch two = withWave(second, Wave::saw);
    EXPECT_GT(handicapOf(room, start), 1.0);
    EXPECT_EQ(handicapOf(two, start), handicapOf(room, start)) << "a source as an effect";
    EXPECT_GT(handicapOf(withReverb(two), start), handicapOf(room, start));
    Patch off = room;
    off.set({"reverb:a", "on"}, 0.0);
    EXPECT_EQ(handicapOf(off, start), 1.0) << "what is off is not heard";
    Patch linked = start;
    addLink(linked, "velocity", "layer:a/level", 6.0);
    EXPECT_GT(handicapOf(linked, start), 1.0);
}

TEST(Handicap, IsLargeForCyclesThatWereTakenFromTheRecording) {
    const Patch start;
    const double cycles = handicapOf(withWave(first, Wave::wavetable), start),
                 partials = handicapOf(withWave(first, Wave::harmonics), start);
    EXPECT_GT(cycles, 1.25);
    EXPECT_GT(partials, 1.05);
    EXPECT_LT(partials, cycles);
    const Patch own = withWave(first, Wave::wavetable);
    EXPECT_EQ(handicapOf(own, own), 1.0) << "the producer's own";
}

TEST(Simpler, IsOneThingLessEach) {
    Patch patch = withReverb(withWave(second, Wave::saw));
    patch.set({filter, "on"}, 1.0);
    patch.set({first, "voices"}, 3.0);
    patch.set({first, "wave"}, static_cast<double>(Wave::saw));
    addLink(patch, "velocity", "layer:a/level", 6.0);
    const auto simpler = simplerThan(patch, {});
    const auto any = [&](auto&& is) { return std::any_of(simpler.begin(), simpler.end(), is); };
    EXPECT_TRUE(any([](const Patch& p) { return !p.find("reverb:a"); }));
    EXPECT_TRUE(any([](const Patch& p) { return !p.find("link:a"); }));
    EXPECT_TRUE(any([](const Patch& p) { return p.value({first, "on"}) < 0.5; }));
    EXPECT_TRUE(any([](const Patch& p) { return p.value({second, "on"}) < 0.5; }));
    EXPECT_TRUE(any([](const Patch& p) { return p.value({filter, "on"}) < 0.5; }));
    EXPECT_TRUE(any([](const Patch& p) { return p.value({first, "voices"}) == 1.0; }));
    for (const Patch& each : simpler) {
        const int less = !each.find("reverb:a") + !each.find("link:a") + (each.value({first, "on"}) < 0.5) +
                         (each.value({second, "on"}) < 0.5) + (each.value({filter, "on"}) < 0.5) +
                         (each.value({first, "voices"}) == 1.0);
        EXPECT_EQ(less, 1);
    }
}

TEST(Simpler, LeavesWhatIsLockedAndTheLastThatSounds) {
    Patch stacked = withReverb(withWave(first, Wave::saw));
    stacked.set({first, "voices"}, 5.0);
    SearchLimits held;
    held.locks.insert({"reverb:a", "mix"});
    std::vector<Patch> simpler = simplerThan(stacked, held);
    ASSERT_EQ(simpler.size(), 1u) << "one voice; the reverb is locked, and one source must sound";
    EXPECT_TRUE(simpler.front().find("reverb:a"));
    EXPECT_EQ(simpler.front().value({first, "on"}), 1.0);
    EXPECT_EQ(simpler.front().value({first, "voices"}), 1.0);
    held.locks = {{first, "voices"}};
    simpler = simplerThan(stacked, held);
    ASSERT_EQ(simpler.size(), 1u) << "without the reverb";
    EXPECT_EQ(simpler.front().value({first, "voices"}), 5.0);
}

TEST(Construction, IsWhatAPatchIsMadeOfAndNotItsValues) {
    Patch stacked = withWave(first, Wave::saw);
    stacked.set({first, "voices"}, 3.0);
    stacked.set({filter, "on"}, 1.0);
    Patch other = stacked;
    other.set({first, "voices"}, 7.0);
    other.set({filter, "cutoff"}, 300.0);
    EXPECT_EQ(constructionOf(stacked), constructionOf(other));
    other.set({filter, "slope"}, 0.0);
    EXPECT_NE(constructionOf(stacked), constructionOf(other)) << "12 dB are not 24";
    EXPECT_NE(constructionOf(stacked), constructionOf(withReverb(stacked)));
    EXPECT_NE(constructionOf(stacked), constructionOf(withWave(first, Wave::saw)));
}

TEST(Worth, IsLikenessFirstThenTheLossThenSimplicity) {
    const Patch start, room = withReverb(start);
    EXPECT_GT(worthOf(start, 90.0, 1.0, start), worthOf(start, 80.0, 1.0, start));
    EXPECT_GT(worthOf(start, 90.0, 0.8, start), worthOf(start, 90.0, 1.0, start));
    EXPECT_GT(worthOf(start, 90.0, 1.0, start), worthOf(room, 90.0, 1.0, start)) << "the simpler at equal likeness";
    EXPECT_LT(worthOf(start, 90.0, 1.0, start), worthOf(room, 92.0, 1.0, start)) << "but not at two less";
    EXPECT_LT(worthOf(withWave(first, Wave::wavetable), 95.0, 1.0, start), worthOf(start, 90.0, 1.0, start))
        << "cycles win by far or not at all";
}

} // namespace
} // namespace facet
