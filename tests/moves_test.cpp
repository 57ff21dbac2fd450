// Next moves: a damaged patch is named and mended, and what the producer holds fast stays.
#include "core/base/error.h"
#include "core/engine/compile/graph.h"
#include "core/engine/render.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/proposals/parameter_proposals.h"
#include "core/match/suggest/next_moves.h"
#include "core/parameters/relevance.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

namespace facet {
namespace {

const Address cutoff{"layer:a/filter:a", "cutoff"};
const Address decay{"layer:a/envelope:level", "decay"};
const Address sustain{"layer:a/envelope:level", "sustain"};
const Address wave{"layer:a/source:a", "wave"};
const Address tuning{"layer:a/source:a", "cents"};

Patch basePatch() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 900.0);
    patch.set(decay, 300.0);
    patch.set(sustain, 30.0);
    patch.set({"layer:a/envelope:level", "release"}, 90.0);
    return patch;
}

/// The right patch's render, and what looks for moves toward it from a phrase with another seed.
class NextMove : public ::testing::Test {
protected:
    Performance phrase = testing::oneNote(45, 0.05, 0.8, 1.3);
    MoveTarget reference;
    std::unique_ptr<MoveFinder> finder;
    MoveSettings settings;

    explicit NextMove(const Patch& right = basePatch()) {
        settings.planSeconds = 0.0; // what is damaged here needs no search
        const Recording sound = render(right, phrase);
        phrase.seed = 5;
        reference = targetOf(sound);
        finder = std::make_unique<MoveFinder>(std::vector{reference});
    }
    MoveTarget targetOf(const Recording& sound) const {
        return {std::make_shared<const Recording>(sound),
                std::make_shared<const Profile>(measureProfile(sound, phrase)), phrase};
    }
    NextMoves from(const Patch& patch) const { return finder->find(patch, settings); }
    static Patch with(const Address& address, double value) {
        Patch patch = basePatch();
        patch.set(address, value);
        return patch;
    }
};

TEST_F(NextMove, NamesAndMendsAValue) {
    const NextMoves moves = from(with(cutoff, 2600.0));
    ASSERT_FALSE(moves.best.empty());
    EXPECT_TRUE(moves.complete);
    const Move& best = moves.best.front();
    EXPECT_NEAR(best.patch.value(cutoff), 900.0, 60.0) << best.what;
    EXPECT_TRUE(best.what.starts_with("Filter cutoff 2.6 kHz → ")) << best.what;
    EXPECT_GT(best.likeness, 97.0);
    EXPECT_GT(best.likeness, moves.before + 5.0);
    EXPECT_GT(best.facets.front().after, best.facets.front().before);
    for (std::size_t i = 1; i < moves.best.size(); ++i) EXPECT_LE(moves.best[i].worth, moves.best[i - 1].worth);
    EXPECT_LE(moves.best.size(), settings.most);
}

TEST_F(NextMove, NamesAnotherWaveform) {
    const NextMoves moves = from(with(wave, static_cast<double>(Wave::triangle)));
    ASSERT_FALSE(moves.best.empty());
    EXPECT_EQ(moves.best.front().patch.value(wave), static_cast<double>(Wave::saw)) << moves.best.front().what;
}

TEST_F(NextMove, ProposesTwoThatHelpTogether) {
    Patch patch = with(cutoff, 1500.0);
    patch.set(tuning, 14.0);
    const NextMoves moves = from(patch);
    ASSERT_FALSE(moves.best.empty());
    const Patch& best = moves.best.front().patch;
    EXPECT_LT(best.value(cutoff), 1300.0) << moves.best.front().what;
    EXPECT_LT(best.value(tuning), 9.0) << moves.best.front().what;
}

TEST_F(NextMove, IsNoneWhereNothingIsMissing) {
    const NextMoves moves = from(basePatch());
    EXPECT_GT(moves.before, 96.0);
    for (const Move& move : moves.best) EXPECT_LE(move.likeness, 100.0);
    EXPECT_TRUE(moves.best.empty() || moves.best.front().likeness >= moves.before + 1.0);
}

TEST_F(NextMove, ObeysLocksAndRanges) {
    settings.limits.locks = {cutoff};
    settings.limits.ranges = {{decay, {500.0, 2000.0}}};
    std::size_t ofDecay = 0;
    for (const ProposalFamily& family : proposalFamilies({with(cutoff, 2600.0), settings.limits, *reference.profile})) {
        for (const Patch& patch : family.patches) {
            if (patch.find("layer:a/filter:a")) {
                EXPECT_EQ(patch.value(cutoff), 2600.0);
            }
        }
        EXPECT_NE(family.address, cutoff);
        if (family.address == decay)
            for (double value : family.values) {
                EXPECT_GE(value, 500.0);
                EXPECT_LE(value, 2000.0);
                ++ofDecay;
            }
    }
    EXPECT_GT(ofDecay, 0u) << "a range is a limit, not a lock";
    const std::vector<Move> moves = from(with(cutoff, 2600.0)).best;
    EXPECT_FALSE(moves.empty());
    for (const Move& move : moves) {
        EXPECT_EQ(move.patch.value(cutoff), 2600.0) << move.what;
        EXPECT_TRUE(move.patch.value(decay) == 300.0 || move.patch.value(decay) >= 500.0) << move.what;
    }
}

TEST_F(NextMove, OffersNothingThatWasRuledOutAndTakesNothingAwayThatIsInsistedOn) {
    Patch patch = basePatch();
    patch.add("reverb:a");
    patch.set({"reverb:a", "on"}, 1.0);
    const auto has = [](const Patch& of, Element element) {
        const auto elements = elementsOf(of);
        return std::any_of(elements.begin(), elements.end(),
                           [&](const PatchElement& each) { return each.element == element; });
    };
    const auto count = [&](const SearchLimits& limits, Element element, bool there) {
        std::ptrdiff_t sum = 0;
        for (const ProposalFamily& family : proposalFamilies({patch, limits, *reference.profile}))
            sum += std::count_if(family.patches.begin(), family.patches.end(),
                                 [&](const Patch& each) { return has(each, element) == there; });
        return sum;
    };
    SearchLimits limits;
    limits.ruledOut = {Element::saturation};
    limits.insisted = {Element::reverb};
    EXPECT_GT(count({}, Element::saturation, true), 0);
    EXPECT_EQ(count(limits, Element::saturation, true), 0);
    EXPECT_GT(count({}, Element::reverb, false), 0);
    EXPECT_EQ(count(limits, Element::reverb, false), 0);
}

TEST_F(NextMove, TakesValuesThatPeopleWouldType) {
    Patch patch = basePatch();
    std::size_t semitones = 0;
    for (const ProposalFamily& family : proposalFamilies({patch, {}, *reference.profile})) {
        if (family.address.field != "semitone") continue;
        for (double value : family.values) EXPECT_EQ(value, std::round(value));
        semitones += family.values.size();
    }
    EXPECT_GT(semitones, 0u);
    EXPECT_EQ(withTypedValue(patch, cutoff, 1234.5678).value(cutoff), 1230.0);
    EXPECT_EQ(withTypedValue(patch, {"layer:a/source:a", "semitone"}, 6.7).value({"layer:a/source:a", "semitone"}),
              7.0);
}

TEST_F(NextMove, TellsAFirstListAndStopsWhenItIsDropped) {
    std::vector<bool> shown;
    finder->find(with(cutoff, 2600.0), settings, {}, [&](const NextMoves& list) { shown.push_back(list.complete); });
    EXPECT_EQ(shown, (std::vector<bool>{false, true}));
    std::stop_source stop;
    EXPECT_THROW(finder->find(with(cutoff, 2600.0), settings, {.stop = stop.get_token(), .progress = {}},
                              [&](const NextMoves&) { stop.request_stop(); }),
                 Cancelled);
}

TEST_F(NextMove, CanBeLookedForInEveryFixture) {
    for (const std::string& name : testing::fixtureNames()) {
        const auto families = proposalFamilies({testing::fixturePatch(name), {}, *reference.profile});
        EXPECT_GT(families.size(), 30u) << name;
        for (const ProposalFamily& family : families) {
            ASSERT_FALSE(family.patches.empty());
            if (family.continuous()) {
                EXPECT_EQ(family.values.size(), family.patches.size());
                EXPECT_TRUE(std::is_sorted(family.values.begin(), family.values.end())) << family.address.text();
            }
            for (const Patch& patch : family.patches) EXPECT_NO_THROW(compile(patch)) << name;
        }
    }
}

TEST_F(NextMove, AddsWhatTheReferenceDoesPeriodically) {
    Patch trembling = basePatch();
    trembling.set(sustain, 100.0);
    trembling.add("layer:a/lfo:a");
    trembling.set({"layer:a/lfo:a", "rate"}, 6.0);
    trembling.add("link:a");
    ModuleData ends;
    ends.from = "layer:a/lfo:a";
    ends.to = "layer:a/source:a/cents";
    trembling.setData("link:a", ends);
    trembling.set({"link:a", "amount"}, 30.0);
    phrase = testing::oneNote(57, 0.05, 1.6, 2.0);
    reference = targetOf(render(trembling, phrase));
    ASSERT_TRUE(reference.profile->motion.vibrato.found());
    const MoveFinder other({reference});
    Patch still = basePatch();
    still.set(sustain, 100.0);
    const NextMoves moves = other.find(still, settings);
    ASSERT_FALSE(moves.best.empty());
    const Patch& best = moves.best.front().patch;
    const auto lfo = std::find_if(best.modules().begin(), best.modules().end(),
                                  [](const auto& module) { return module.kind == ModuleKind::lfo; });
    ASSERT_NE(lfo, best.modules().end()) << moves.best.front().what;
    EXPECT_NEAR(best.value({lfo->path, "rate"}), 6.0, 0.2);
    EXPECT_GT(moves.best.front().likeness, moves.before + 10.0);
}

/// The sound of a bass whose filter closes, and the empty patch.
class MovesFromEmpty : public NextMove {
protected:
    static Patch right() {
        Patch patch;
        patch.set({"layer:a/filter:a", "on"}, 1.0);
        patch.set(cutoff, 170.0);
        patch.set({"layer:a/filter:a", "envelope"}, 40.0);
        patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
        patch.set({"layer:a/envelope:filter", "decay"}, 300.0);
        patch.set(decay, 600.0);
        patch.set(sustain, 40.0);
        patch.set({"layer:a/envelope:level", "release"}, 90.0);
        return patch;
    }
    // The search for a plan ends by its renders, so that a slow machine finds the same one.
    MovesFromEmpty() : NextMove(right()) {
        settings.planSeconds = 600.0;
        settings.planEvaluations = 300;
    }
};

TEST_F(MovesFromEmpty, BeginWithWhatTheRecordingTells) {
    const NextMoves moves = from(Patch());
    ASSERT_GE(moves.best.size(), 2u);
    const auto closes = std::find_if(moves.best.begin(), moves.best.end(), [](const Move& each) {
        return each.what.starts_with("Close the filter: low-pass");
    });
    ASSERT_NE(closes, moves.best.end());
    EXPECT_LT(closes - moves.best.begin(), 2) << moves.best.front().what;
    EXPECT_NE(closes->why.find("cutoff"), std::string::npos) << closes->why;
    EXPECT_TRUE(isMeasured(closes->onceAll));
    EXPECT_GT(closes->onceAll, 5.0);
    EXPECT_GE(closes->facets.size(), 1u);
    std::set<std::string> ideas;
    for (const Move& move : moves.best) {
        EXPECT_TRUE(ideas.insert(move.idea).second) << "one idea twice: " << move.idea;
        EXPECT_EQ(move.what.find("feedback"), std::string::npos) << "around filters that are off nothing feeds back";
        EXPECT_EQ(move.what.find("transpose"), std::string::npos) << move.what;
        EXPECT_FALSE(move.facets.empty());
    }
}

TEST_F(MovesFromEmpty, WhatWasDeclinedIsNotProposedAgain) {
    const NextMoves all = from(Patch());
    ASSERT_FALSE(all.best.empty());
    settings.declined = {all.best.front().idea};
    const NextMoves others = from(Patch());
    for (const Move& move : others.best) EXPECT_NE(move.idea, all.best.front().idea) << move.what;
}

TEST_F(MovesFromEmpty, CanBeAboutOneFacetOrOneModule) {
    settings.facet = Facet::level;
    const NextMoves level = from(Patch());
    ASSERT_FALSE(level.best.empty());
    for (const Move& move : level.best)
        EXPECT_TRUE(std::any_of(move.facets.begin(), move.facets.end(), [](const FacetGain& each) {
            return each.facet == Facet::level && each.after > each.before;
        })) << move.what;
    settings.facet.reset();
    settings.module = "layer:a/envelope:level";
    const NextMoves envelope = from(Patch());
    ASSERT_FALSE(envelope.best.empty());
    for (const Move& move : envelope.best) {
        bool touches = false;
        for (const Address& address : changedAddresses(Patch(), move.patch))
            touches = touches || address.module == settings.module;
        EXPECT_TRUE(touches) << move.what;
    }
}

TEST_F(MovesFromEmpty, OneAfterAnotherLeadNearTheSound) {
    Patch patch;
    double likeness = 0.0;
    for (int taken = 0; taken < 6 && likeness < 92.0; ++taken) {
        const NextMoves moves = from(patch);
        if (moves.best.empty()) break;
        patch = moves.best.front().patch;
        likeness = moves.best.front().likeness;
    }
    EXPECT_GT(likeness, 85.0);
}

TEST_F(NextMove, SeveralExcerptsAreRankedTogetherByWeight) {
    const Patch open = with(cutoff, 1800.0);
    const MoveTarget& darker = reference;
    MoveTarget brighter = targetOf(render(open, phrase));
    const double unlike = from(open).before;
    const NextMoves alone = from(open);
    ASSERT_FALSE(alone.best.empty());
    EXPECT_NEAR(alone.best.front().patch.value(cutoff), 900.0, 120.0);

    const NextMoves both = MoveFinder({darker, brighter}).find(open, settings);
    EXPECT_NEAR(both.before, 0.5 * (unlike + 100.0), 1.5) << "the second is met already";
    brighter.weight = 9.0; // what would help the first alone costs more than it gains
    const NextMoves second = MoveFinder({darker, brighter}).find(open, settings);
    EXPECT_NEAR(second.before, 0.1 * unlike + 0.9 * 100.0, 1.5);
    for (const Move& move : second.best) EXPECT_GT(move.patch.value(cutoff), 1400.0) << move.what;
}

} // namespace
} // namespace facet
