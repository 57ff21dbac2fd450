// What a search is composed of: budget, leaderboard, evaluator, and fits that are restricted.
#include "core/engine/render.h"
#include "core/match/search/added_modules.h"
#include "core/match/search/budget.h"
#include "core/match/search/evaluator.h"
#include "core/match/search/leaderboard.h"
#include "core/match/search/refine.h"
#include "core/match/search/state.h"
#include "tests/support/sounds.h"

#include <chrono>
#include <gtest/gtest.h>

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
    board.drop([](const Leaderboard::Entry& each) { return each.candidate.rank < 2.1; });
    EXPECT_EQ(board.best().rank, 2.2);
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
    SearchInputs inputs() { return {targets, targets.front(), settings, task, identifiableBy(targets)}; }

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

} // namespace
} // namespace facet
