// What still goes round between a reference and a render: sounds that differ by one LFO, whose values are known.
#include "core/engine/render.h"
#include "core/match/evidence/residual_motion.h"
#include "core/match/starts/motion_additions.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::link;

/// Four notes under a low-pass.
Performance phrase() {
    Performance notes = testing::oneNote(45, 0.05, 0.95, 4.2);
    const Note first = notes.notes.front();
    notes.notes.clear();
    double at = 0.05;
    for (const int key : {45, 52, 48, 57}) {
        Note note = first;
        note.key = key;
        note.start = at;
        note.end = at + 0.9;
        notes.notes.push_back(note);
        at += 1.0;
    }
    return notes;
}

Patch still() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 900.0);
    return patch;
}

Patch moved(const std::string& to, double amount, double rateHz) {
    Patch patch = still();
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "mode"}, static_cast<double>(LfoMode::free));
    patch.set({"layer:a/lfo:a", "rate"}, rateHz);
    patch.set({"layer:a/lfo:a", "phase"}, 90.0);
    link(patch, "layer:a/lfo:a", to, amount);
    return patch;
}

ResidualMotions between(const Patch& reference, const Patch& patch) {
    const Performance notes = phrase();
    return residualMotions(render(reference, notes), render(patch, notes), 2);
}

/// What is proposed for a still patch where the recording's cutoff sways.
std::vector<ElementProposal> proposed(const SearchLimits& limits) {
    const Performance notes = phrase();
    const Patch patch = still();
    const Recording swaying = render(moved("layer:a/filter:a/cutoff", 12.0, 0.7), notes), sound = render(patch, notes);
    const Profile profile = measureProfile(swaying, notes);
    return withMotions({patch, limits, profile}, swaying, sound);
}

TEST(ResidualMotion, OfACutoffHasItsRateAndPhase) {
    const ResidualMotions left = between(moved("layer:a/filter:a/cutoff", 12.0, 0.7), still());
    ASSERT_FALSE(left.brightness.empty());
    EXPECT_NEAR(left.brightness.front().rateHz, 0.7, 0.05);
    EXPECT_NEAR(std::remainder(left.brightness.front().phase - 0.25, 1.0), 0.0, 0.08);
    EXPECT_GT(left.brightness.front().share, 0.5);
    const auto proposals = proposed({});
    const auto lfo = std::find_if(proposals.begin(), proposals.end(),
                                  [](const ElementProposal& each) { return each.element == Element::filterLfo; });
    ASSERT_NE(lfo, proposals.end());
    EXPECT_NEAR(lfo->patch.value({"layer:a/lfo:a", "rate"}), left.brightness.front().rateHz, 1e-6);
}

TEST(ResidualMotion, OfALevelHasItsDepth) {
    const ResidualMotions left = between(moved("layer:a/level", 3.0, 5.2), still());
    ASSERT_FALSE(left.level.empty());
    EXPECT_NEAR(left.level.front().rateHz, 5.2, 0.1);
    EXPECT_NEAR(left.level.front().depth, 3.0, 0.6);
}

TEST(ResidualMotion, IsNoneBetweenEqualSounds) {
    const ResidualMotions left = between(still(), still());
    EXPECT_TRUE(left.brightness.empty());
    EXPECT_TRUE(left.level.empty());
    // What is softer throughout does not go round.
    Patch softer = still();
    softer.set({"layer:a", "level"}, -6.0);
    EXPECT_TRUE(between(still(), softer).level.empty());
}

TEST(ResidualMotion, ProposesNothingThatIsLocked) {
    SearchLimits limits;
    limits.locks = {{"layer:a/filter:a", "cutoff"}, {"layer:a/source:b", "on"}};
    const auto proposals = proposed(limits);
    EXPECT_FALSE(proposals.empty());
    for (const ElementProposal& each : proposals) {
        EXPECT_NE(each.element, Element::filterLfo);
        EXPECT_EQ(each.patch.value({"layer:a/source:b", "on"}), 0.0);
    }
}

} // namespace
} // namespace facet
