// The build: a patch told step by step, arranged, and set by ear.
#include "core/base/json.h"
#include "core/engine/render.h"
#include "core/match/suggest/build.h"
#include "core/match/suggest/build_report.h"
#include "core/match/suggest/by_hand.h"
#include "core/parameters/noticed.h"
#include "core/parameters/signal_parts.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a";

/// A pulse through a filter that closes, with an echo.
Patch rightPatch() {
    Patch patch;
    patch.set({source, "wave"}, static_cast<double>(Wave::pulse));
    patch.set({source, "width"}, 25.0);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "cutoff"}, 500.0);
    patch.set({filter, "envelope"}, 30.0);
    patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 300.0);
    patch.set({"layer:a/envelope:level", "decay"}, 400.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 30.0);
    patch.add("delay:a");
    patch.set({"delay:a", "on"}, 1.0);
    patch.set({"delay:a", "time"}, 320.0);
    patch.set({"output", "level"}, -9.0);
    return patch;
}

class BuildTest : public ::testing::Test {
protected:
    Performance phrase = testing::fixturePhrase();
    Patch patch = rightPatch();
    std::unique_ptr<BuildMaker> maker;
    Build build;

    BuildTest() {
        const Recording sound = render(patch, phrase);
        phrase.seed = 3;
        maker = std::make_unique<BuildMaker>(
            std::vector{MoveTarget{std::make_shared<const Recording>(sound),
                                   std::make_shared<const Profile>(measureProfile(sound, phrase)), phrase}});
        build = maker->make(patch, equalWeights, 2);
    }
    std::vector<std::string> titles(const Build& of) const {
        std::vector<std::string> all;
        for (const BuildStep& each : of.steps) all.push_back(each.title);
        return all;
    }
    std::ptrdiff_t placeOf(const std::string& beginning) const {
        const auto all = titles(build);
        return std::find_if(all.begin(), all.end(), [&](const std::string& t) { return t.starts_with(beginning); }) -
               all.begin();
    }
};

TEST_F(BuildTest, LeadsFromTheEmptyPatchToTheWhole) {
    ASSERT_GE(build.steps.size(), 3u);
    ASSERT_LE(build.steps.size(), 12u);
    EXPECT_EQ(build.steps.back().patch, patch);
    EXPECT_EQ(render(build.steps.back().patch, phrase).channels, render(patch, phrase).channels);
    EXPECT_GT(build.steps.back().after, 95.0);
    EXPECT_LT(build.empty, 60.0);
    EXPECT_EQ(build.steps.front().before, build.empty);
    double before = build.empty;
    std::set<Element> brought, whole;
    for (const BuildStep& step : build.steps) {
        EXPECT_EQ(step.before, before);
        EXPECT_GE(step.after, step.before - 2.0) << step.title;
        before = step.after;
        brought.insert(step.elements.begin(), step.elements.end());
    }
    for (const PatchElement& each : elementsOf(patch)) whole.insert(each.element);
    EXPECT_EQ(brought, whole);
}

TEST_F(BuildTest, SaysWhatToSetWhyAndWhatToListenFor) {
    const auto at = placeOf("Close the filter: low-pass 24 dB, 2.8 kHz → 500 Hz in 300 ms");
    ASSERT_LT(at, static_cast<std::ptrdiff_t>(build.steps.size())) << ::testing::PrintToString(titles(build));
    const BuildStep& step = build.steps[static_cast<std::size_t>(at)];
    EXPECT_FALSE(step.why.empty());
    EXPECT_NE(step.listen.find("→"), std::string::npos) << step.listen;
    EXPECT_TRUE(std::any_of(step.facets.begin(), step.facets.end(), [](const FacetGain& each) {
        return each.facet == Facet::brightness && each.after > each.before + 10.0;
    }));
    const auto cutoff = std::find_if(step.settings.begin(), step.settings.end(),
                                     [](const PartSetting& each) { return each.label == "Filter cutoff"; });
    ASSERT_NE(cutoff, step.settings.end());
    EXPECT_EQ(cutoff->text, "500 Hz");
    EXPECT_LT(placeOf("Pulse 25 %"), at) << "what sounds comes before what filters it";
}

TEST_F(BuildTest, FollowsWhatTheProducerArranged) {
    BuildPlan plan = planOf(build);
    ASSERT_GE(plan.steps.size(), 3u);
    for (const PlannedStep& each : plan.steps) EXPECT_TRUE(each.title.empty()) << "as found";
    std::swap(plan.steps[0], plan.steps[1]);
    plan.steps[0].title = "My own first step";
    plan.steps[0].text = "Because it is heard at once.";
    plan.steps[2].hidden = true;
    plan.steps[1].parts.push_back("of nothing");
    const std::vector<std::string> gone = plan.steps.back().parts;
    if (plan.steps.size() > 3) plan.steps.pop_back(); // its parts belong to the last one then
    const Build arranged = maker->follow(patch, plan, equalWeights, 2);
    ASSERT_EQ(arranged.steps.size(), plan.steps.size());
    EXPECT_EQ(arranged.steps[0].title, "My own first step");
    EXPECT_EQ(arranged.steps[0].text, "Because it is heard at once.");
    EXPECT_EQ(arranged.steps[1].title, build.steps[0].title);
    EXPECT_TRUE(arranged.steps[2].hidden);
    EXPECT_EQ(arranged.steps.back().patch, patch) << "whatever the arrangement, the whole comes out";
    EXPECT_EQ(planOf(arranged).steps[0].title, "My own first step");
    EXPECT_TRUE(planOf(arranged).steps[1].title.empty());
    EXPECT_EQ(maker->follow(patch, {}, equalWeights, 2).steps.size(), 1u) << "without a plan all is one step";
}

TEST_F(BuildTest, IsWrittenAsTextAndAsJson) {
    const std::string text = buildText(build);
    EXPECT_NE(text.find("1. "), std::string::npos);
    EXPECT_NE(text.find("Why: "), std::string::npos);
    const Json json = parseJson(buildReport(build, patch));
    EXPECT_EQ(json.at("format"), "facet-build");
    ASSERT_EQ(json.at("steps").size(), build.steps.size());
    // What is set in all steps leads to the patch.
    Patch replayed;
    replayed.add("delay:a");
    for (const Json& step : json.at("steps"))
        for (const Json& setting : step.at("settings"))
            replayed.setNearest(Address::parse(setting.at("address").get<std::string>()), setting.at("value"));
    EXPECT_EQ(replayed.value({filter, "cutoff"}), 500.0);
    EXPECT_EQ(replayed.value({"delay:a", "time"}), 320.0);
    EXPECT_EQ(replayed.value({source, "width"}), 25.0);
}

TEST_F(BuildTest, AStepIsSetByEar) {
    const BuildStep& step = build.steps[static_cast<std::size_t>(placeOf("Close the filter"))];
    Patch mine = beginningByHand(step);
    EXPECT_EQ(mine.value({filter, "cutoff"}), 20000.0);
    EXPECT_EQ(mine.value({filter, "on"}), 1.0) << "that there is a filter is told";
    EXPECT_EQ(mine.value({source, "width"}), 25.0) << "what came before stays";
    const auto of = [&](const Address& address) {
        for (const HandSetting& each : comparedByHand(step, mine))
            if (each.right.address == address) return each;
        ADD_FAILURE() << address.text();
        return HandSetting{};
    };
    EXPECT_FALSE(of({filter, "cutoff"}).isNear());
    mine.set({filter, "cutoff"}, 540.0);
    EXPECT_TRUE(of({filter, "cutoff"}).isAlike());
    EXPECT_EQ(of({filter, "cutoff"}).yours, "540 Hz");
    mine.set({filter, "cutoff"}, 580.0);
    EXPECT_FALSE(of({filter, "cutoff"}).isAlike());
    EXPECT_TRUE(of({filter, "cutoff"}).isNear());
}

TEST(NoticedSteps, FollowWhatIsJustNoticed) {
    const Patch patch;
    const auto steps = [&](const Address& address, double a, double b) {
        return noticedSteps(patch.descriptor(address), a, b);
    };
    EXPECT_NEAR(steps({source, "level"}, -6.0, -7.0), 1.0, 1e-9);
    EXPECT_NEAR(steps({source, "cents"}, 0.0, 3.0), 1.0, 1e-9);
    EXPECT_NEAR(steps({filter, "cutoff"}, 1000.0, 1000.0 * std::exp2(0.125)), 1.0, 1e-9);
    EXPECT_NEAR(steps({filter, "cutoff"}, 100.0, 200.0), 8.0, 1e-9) << "an octave";
    EXPECT_NEAR(steps({"layer:a/envelope:level", "decay"}, 400.0, 504.0), 1.0, 1e-9);
    EXPECT_NEAR(steps({source, "phase"}, 350.0, 20.0), 1.0, 1e-9) << "round the cycle";
    EXPECT_EQ(steps({source, "wave"}, 2.0, 2.0), 0.0);
    EXPECT_GE(steps({source, "wave"}, 2.0, 3.0), 10.0);
}

TEST(BuildOfFixtures, NeverFallsAndEndsWithTheFixture) {
    for (const char* name : {"velocity-bell", "gated-pad", "ring-hit"}) {
        const Patch patch = testing::fixturePatch(name);
        Performance phrase = testing::fixturePhrase();
        const Recording sound = render(patch, phrase);
        BuildMaker maker({MoveTarget{std::make_shared<const Recording>(sound),
                                     std::make_shared<const Profile>(measureProfile(sound, phrase)), phrase}});
        const Build build = maker.make(patch, equalWeights, 2);
        ASSERT_FALSE(build.steps.empty()) << name;
        EXPECT_LE(build.steps.size(), 12u) << name;
        EXPECT_EQ(build.steps.back().patch, patch) << name;
        for (const BuildStep& step : build.steps) EXPECT_GE(step.after, step.before - 2.0) << name << " " << step.title;
    }
}

} // namespace
} // namespace facet
