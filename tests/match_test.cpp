#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/match/estimate.h"
#include "core/match/match.h"
#include "core/match/report.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace facet {
namespace {

const Address cutoff{"layer:a/filter:a", "cutoff"};

Patch target() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 500.0);
    patch.set({"layer:a/filter:a", "envelope"}, 30.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 400.0);
    patch.set({"layer:a/envelope:level", "decay"}, 300.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 40.0);
    patch.set({"layer:a/envelope:level", "release"}, 80.0);
    return patch;
}

Performance phrase() {
    Performance performance = testing::oneNote(48, 0.02, 0.5, 1.2, 44100);
    performance.notes.push_back({0.6, 0.85, 55, 0.0, 100.0});
    performance.normalize();
    return performance;
}

MatchSettings quick(int evaluations) {
    MatchSettings settings;
    settings.seconds = 0.0;
    settings.evaluations = evaluations;
    settings.threads = 2;
    return settings;
}

TEST(Matching, RecoversItsOwnSound) {
    const auto result = match(render(target(), phrase()), phrase(), quick(700));
    EXPECT_GT(result.best.likeness, 92.0);
    EXPECT_GT(result.best.likeness, result.before.comparison.likeness);
    EXPECT_LT(result.best.loss, 2.0);
    EXPECT_LE(result.evaluations, 700);
    EXPECT_EQ(result.best.patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::saw));
    const auto report = nlohmann::json::parse(matchReport(result));
    EXPECT_EQ(report["evaluations"], result.evaluations);
    EXPECT_TRUE(report["facets"].contains("brightness"));
    EXPECT_TRUE(report["likeness"].contains("floor"));
}

TEST(Matching, IsTheSameOnAnyNumberOfThreads) {
    const Recording reference = render(target(), phrase());
    MatchSettings one = quick(250);
    one.threads = 1;
    EXPECT_EQ(match(reference, phrase(), one).best.patch, match(reference, phrase(), quick(250)).best.patch);
}

TEST(Matching, LeavesLocksAlone) {
    MatchSettings settings = quick(300);
    settings.start.set(cutoff, 1234.0);
    settings.start.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::triangle));
    settings.limits.locks = {cutoff, {"layer:a/source:a", "wave"}, {"layer:a/source:b", "on"}};
    settings.limits.ranges[{"layer:a/filter:a", "resonance"}] = {0.0, 3.0};
    const auto result = match(render(target(), phrase()), phrase(), settings);
    for (const auto* scored : {&result.best, result.runnersUp.empty() ? &result.best : &result.runnersUp.front()}) {
        EXPECT_EQ(scored->patch.value(cutoff), 1234.0);
        EXPECT_EQ(scored->patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::triangle));
        EXPECT_EQ(scored->patch.value({"layer:a/source:b", "on"}), 0.0);
        const double resonance = scored->patch.value({"layer:a/filter:a", "resonance"});
        EXPECT_TRUE(resonance >= 0.0 - 1e-9 && resonance <= 3.0 + 1e-9) << resonance;
    }
}

TEST(Matching, StoppedGivesTheBestSoFar) {
    std::stop_source stop;
    int reports = 0;
    const auto result = match(render(target(), phrase()), phrase(), quick(0),
                              {.stop = stop.get_token(), .progress = {}}, [&](const MatchProgress& now) {
                                  EXPECT_GE(now.evaluations, 1);
                                  EXPECT_FALSE(now.trying.empty());
                                  if (++reports == 4) stop.request_stop();
                              });
    EXPECT_FALSE(result.complete);
    EXPECT_GT(result.best.comparison.likeness, result.before.comparison.likeness);
}

TEST(Matching, SaysWhyItCannotBegin) {
    Performance silent = phrase();
    silent.notes.clear();
    EXPECT_NE(testing::sentenceOf([&] { match(render(target(), phrase()), silent, quick(10)); }).find("no notes"),
              std::string::npos);
    Recording zero{48000, {std::vector<float>(48000, 0.0f)}};
    EXPECT_NE(testing::sentenceOf([&] { match(zero, phrase(), quick(10)); }).find("silent"), std::string::npos);
}

TEST(Estimates, AlreadySoundAlike) {
    const Recording reference = render(target(), phrase());
    const Profile profile = measureProfile(reference, phrase());
    const Recording at48k = atRate(reference, 48000);
    const Structure likeliest = structuresFor(profile).front();
    EXPECT_EQ(likeliest.wave, Wave::saw);
    const auto empty = score(Patch(), at48k, profile, phrase(), 1);
    const auto estimated = score(estimate(profile, likeliest, Patch()), at48k, profile, phrase(), 1);
    EXPECT_GT(estimated.likeness, empty.likeness + 15.0);
}

TEST(SearchSpaces, HoldOnlyWhatIsHeard) {
    Patch patch;
    const auto has = [&](const Address& address) {
        const auto all = SearchSpace(patch, {}, false).addresses();
        return std::find(all.begin(), all.end(), address) != all.end();
    };
    EXPECT_FALSE(has(cutoff));
    EXPECT_FALSE(has({"layer:a/source:a", "width"}));
    EXPECT_FALSE(has({"layer:a/source:a", "detune"}));
    EXPECT_FALSE(has({"layer:a/source:a", "pan"}));
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/source:a", "wave"}, 3.0);
    patch.set({"layer:a/source:a", "voices"}, 2.0);
    EXPECT_TRUE(has(cutoff));
    EXPECT_TRUE(has({"layer:a/source:a", "width"}));
    EXPECT_TRUE(has({"layer:a/source:a", "detune"}));
    const SearchSpace space(patch, {}, true);
    const Patch again = space.patchAt(patch, space.positionOf(patch));
    EXPECT_NEAR(again.value({"layer:a/source:a", "width"}), patch.value({"layer:a/source:a", "width"}), 1e-6);
}

} // namespace
} // namespace facet
