// What moves once through a phrase as a curve; effects that a search may not use; where its time goes.
#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/match.h"
#include "core/match/report.h"
#include "core/match/search/constraints.h"
#include "core/match/search/slow_movers.h"
#include "core/match/search/stage_times.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string cutoff = "layer:a/filter:a/cutoff";

/// A low-pass that a free LFO opens by three octaves over 4 s.
Patch opening() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 1200.0);
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::risingSaw));
    patch.set({"layer:a/lfo:a", "mode"}, static_cast<double>(LfoMode::free));
    patch.set({"layer:a/lfo:a", "rate"}, 0.25);
    testing::link(patch, "layer:a/lfo:a", cutoff, 18.0);
    return patch;
}

Performance phrase() {
    Performance played;
    for (int i = 0; i < 8; ++i) played.notes.push_back({0.5 * i, 0.5 * i + 0.4, 45 + 2 * (i % 3), 0.0, 100.0});
    played.frames = 4 * 48000;
    played.channelCount = 1;
    return played;
}

TEST(SlowMovers, BecomeCurvesThatSoundTheSame) {
    const Unwound found = unwound(opening(), phrase());
    ASSERT_EQ(found.curves.size(), 1u);
    EXPECT_EQ(found.curves.front().target, cutoff);
    EXPECT_LT(found.curves.front().points.front().value, found.curves.front().points.back().value);
    for (const auto& module : found.patch.modules()) {
        EXPECT_NE(module.kind, ModuleKind::link);
        EXPECT_NE(module.kind, ModuleKind::lfo);
    }
    Performance moved = phrase();
    moved.setCurve(found.curves.front());
    const Loss loss(render(opening(), phrase()), phrase());
    EXPECT_LT(Loss::value(loss.residual(render(found.patch, moved))), 0.3);
}

TEST(SlowMovers, LeaveWhatGoesRoundAndWhatThePerformanceMoves) {
    Patch quick = opening();
    quick.set({"layer:a/lfo:a", "rate"}, 2.0);
    EXPECT_TRUE(unwound(quick, phrase()).curves.empty());
    Patch withNotes = opening();
    withNotes.set({"layer:a/lfo:a", "mode"}, static_cast<double>(LfoMode::eachNote));
    EXPECT_TRUE(unwound(withNotes, phrase()).curves.empty());
    Performance moved = phrase();
    moved.setCurve({cutoff, {{0.0, 0.2}, {4.0, 0.5}}});
    EXPECT_TRUE(unwound(opening(), moved).curves.empty());
    EXPECT_EQ(unwound(opening(), moved).patch, opening());
}

TEST(ExcludedEffects, AreTakenOutUnlessTheyAreLocked) {
    Patch patch;
    for (ModuleKind kind : {ModuleKind::delay, ModuleKind::reverb, ModuleKind::chorus}) {
        const std::string path = patch.freePath(kind);
        patch.add(path);
        patch.set({path, "on"}, 1.0);
    }
    MatchSettings settings;
    settings.start = patch;
    settings.limits.excluded = {ModuleKind::delay, ModuleKind::reverb};
    settings.limits.locks.insert({"reverb:a", "mix"});
    const Constraints constraints(settings, {});
    const Patch allowed = constraints.applied(patch);
    EXPECT_FALSE(allowed.find("delay:a"));
    EXPECT_TRUE(allowed.find("reverb:a")) << "it is locked";
    EXPECT_TRUE(allowed.find("chorus:a"));
    EXPECT_EQ(constraints.withoutExcluded(patch), allowed);
}

TEST(LockedParameters, AreMovedByNoLinkThatTheStartHasNot) {
    Patch start = opening();
    MatchSettings settings;
    settings.start = start;
    settings.limits.locks.insert(Address::parse(cutoff));
    testing::link(start, "velocity", cutoff, 12.0);
    testing::link(start, "velocity", "layer:a/filter:a/resonance", 6.0);
    const Patch allowed = Constraints(settings, {}).applied(start);
    EXPECT_TRUE(allowed.find("link:a")) << "the start has it";
    EXPECT_FALSE(allowed.find("link:b"));
    EXPECT_TRUE(allowed.find("link:c")) << "resonance is free";
}

TEST(StageTimes, GoOnWhereAStageIsEnteredAgain) {
    StageTimes times;
    times.enter("race");
    times.count(3, 1.5, 0.25);
    times.enter("rounds");
    times.enter("race");
    times.count(1, 1.0, 0.0);
    const auto all = times.all();
    ASSERT_EQ(all.size(), 3u);
    EXPECT_EQ(all[0].stage, "measure");
    EXPECT_EQ(all[1].stage, "race");
    EXPECT_EQ(all[1].candidates, 4);
    EXPECT_EQ(all[1].renders, 2.5);
    EXPECT_EQ(all[1].comparing, 0.25);
}

TEST(StageTimes, OfASearchAreReported) {
    MatchSettings settings;
    settings.seconds = 0.0;
    settings.evaluations = 40;
    const Performance note = testing::oneNote(45, 0.02, 0.3, 0.5);
    const MatchResult result = match(render(Patch(), note), note, settings);
    double renders = 0.0;
    for (const StageTime& each : result.stages) renders += each.renders;
    EXPECT_GE(renders, result.evaluations);
    EXPECT_NE(matchReport(result).find("\"stage\": \"race\""), std::string::npos);
}

} // namespace
} // namespace facet
