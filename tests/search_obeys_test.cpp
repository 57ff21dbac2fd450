// What a producer asks of a search beside the sound: several recordings, parts that count, ties, a place to begin.
#include "core/engine/render.h"
#include "core/match/match.h"
#include "core/match/report.h"
#include "core/match/optimize/search_space.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

const std::string filter = "layer:a/filter:a", level = "layer:a/envelope:level", opening = "layer:a/envelope:filter";
const Address cutoff{filter, "cutoff"}, tracking{filter, "key_tracking"};

Patch filtered(double hz, double keyTracking = 0.0) {
    Patch patch;
    patch.set({filter, "on"}, 1.0);
    patch.set(cutoff, hz);
    patch.set(tracking, keyTracking);
    patch.set({level, "sustain"}, 60.0);
    patch.set({level, "decay"}, 200.0);
    return patch;
}

Performance played(std::initializer_list<int> keys) {
    Performance performance = testing::oneNote(60, 0.05, 0.35, 0.15 + 0.4 * static_cast<double>(keys.size()));
    performance.notes.clear();
    double at = 0.05;
    for (int key : keys) {
        performance.notes.push_back({at, at + 0.3, key, 0.0, 100.0});
        at += 0.4;
    }
    return performance;
}

MatchSettings quick(int evaluations) {
    MatchSettings settings;
    settings.seconds = 0.0;
    settings.evaluations = evaluations;
    return settings;
}

double octaves(double a, double b) { return std::abs(std::log2(a / b)); }

TEST(SeveralRecordings, TellTogetherWhatNoneTellsAlone) {
    // Each holds one pitch; how the filter follows the keys lies between them.
    const Patch right = filtered(900.0, 80.0);
    const Performance low = played({40, 40, 40}), high = played({64, 64, 64});
    MatchSettings settings = quick(400);
    settings.goOnWith = {filtered(700.0)};
    const auto names = [](const MatchResult& result, const Address& address) {
        return std::find(result.unidentifiable.begin(), result.unidentifiable.end(), address) !=
               result.unidentifiable.end();
    };
    const MatchResult one = match(render(right, low), low, settings);
    const Patch& alone = one.best.patch;
    EXPECT_EQ(alone.value(tracking), 0.0) << "one pitch does not tell: it stays where it was";
    EXPECT_TRUE(names(one, tracking));
    EXPECT_FALSE(names(one, cutoff));
    EXPECT_NE(matchReport(one).find(tracking.text()), std::string::npos);
    const MatchResult both = match({{render(right, low), low}, {render(right, high), high}}, settings);
    EXPECT_FALSE(names(both, tracking));
    EXPECT_NEAR(both.best.patch.value(tracking), 80.0, 25.0);
    EXPECT_LT(octaves(both.best.patch.value(cutoff), 900.0), 0.3);

    const Recording reference = render(right, high);
    const Profile profile = measureProfile(reference, high);
    EXPECT_GT(score(both.best.patch, reference, profile, high, 1).likeness,
              score(alone, reference, profile, high, 1).likeness);
}

TEST(SeveralRecordings, CountByTheirWeights) {
    const Performance notes = played({45, 45});
    const Recording dark = render(filtered(400.0), notes), bright = render(filtered(3200.0), notes);
    const auto found = [&](double ofDark, double ofBright) {
        MatchSettings settings = quick(250);
        settings.start = filtered(1100.0);
        settings.goOnWith = {settings.start};
        for (const Address& address : settings.start.addresses())
            if (address != cutoff) settings.limits.locks.insert(address);
        return match({{dark, notes, ofDark}, {bright, notes, ofBright}}, settings).best.patch.value(cutoff);
    };
    EXPECT_LT(octaves(found(1.0, 0.02), 400.0), 0.5);
    EXPECT_LT(octaves(found(0.02, 1.0), 3200.0), 0.5);
}

TEST(Attention, WhatIsLeftOutDoesNotCount) {
    // A crash of noise on the second note, which the producer leaves out.
    const Performance notes = played({45, 48, 52});
    Recording reference = render(filtered(800.0), notes);
    std::uint32_t state = 1;
    for (auto& channel : reference.channels)
        for (std::size_t i = 21600; i < 40800; ++i) {
            state = 1664525u * state + 1013904223u; // W. H. Press et al., "Numerical Recipes", 1992, sect. 7.1
            channel[i] += 0.2f * (static_cast<float>(state >> 8) / 8388608.0f - 1.0f);
        }
    MatchTarget target{reference, notes};
    target.leftOut = {{0.44, 0.86}};
    MatchSettings settings = quick(250);
    settings.goOnWith = {filtered(1500.0)};
    const MatchResult without = match({target}, settings);
    EXPECT_LT(octaves(without.best.patch.value(cutoff), 800.0), 0.25);
    EXPECT_GT(without.best.likeness, 90.0);
    target.leftOut.clear();
    EXPECT_LT(match({target}, settings).best.likeness, without.best.likeness - 10.0);
}

TEST(Attention, WhatLiesOutsideTheFocusDoesNotCount) {
    const Performance notes = played({45, 48, 52});
    const Recording clean = render(filtered(800.0), notes);
    Recording reference = clean;
    for (auto& channel : reference.channels)
        for (std::size_t i = 0; i < channel.size(); ++i)
            channel[i] +=
                static_cast<float>(0.1 * std::sin(2.0 * std::numbers::pi * 9000.0 / 48000.0 * static_cast<double>(i)));
    MatchSettings settings = quick(250);
    settings.goOnWith = {filtered(1500.0)};
    const double distracted = match(reference, notes, settings).best.likeness;
    settings.focusHighHz = 5000.0;
    const MatchResult focused = match(reference, notes, settings);
    EXPECT_LT(octaves(focused.best.patch.value(cutoff), 800.0), 0.2);
    EXPECT_GT(focused.best.likeness, 95.0);
    EXPECT_LT(distracted, focused.best.likeness - 10.0);
    // As if it were not there: to the level at which it plays.
    const MatchResult plain = match(clean, notes, settings);
    EXPECT_NEAR(focused.best.patch.value({"output", "level"}), plain.best.patch.value({"output", "level"}), 0.5);
}

TEST(GoingOn, LosesNothingOfWhatWasFound) {
    const Performance notes = played({45, 52});
    const Recording reference = render(filtered(700.0, 50.0), notes);
    const MatchResult first = match(reference, notes, quick(150));
    MatchSettings further = quick(300);
    further.goOnWith = {first.best.patch};
    const MatchResult second = match(reference, notes, further);
    EXPECT_LE(second.best.loss, 1.02 * first.best.loss);
    EXPECT_LE(second.evaluations, 300);
}

TEST(AShortSearch, UndoesNoWork) {
    // A patch made by hand, nearly right, and no time to come near it from anywhere else.
    const Performance phrase = played({45, 52});
    Patch right = filtered(900.0);
    right.set({"layer:a/envelope:level", "attack"}, 40.0);
    const Recording reference = render(right, phrase);
    right.set(cutoff, 940.0);
    for (int evaluations : {1, 20, 90}) {
        MatchSettings settings = quick(evaluations);
        settings.start = right;
        const MatchResult result = match(reference, phrase, settings);
        EXPECT_GE(result.best.comparison.likeness, result.before.comparison.likeness - 0.5) << evaluations;
        if (evaluations == 1) {
            EXPECT_TRUE(result.best.patch.soundsLike(result.before.patch)) << "there was nothing else";
        }
    }
    MatchSettings held = quick(20);
    held.start = right;
    held.limits.ranges[cutoff] = {300.0, 600.0};
    EXPECT_LE(match(reference, phrase, held).best.patch.value(cutoff), 600.0) << "it may not stay as it was";
}

TEST(Ranges, HoldAtEveryTurnOfASearch) {
    // What a search would set to other values on the way: phases fixed, blends and stacks taken away, loudness solved.
    const Address blend{"layer:a/source:a", "blend"}, random{"layer:a/source:a", "phase_random"};
    const Address voices{"layer:a/source:a", "voices"}, output{"output", "level"};
    const Performance notes = played({45, 52});
    const Recording reference = render(filtered(800.0), notes);
    MatchSettings settings = quick(500);
    settings.start = filtered(800.0);
    settings.start.set(blend, 30.0);
    settings.start.set(voices, 3.0);
    settings.start.set(random, 60.0);
    settings.start.set(output, -20.0);
    settings.goOnWith = {settings.start};
    settings.limits.ranges = {
        {blend, {20.0, 60.0}}, {voices, {3.0, 5.0}}, {random, {40.0, 100.0}}, {output, {-24.0, -12.0}}};
    const MatchResult result = match(reference, notes, settings);
    std::vector<Patch> found{result.best.patch};
    for (const ScoredPatch& other : result.runnersUp) found.push_back(other.patch);
    for (const Patch& patch : found)
        for (const auto& [address, range] : settings.limits.ranges) {
            EXPECT_GE(patch.value(address), range.first) << address.text();
            EXPECT_LE(patch.value(address), range.second) << address.text();
        }
}

TEST(RuledOutElements, ComeBackAtNoTurnOfASearch) {
    // The recording has two of them; what a search would add or take for the only source is ruled out too.
    Patch sounding = filtered(900.0);
    sounding.set({"layer:a/source:b", "on"}, 1.0);
    sounding.set({"layer:a/source:b", "octave"}, -1.0);
    sounding.add("delay:a");
    sounding.set({"delay:a", "on"}, 1.0);
    const Performance notes = played({45, 52});
    const Recording reference = render(sounding, notes);
    MatchSettings settings = quick(500);
    settings.limits.ruledOut = elementsOfWords("effects, second source, detuned sources, noise, saw");
    const MatchResult result = match(reference, notes, settings);
    std::vector<Patch> found{result.best.patch};
    for (const ScoredPatch& other : result.runnersUp) found.push_back(other.patch);
    for (const Patch& patch : found)
        for (const PatchElement& each : elementsOf(patch))
            EXPECT_FALSE(settings.limits.ruledOut.contains(each.element)) << wordOf(each.element);
    EXPECT_GT(result.best.likeness, result.before.likeness);
}

TEST(AMatch, NeverEndsLessAlikeThanItBegan) {
    // Near the goal, with hardly any time: simpler patches and smaller losses may not cost likeness.
    Patch goal = filtered(900.0);
    goal.add("chorus:a");
    goal.set({"chorus:a", "on"}, 1.0);
    const Performance notes = played({45, 52, 57});
    const Recording reference = render(goal, notes);
    for (const double hz : {900.0, 930.0, 1100.0})
        for (const int evaluations : {20, 150}) {
            MatchSettings settings = quick(evaluations);
            settings.start = goal;
            settings.start.set(cutoff, hz);
            const MatchResult result = match(reference, notes, settings);
            EXPECT_GE(result.best.likeness, result.before.likeness - 1e-9) << hz << " " << evaluations;
        }
}

TEST(Locks, HoldForTheOutputToo) {
    const Address output{"output", "level"};
    const Performance notes = played({45, 52});
    MatchSettings settings = quick(120);
    settings.start = filtered(1200.0);
    settings.start.set(output, -17.0);
    settings.limits.locks.insert(output);
    EXPECT_EQ(match(render(filtered(800.0), notes), notes, settings).best.patch.value(output), -17.0);
}

/// Level and filter that rise in so many milliseconds.
Patch rising(double hz, double levelMs, double filterMs) {
    Patch patch = filtered(hz);
    patch.set({filter, "envelope"}, 36.0);
    patch.set({level, "attack"}, levelMs);
    patch.set({opening, "attack"}, filterMs);
    return patch;
}

/// Attacks that belong together.
Patch tied(bool offset) {
    Patch patch = rising(1000.0, 10.0, offset ? 40.0 : 10.0);
    patch.tie({{{level, "attack"}, {opening, "attack"}}, offset});
    return patch;
}

TEST(Ties, AreOneParameterOfASearch) {
    const auto members = [](const Patch& patch, const SearchLimits& limits) {
        const SearchSpace space(patch, limits, {});
        return std::count_if(space.addresses().begin(), space.addresses().end(),
                             [](const Address& a) { return a.field == "attack"; });
    };
    Patch loose = tied(false);
    loose.untie({level, "attack"});
    EXPECT_EQ(members(loose, {}), 2);
    EXPECT_EQ(members(tied(false), {}), 1);
    EXPECT_EQ(members(tied(true), {}), 1);
    SearchLimits held;
    held.locks.insert({opening, "attack"});
    EXPECT_EQ(members(tied(false), held), 0) << "it would move what is locked";
    SearchLimits ranged;
    ranged.ranges[{opening, "attack"}] = {5.0, 20.0};
    const SearchSpace space(tied(false), ranged, {});
    EXPECT_TRUE(std::count(space.addresses().begin(), space.addresses().end(), Address{opening, "attack"}))
        << "the one that has a range keeps it";
}

TEST(Ties, HoldInWhateverASearchFinds) {
    const Performance notes = played({45, 52});
    const Recording reference = render(rising(600.0, 30.0, 30.0), notes);
    const auto bank = std::make_shared<const SeedBank>(SeedBank().grownTo(320, 2)); // whose patches know of no tie
    for (bool locked : {false, true}) {
        MatchSettings settings = quick(400);
        settings.start = tied(false);
        settings.bank = bank;
        if (locked) settings.limits.locks.insert({level, "attack"});
        const MatchResult result = match(reference, notes, settings);
        std::vector<Patch> found{result.best.patch};
        for (const ScoredPatch& other : result.runnersUp) found.push_back(other.patch);
        for (const Patch& patch : found) {
            EXPECT_EQ(patch.value({level, "attack"}), patch.value({opening, "attack"}));
            EXPECT_EQ(patch.ties(), settings.start.ties()) << "it can be edited as before";
            if (locked) {
                EXPECT_EQ(patch.value({level, "attack"}), 10.0);
            }
        }
    }
}

TEST(Ties, AtADistanceKeepIt) {
    const Performance notes = played({45, 52});
    MatchSettings settings = quick(300);
    settings.start = tied(true);
    const Patch found = match(render(rising(600.0, 20.0, 80.0), notes), notes, settings).best.patch;
    // Times move in octaves above 2 ms: three and a half times as long, wherever both lie.
    const auto distance = [](const Patch& patch) {
        return std::log2((patch.value({opening, "attack"}) + 2.0) / (patch.value({level, "attack"}) + 2.0));
    };
    EXPECT_NEAR(distance(found), distance(settings.start), 1e-6);
    EXPECT_NE(found.value({level, "attack"}), settings.start.value({level, "attack"}))
        << "it was searched all the same";
}

TEST(InsistedElements, AreInWhateverASearchFinds) {
    // Nothing in the recording asks for them.
    const Performance notes = played({45, 52});
    const Recording reference = render(filtered(900.0), notes);
    MatchSettings settings = quick(400);
    settings.limits.insisted = elementsOfWords("noise, reverb, vibrato");
    const MatchResult result = match(reference, notes, settings);
    std::vector<Patch> found{result.best.patch};
    for (const ScoredPatch& other : result.runnersUp) found.push_back(other.patch);
    for (const Patch& patch : found) {
        std::set<Element> made;
        for (const PatchElement& each : elementsOf(patch)) made.insert(each.element);
        for (const Element each : settings.limits.insisted) EXPECT_TRUE(made.contains(each)) << wordOf(each);
    }
    // The start itself may be what sounds nearest; it is offered all the same.
    EXPECT_GT(result.best.likeness, 0.0);
}

} // namespace
} // namespace facet
