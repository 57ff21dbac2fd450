#include "core/match/search/prune.h"

#include "core/match/optimize/level_finish.h"
#include "core/match/proposals/simplifications.h"
#include "core/match/search/judged.h"
#include "core/match/search/refine.h"
#include "core/parameters/elements.h"
#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double replaces = 0.16; ///< of the loss: what lies so little before what was pruned is the same with more

/// Without effects and links that are off.
Patch tidied(Patch patch, const SearchLimits& limits) {
    std::vector<std::string> idle;
    for (const auto& module : patch.modules())
        if ((isEffect(module.kind) || module.kind == ModuleKind::link) && !takesPart(patch, module) &&
            !Patch::isFixed(module.path) && !limits.locksAnyOf(module.path))
            idle.push_back(module.path);
    for (const std::string& path : idle) patch.remove(path);
    return patch;
}

/// The patch with one thing less each: an element, or part of one.
std::vector<Patch> withOneLess(const SearchState& state, const Patch& patch) {
    const SearchLimits& limits = state.inputs.settings.limits;
    std::vector<Patch> all;
    const auto add = [&](const Patch& less) {
        Patch each = state.constraints.applied(tidied(less, limits));
        if (each.soundsLike(patch)) return;
        if (std::none_of(all.begin(), all.end(), [&](const Patch& other) { return other.soundsLike(each); }))
            all.push_back(std::move(each));
    };
    for (const Patch& each : simplerThan(patch, limits)) add(each);
    for (const PatchElement& each : elementsOf(patch))
        if (each.without) add(*each.without);
    return all;
}

/// Takes out of `pruned` what people would not miss, one thing after the other: where the rest, refined, is worth as
/// much without it.
void pruneFrom(SearchState& state, const Evaluator& evaluator, Candidate& pruned) {
    constexpr std::size_t heard = 4;
    constexpr double notFar = 1.1; // times the rank of what is pruned
    pruned.patch = tidied(pruned.patch, state.inputs.settings.limits);
    if (!state.jacobian.get()) refine(state, evaluator, pruned, 1);
    Judged best = mostWorth(state, {pruned});
    bool fits = true;
    for (;;) {
        std::vector<Candidate> simpler = evaluator.evaluate(withOneLess(state, best.candidate.patch));
        std::stable_sort(simpler.begin(), simpler.end(), better);
        simpler.resize(std::min(simpler.size(), heard));
        refineEach(state, evaluator, simpler, 1, state.jacobian.get());
        state.reporter.report("without what makes no difference");
        std::erase_if(simpler, [&](const Candidate& each) { return each.rank > notFar * best.candidate.rank; });
        if (simpler.empty()) break;
        evaluator.require(1);
        const Judged found = mostWorth(state, simpler);
        if (found.worth < best.worth) break;
        best = found;
        pruned = best.candidate;
        fits = false;
    }
    constexpr int further = 4; // what is left takes over from what was removed
    if (!fits) pruned = refine(state, evaluator, pruned, further);
}

void dropReplaced(Leaderboard& leaderboard, const Candidate& pruned) {
    leaderboard.drop([&](const Leaderboard::Entry& each) {
        return each.candidate.loss < pruned.loss && each.structure != structureKeyOf(pruned.patch) &&
               each.candidate.loss > pruned.loss / (1.0 + replaces);
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
