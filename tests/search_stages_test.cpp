// What a search is composed of: budget, leaderboard, evaluator, and fits that are restricted.
#include "core/engine/render.h"
#include "core/match/proposals/added_element.h"
#include "core/match/search/added_modules.h"
#include "core/match/search/additions.h"
#include "core/match/search/finish.h"
#include "core/match/search/budget.h"
#include "core/match/search/evaluator.h"
#include "core/match/search/leaderboard.h"
#include "core/match/match.h"
#include "core/match/report.h"
#include "core/match/search/reading_trials.h"
#include "core/match/search/refine.h"
#include "core/match/search/score.h"
#include "core/match/search/state.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <chrono>
#include <gtest/gtest.h>
#include <set>
#include <stop_token>

namespace facet {
namespace {

using namespace std::chrono_literals;

TEST(Budgets, AffordAShareOfTheEvaluations) {
    Budget budget(0.0, 100, std::chrono::steady_clock::now());
    EXPECT_TRUE(budget.limited());
    EXPECT_TRUE(budget.affords(80, {.share = 0.8}));
    EXPECT_FALSE(budget.affords(81, {.share = 0.8}));
    budget.spend(50);
    EXPECT_EQ(budget.evaluations(), 50);
    EXPECT_TRUE(budget.affords(30, {.share = 0.8}));
    EXPECT_FALSE(budget.affords(31, {.share = 0.8}));
    EXPECT_NO_THROW(budget.require(50, {}, true));
    EXPECT_THROW(budget.require(51, {}, false), BudgetSpent) << "evaluations count though nothing was found";
    EXPECT_NEAR(budget.fraction(), 0.5, 1e-9);
}

TEST(Budgets, InTimeEndOnlyOnceSomethingIsFound) {
    const Budget late(1.0, 0, std::chrono::steady_clock::now() - 2s);
    EXPECT_NO_THROW(late.require(1, {}, false));
    EXPECT_THROW(late.require(1, {}, true), BudgetSpent);
    EXPECT_EQ(late.fraction(), 1.0);
    // A strict share of a long search is that share.
    const Budget begun(1000.0, 0, std::chrono::steady_clock::now() - 300s);
    EXPECT_NO_THROW(begun.require(1, {.share = 0.1}, true));
    EXPECT_THROW(begun.require(1, {.share = 0.1, .strict = true}, true), BudgetSpent);
    EXPECT_NO_THROW(begun.require(1, {.share = 0.4, .strict = true}, true));
    // What scoring will take is kept back.
    Budget nearly(100.0, 0, std::chrono::steady_clock::now() - 80s);
    EXPECT_NO_THROW(nearly.require(1, {}, true));
    nearly.setScoreSeconds(6.0);
    EXPECT_THROW(nearly.require(1, {}, true), BudgetSpent);
    const Budget endless(0.0, 0, std::chrono::steady_clock::now() - 1000s);
    EXPECT_FALSE(endless.limited());
    EXPECT_NO_THROW(endless.require(1000000, {.share = 0.1}, true));
}

Candidate candidate(double cutoffHz, double rank, bool filtered = true) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, filtered ? 1.0 : 0.0);
    patch.set({"layer:a/filter:a", "cutoff"}, cutoffHz);
    return {patch, rank, rank};
}

TEST(Leaderboards, KeepTheBestOfEachStructure) {
    Leaderboard board;
    EXPECT_TRUE(board.empty());
    board.record(candidate(500.0, 3.0));
    board.record(candidate(900.0, 2.0));
    board.record(candidate(700.0, 2.5));
    board.record(candidate(700.0, 2.2, false));
    ASSERT_EQ(board.present().size(), 2u);
    EXPECT_EQ(board.best().rank, 2.0);
    EXPECT_TRUE(board.takeImproved());
    EXPECT_FALSE(board.takeImproved());
    board.record(candidate(100.0, 2.1));
    EXPECT_FALSE(board.takeImproved()) << "no better than the best";
    const auto ranking = board.ranking();
    ASSERT_EQ(ranking.size(), 2u);
    EXPECT_LT(ranking[0]->candidate.rank, ranking[1]->candidate.rank);
    board.replace(candidate(400.0, 2.05));
    EXPECT_EQ(board.best().rank, 2.05) << "in place of the best of its structure, though worse";
}

TEST(Leaderboards, AreLedByWhatWasChosenThoughItRanksBehind) {
    Leaderboard board;
    board.record(candidate(500.0, 2.0));
    board.record(candidate(700.0, 2.6, false));
    board.lead(candidate(900.0, 2.3)); // of the structure that ranked first
    EXPECT_EQ(board.best().rank, 2.3);
    EXPECT_EQ(board.bestRank(), 2.3);
    ASSERT_EQ(board.present().size(), 2u) << "what ranks behind it stays";
    board.record(candidate(400.0, 2.1));
    EXPECT_EQ(board.best().rank, 2.1) << "and what ranks before it from then on leads again";
}

TEST(Leaderboards, KeepAttemptsApartUntilTheyJoin) {
    Leaderboard board;
    board.record(candidate(500.0, 2.0));
    board.takeImproved();
    board.beginAttempt();
    EXPECT_TRUE(board.present().empty());
    EXPECT_FALSE(board.empty()) << "the earlier one has found something";
    board.record(candidate(500.0, 3.0, false));
    EXPECT_EQ(board.best().rank, 3.0);
    EXPECT_FALSE(board.presentLeads());
    EXPECT_EQ(board.bestOfAll().rank, 2.0);
    EXPECT_FALSE(board.takeImproved());
    board.record(candidate(500.0, 1.0, false));
    EXPECT_TRUE(board.presentLeads());
    EXPECT_TRUE(board.takeImproved());
    board.endAttempt();
    EXPECT_EQ(board.present().size(), 2u);
    EXPECT_EQ(board.bestRank(), 1.0);
    EXPECT_EQ(board.best().rank, 1.0);
}

/// A short saw through a low-pass, matched from the empty patch.
class Stages : public ::testing::Test {
protected:
    Stages() {
        settings.seconds = 0.0;
        settings.evaluations = 200;
        Patch closed;
        closed.set({"layer:a/filter:a", "on"}, 1.0);
        closed.set({"layer:a/filter:a", "cutoff"}, 900.0);
        targets.push_back(
            PreparedTarget::prepare({render(closed, note), note, 1.0, {}}, 1.0, settings.forTargets(), {}));
    }
    SearchInputs inputs() { return {targets, targets, settings, task, identifiableBy(targets)}; }

    Performance note = testing::oneNote(45, 0.02, 0.3, 0.5, 48000);
    MatchSettings settings;
    Task task;
    MatchListener nobody;
    Budget budget{0.0, 200, std::chrono::steady_clock::now()};
    std::vector<PreparedTarget> targets;
};

TEST_F(Stages, AnEvaluatorRecordsAndSpendsAndAnotherOneOnlySpends) {
    SearchState state(inputs(), budget, nobody);
    const Patch patch;
    const auto other = Evaluator::unrecorded(state.inputs, targets, state.budget, state.leaderboard, {});
    const auto unrecorded = other.evaluate({patch, patch});
    EXPECT_TRUE(state.leaderboard.empty());
    EXPECT_EQ(state.budget.evaluations(), 2);
    EXPECT_EQ(unrecorded[0].loss, unrecorded[1].loss);
    const auto recorded = state.evaluator({}).evaluate({patch});
    EXPECT_EQ(recorded.front().loss, unrecorded.front().loss);
    EXPECT_EQ(state.leaderboard.best().loss, recorded.front().loss);
    EXPECT_THROW(state.evaluator({.share = 0.01}).evaluate({patch}), BudgetSpent);
    EXPECT_NO_THROW(state.evaluator({.share = 0.01, .ignoreBudget = true}).evaluate({patch}));
    std::stop_source stop;
    task.stop = stop.get_token();
    stop.request_stop();
    EXPECT_THROW(state.evaluator({}).evaluate({patch}), Cancelled);
    EXPECT_NO_THROW(state.evaluator({.ignoreBudget = true}).evaluate({patch}));
}

ElementOdds likely(std::initializer_list<std::pair<Element, float>> given) {
    std::array<float, elementCount> logarithms{};
    for (const auto& [element, logarithm] : given) logarithms[static_cast<std::size_t>(element)] = logarithm;
    return ElementOdds(logarithms);
}

TEST_F(Stages, WhatIsLikelyIsCreditedAsFarAsItIsHeard) {
    SearchInputs known = inputs();
    known.odds = std::make_shared<ElementOdds>(
        likely({{Element::reverb, 2.5f}, {Element::chorus, -2.0f}, {Element::saw, 1.5f}}));
    HeardCredits credits(known);
    const double ofTheSaw = credits.of(Patch());
    EXPECT_NEAR(ofTheSaw, 1.5 - priceOf(Element::saw), 1e-6) << "an only source is heard";
    Patch room = withElements(Patch(), {Element::reverb});
    room.set({"reverb:a", "mix"}, 40.0);
    EXPECT_NEAR(credits.of(room), ofTheSaw + 2.5 - priceOf(Element::reverb), 1e-6);
    room.set({"reverb:a", "mix"}, 0.01);
    EXPECT_EQ(credits.of(room), ofTheSaw) << "nobody hears it";
    EXPECT_EQ(credits.of(withElements(Patch(), {Element::chorus})), ofTheSaw) << "what is unlikely has its price alone";
    EXPECT_EQ(HeardCredits(inputs()).of(room), 0.0) << "nothing is known";
    std::stop_source stop;
    task.stop = stop.get_token();
    stop.request_stop();
    EXPECT_EQ(HeardCredits(known).of(Patch()), 0.0) << "what was found is told at once";
}

TEST_F(Stages, WhatIsLikelyAndLackingIsTried) {
    Patch closed;
    closed.set({"layer:a/filter:a", "on"}, 1.0);
    closed.set({"layer:a/filter:a", "cutoff"}, 900.0);
    Patch room = withElements(closed, {Element::reverb});
    room.set({"reverb:a", "mix"}, 35.0);
    targets = {PreparedTarget::prepare({render(room, note), note, 1.0, {}}, 1.0, settings.forTargets(), {})};
    const auto found = [&](const ElementOdds& odds) {
        SearchInputs given = inputs();
        given.odds = std::make_shared<ElementOdds>(odds);
        SearchState state(given, budget, nobody);
        state.evaluator({}).evaluate({closed});
        addLikely(state, state.evaluator({}));
        std::set<Element> elements;
        for (const PatchElement& each : elementsOf(state.leaderboard.best().patch)) elements.insert(each.element);
        return elements;
    };
    EXPECT_TRUE(found(likely({{Element::reverb, 2.5f}})).contains(Element::reverb));
    const int before = budget.evaluations();
    EXPECT_FALSE(found({}).contains(Element::reverb)) << "where nothing is known nothing is likely";
    EXPECT_FALSE(found(likely({{Element::reverb, -2.5f}})).contains(Element::reverb));
    EXPECT_EQ(budget.evaluations(), before + 2) << "nor does it cost anything";
    settings.limits.ruledOut = {Element::reverb};
    EXPECT_FALSE(found(likely({{Element::reverb, 2.5f}})).contains(Element::reverb));
}

TEST_F(Stages, TheEndIsFittedToTheWholeAtTheFullRate) {
    const std::vector<PreparedTarget> whole = targets;
    const std::vector<PreparedTarget> half{whole.front().atHalfRate(settings.forTargets())};
    EXPECT_EQ(half.front().rateHz, analysisRateHz / 2);
    const SearchInputs given{half, whole, settings, task, identifiableBy(whole)};
    SearchState state(given, budget, nobody);
    Patch near;
    near.set({"layer:a/filter:a", "on"}, 1.0);
    near.set({"layer:a/filter:a", "cutoff"}, 1100.0);
    state.evaluator({}).evaluate({near});
    const auto onWhole = [&](const Patch& patch) {
        return Evaluator::unrecorded(given, whole, budget, state.leaderboard, {}).evaluate({patch}).front().loss;
    };
    finishOnWhole(state, {});
    ASSERT_EQ(state.finished.size(), 1u);
    EXPECT_LT(onWhole(state.finished.front()), 0.5 * onWhole(near));
    EXPECT_NEAR(state.finished.front().value({"layer:a/filter:a", "cutoff"}), 900.0, 60.0);
}

TEST_F(Stages, AFocusIsComparedAtTheWholeRate) {
    settings.focusLowHz = 6000.0;
    Patch open;
    targets = {PreparedTarget::prepare({render(open, note), note, 1.0, {}}, 1.0, settings.forTargets(), {})};
    EXPECT_EQ(targets.front().atHalfRate(settings.forTargets()).rateHz, analysisRateHz);
}

TEST_F(Stages, AJacobianIsKeptOnlyOfAllThatASearchMayMove) {
    SearchState state(inputs(), budget, nobody);
    const Evaluator evaluator = state.evaluator({});
    Patch filtered;
    filtered.set({"layer:a/filter:a", "on"}, 1.0);
    std::vector<Candidate> one{evaluator.evaluate({filtered}).front()};
    SearchLimits onlyTheCutoff;
    for (const Address& address : filtered.addresses())
        if (address.field != "cutoff") onlyTheCutoff.locks.insert(address);
    refineEachWithin(state, evaluator, one, {onlyTheCutoff}, 1);
    EXPECT_LT(one.front().loss, state.evaluator({}).evaluate({filtered}).front().loss);
    EXPECT_EQ(state.jacobian.get(), nullptr) << "its columns are those of one module";
    refine(state, evaluator, one.front(), 1);
    EXPECT_NE(state.jacobian.get(), nullptr);
}

TEST(ReadingTrials, MoreNotesAndUnlikelyOnesMustSoundBetter) {
    EXPECT_GT(worthOfReading(50.0, 1, 0.5), worthOfReading(50.0, 17, 0.5));
    EXPECT_GT(worthOfReading(50.0, 4, 0.8), worthOfReading(50.0, 4, 0.2));
    EXPECT_GT(worthOfReading(80.0, 17, 0.3), worthOfReading(50.0, 1, 0.7)) << "but they may";
}

TEST(ReadingTrials, ShowTheProgressOfOneSearch) {
    std::vector<MatchProgress> told;
    const MatchListener listener = [&](const MatchProgress& now) { told.push_back(now); };
    ReadingReports reports(listener);
    const auto first = reports.listenerOf(0), second = reports.listenerOf(1);
    MatchProgress now;
    now.loss = 3.0;
    now.improved = true;
    now.trying = "first";
    first(now);
    now.loss = 9.0;
    now.fraction = 0.2;
    now.trying = "second";
    second(now);
    ASSERT_EQ(told.size(), 2u);
    EXPECT_EQ(told[1].loss, 3.0) << "what the other comes to is compared with other notes";
    EXPECT_FALSE(told[1].improved);
    EXPECT_EQ(told[1].trying, "second");
    EXPECT_EQ(told[1].fraction, 0.2);
    reports.follow(1);
    now.improved = false;
    second(now);
    EXPECT_EQ(told.back().loss, 9.0);
    EXPECT_TRUE(told.back().improved) << "it is heard now";
    EXPECT_EQ(told.back().reading, 1u);
    EXPECT_FALSE(ReadingReports(MatchListener{}).listenerOf(0)) << "nobody listens";
}

/// Three struck notes, which somebody may take for one.
class Readings : public ::testing::Test {
protected:
    Readings() {
        Patch plucked;
        plucked.set({"layer:a/filter:a", "on"}, 1.0);
        plucked.set({"layer:a/filter:a", "cutoff"}, 1500.0);
        plucked.set({"layer:a/envelope:level", "decay"}, 150.0);
        plucked.set({"layer:a/envelope:level", "sustain"}, 0.0);
        struck = testing::oneNote(45, 0.02, 0.22, 1.0, 48000);
        for (double start : {0.35, 0.68}) struck.notes.push_back({start, start + 0.2, 45, 0.0, 100.0});
        held = struck;
        held.notes = {{0.02, 0.88, 45, 0.0, 100.0}};
        target = {render(plucked, struck), held};
        target.readings = {{held, "one held note", 0.6}, {struck, "3 notes", 0.4}};
        settings.seconds = 0.0;
        settings.evaluations = 700;
    }
    Performance struck, held;
    MatchTarget target;
    MatchSettings settings;
};

TEST_F(Readings, TheOneThatExplainsTheRecordingWins) {
    const MatchResult result = match({target}, settings);
    ASSERT_EQ(result.readings.size(), 2u);
    EXPECT_EQ(result.readings[0].words, "one held note");
    EXPECT_EQ(result.readings[1].notes, 3u);
    EXPECT_GT(result.readings[1].worth, result.readings[0].worth);
    EXPECT_EQ(result.best.reading, 1u);
    EXPECT_EQ(result.performance.notes, struck.notes);
    EXPECT_GT(result.best.likeness, 85.0);
    EXPECT_TRUE(std::any_of(result.runnersUp.begin(), result.runnersUp.end(), [](const ScoredPatch& other) {
        return other.reading == 0;
    })) << "the best of the other reading is offered too";
    EXPECT_LE(result.evaluations, settings.evaluations + 40);
    const std::string report = matchReport(result);
    EXPECT_NE(report.find("\"reading\": 2"), std::string::npos);
    EXPECT_NE(report.find("one held note"), std::string::npos);
    // Equal evaluations and seed give equal patches, whatever the threads.
    MatchSettings alone = settings;
    alone.threads = 1;
    EXPECT_EQ(match({target}, alone).best.patch.hash(), result.best.patch.hash());
}

TEST_F(Readings, NotesThatAreCertainAreNotTried) {
    settings.evaluations = 150;
    target.readings.clear();
    const MatchResult certain = match({target}, settings);
    EXPECT_TRUE(certain.readings.empty());
    EXPECT_EQ(certain.performance.notes, held.notes);
    target.readings = {{held, "one held note", 0.97}, {struck, "3 notes", 0.03}};
    EXPECT_TRUE(match({target}, settings).readings.empty()) << "nor what is unlikely";
    target.readings = {{struck, "3 notes", 0.03}, {held, "one held note", 0.97}};
    target.performance = struck;
    EXPECT_EQ(match({target}, settings).readings.size(), 2u) << "but for what was chosen";
    settings.goOnWith = {Patch()};
    EXPECT_TRUE(match({target}, settings).readings.empty()) << "what goes on keeps its notes";
}

TEST_F(Readings, AStopKeepsSomething) {
    std::stop_source stop;
    const MatchResult result =
        match({target}, settings, {.stop = stop.get_token(), .progress = {}}, [&](const MatchProgress& now) {
            if (now.trying == "reading the notes another way") stop.request_stop();
        });
    EXPECT_FALSE(result.complete);
    EXPECT_FALSE(result.performance.notes.empty());
}

} // namespace
} // namespace facet
