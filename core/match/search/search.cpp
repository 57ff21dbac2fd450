#include "core/match/search/search.h"

#include "core/match/search/dry_beginning.h"
#include "core/match/search/finish.h"
#include "core/match/search/prune.h"
#include "core/match/search/race.h"
#include "core/match/search/rounds.h"

#include <algorithm>

namespace facet {

namespace {

constexpr Allowance untilRounds{.share = 0.3, .strict = true}; ///< the dry beginning
constexpr Allowance untilPruning{.share = 0.75};

/// What is kept back from the rounds is for pruning and levels, and time besides for scores and curves.
Allowance untilLevels(const Budget& budget) { return {.share = budget.limitedByEvaluations() ? 0.9 : 0.86}; }
Allowance untilWhole(const Budget& budget) { return {.share = budget.limitedByEvaluations() ? 0.93 : 0.89}; }
Allowance untilScores(const Budget& budget) { return {.share = budget.limitedByEvaluations() ? 1.0 : 0.98}; }

/// Whether what is left of the budget may find something better from other starting points.
bool mayRestart(SearchState& state, int attempt) {
    constexpr int mostAttempts = 8;
    constexpr std::size_t least = 20; // starting points, where locks leave some choice
    constexpr double alike = 97.0;    // likeness
    const std::size_t entered = state.raced.entered;
    return state.budget.limited() && attempt < mostAttempts && (entered == 0 || entered >= least) &&
           state.scores.measure(state.leaderboard.bestOfAll().patch) < alike;
}

/// An attempt from the hypotheses that came next and other patches of the bank. It is pursued only while it is not far
/// behind what earlier ones have found.
void restart(SearchState& state, int attempt) {
    constexpr double promising = 1.4; // times the rank of the best
    Leaderboard& leaderboard = state.leaderboard;
    leaderboard.beginAttempt();
    state.jacobian.forget();
    const auto join = [&] {
        leaderboard.endAttempt();
        state.jacobian.forget();
    };
    try {
        state.reporter.report("beginning anew from other kinds of sound");
        state.budget.stages().enter("restart");
        race(state, untilPruning, attempt);
        if (leaderboard.bestRank() < promising * leaderboard.earlierRank()) settle(state, untilPruning);
    } catch (...) {
        join();
        throw;
    }
    join();
}

void explore(SearchState& state) {
    try {
        state.budget.stages().enter("start");
        state.evaluator(untilPruning).evaluate({state.constraints.applied(state.inputs.settings.start)});
    } catch (const BudgetSpent&) {} // what measurements say comes first
    if (state.inputs.settings.goOnWith.empty()) {
        if (isPhrase(state.inputs)) {
            beginDry(state, untilRounds, untilPruning);
        } else {
            state.budget.stages().enter("race");
            race(state, untilPruning, 0);
        }
    } else {
        goOn(state, untilPruning);
    }
    settle(state, untilPruning);
    for (int attempt = 1; mayRestart(state, attempt); ++attempt) restart(state, attempt);
}

/// Runs a stage; false when the budget did not suffice for it.
template <typename Stage> bool withinBudget(Stage&& stage) {
    try {
        stage();
        return true;
    } catch (const BudgetSpent&) {
        return false;
    }
}

} // namespace

void runSearch(SearchState& state) {
    try {
        const bool explored = withinBudget([&] { explore(state); });
        state.budget.stages().enter("prune");
        const bool pruned = withinBudget([&] { prune(state, untilLevels(state.budget)); });
        state.budget.stages().enter("levels");
        const bool leveled = withinBudget([&] { finishLevels(state, untilWhole(state.budget)); });
        state.budget.stages().enter("whole");
        const bool finished = withinBudget([&] { finishOnWhole(state, untilScores(state.budget)); });
        state.complete = explored && pruned && leveled && finished;
    } catch (const Cancelled&) {
        state.complete = false;
    }
    state.leaderboard.sort();
}

std::vector<KnownRange> certaintyOf(SearchState& state, const Patch& patch) {
    const Evaluator evaluator = state.evaluator({.ignoreBudget = true});
    return certaintyOf(patch, SearchSpace(patch, state.inputs.settings.limits, state.inputs.identifiable),
                       [&](const std::vector<Patch>& patches) { return evaluator.residuals(patches); });
}

std::vector<Address> unidentifiableOf(const SearchInputs& inputs, const Patch& patch) {
    std::vector<Address> unidentifiable = SearchSpace(patch, inputs.settings.limits, Identifiable{}).addresses();
    const auto searched = SearchSpace(patch, inputs.settings.limits, inputs.identifiable).addresses();
    std::erase_if(unidentifiable,
                  [&](const Address& a) { return std::find(searched.begin(), searched.end(), a) != searched.end(); });
    return unidentifiable;
}

} // namespace facet
