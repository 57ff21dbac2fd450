#include "core/match/search/prune.h"

#include "core/match/optimize/level_finish.h"
#include "core/match/proposals/simplifications.h"
#include "core/match/search/refine.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double allMayCost = 0.08;     ///< of the loss
constexpr double eachMustEarn = 0.03;   ///< of the loss
constexpr double likenessMayCost = 1.0; ///< of one step

/// Takes modules out of `pruned`.
void pruneFrom(SearchState& state, const Evaluator& evaluator, Candidate& pruned) {
    const double most = (1.0 + allMayCost) * pruned.loss;
    double likenessBefore = state.scores.measure(pruned.patch);
    bool removed = true, fits = true;
    while (removed) {
        std::vector<Patch> without;
        for (Patch& each : simplerThan(pruned.patch, state.inputs.settings.limits))
            if (each = state.constraints.applied(std::move(each)); !each.soundsLike(pruned.patch))
                without.push_back(std::move(each));
        std::vector<Candidate> simpler = evaluator.evaluate(without);
        std::stable_sort(simpler.begin(), simpler.end(), better);
        removed = false;
        for (std::size_t i = 0; i < std::min<std::size_t>(simpler.size(), 3) && !removed; ++i) {
            const Candidate refined = refine(state, evaluator, simpler[i], 1);
            state.reporter.report("without what makes no difference");
            if (refined.loss > std::min(most, (1.0 + eachMustEarn) * pruned.loss)) continue;
            evaluator.require(1);
            const double likeness = state.scores.measure(refined.patch);
            if (likeness < likenessBefore - likenessMayCost) continue;
            likenessBefore = std::max(likenessBefore, likeness);
            pruned = refined;
            removed = true;
            fits = false;
        }
    }
    constexpr int further = 4; // what is left takes over from what was removed
    if (!fits) pruned = refine(state, evaluator, pruned, further);
}

void dropReplaced(Leaderboard& leaderboard, const Candidate& pruned) {
    leaderboard.drop([&](const Leaderboard::Entry& each) {
        return each.candidate.loss < pruned.loss && each.structure != structureKeyOf(pruned.patch) &&
               each.candidate.loss > pruned.loss / (1.0 + 2.0 * allMayCost);
    });
}

} // namespace

void prune(SearchState& state, Allowance allowance) {
    Candidate pruned = state.leaderboard.best();
    try {
        pruneFrom(state, state.evaluator(allowance), pruned);
    } catch (...) {
        dropReplaced(state.leaderboard, pruned);
        throw;
    }
    dropReplaced(state.leaderboard, pruned);
}

void finishLevels(SearchState& state, Allowance allowance) {
    constexpr double mostGrowth = 1.04;
    const Evaluator evaluator = state.evaluator(allowance);
    const Candidate before = state.leaderboard.best();
    const auto patches = withFittedLevels(
        before.patch, state.inputs.settings.limits, state.inputs.identifiable,
        [&](const std::vector<Patch>& some, const Difference& difference) {
            return evaluator.differences(some, difference);
        },
        state.inputs.task);
    if (patches.empty()) return;
    for (const Candidate& after : evaluator.evaluate(patches)) {
        if (after.rank > mostGrowth * before.rank) continue;
        state.leaderboard.replace(after);
        break;
    }
    state.reporter.report("levels");
}

} // namespace facet
