#include "core/match/search/prune.h"

#include "core/match/optimize/level_finish.h"
#include "core/match/proposals/simplifications.h"
#include "core/match/search/judged.h"
#include "core/match/search/refine.h"
#include "core/match/search/score.h"
#include "core/parameters/elements.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <set>

namespace facet {

namespace {

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
        if (each.without && !limits.insisted.contains(each.element)) add(*each.without);
    return all;
}

/// All that the rest would hardly miss, taken out at once, by what the Jacobian predicts for each.
Patch withoutWhatHardlyCounts(const SearchState& state, const Evaluator& evaluator, const Candidate& best) {
    constexpr double hardly = 0.5; // of an element's price
    const LinearRefit* jacobian = state.jacobian.get();
    if (!jacobian) return best.patch;
    std::vector<Element> elements;
    std::vector<Patch> less;
    for (const PatchElement& each : elementsOf(best.patch)) {
        if (!each.without || state.inputs.settings.limits.insisted.contains(each.element)) continue;
        Patch patch = state.constraints.applied(*each.without);
        if (patch.soundsLike(best.patch)) continue;
        elements.push_back(each.element);
        less.push_back(std::move(patch));
    }
    const auto residuals = evaluator.residuals(less);
    Patch rest = best.patch;
    for (std::size_t i = 0; i < less.size(); ++i) {
        const double grown = jacobian->of(less[i], residuals[i]).loss - best.loss;
        if (worthPerDb * grown > hardly * priceOf(elements[i], *state.inputs.odds)) continue;
        for (const PatchElement& each : elementsOf(rest))
            if (each.element == elements[i] && each.without) {
                rest = state.constraints.applied(*each.without);
                break;
            }
    }
    return state.constraints.applied(tidied(rest, state.inputs.settings.limits));
}

/// Takes elements out of a patch one after the other.
class Pruning {
public:
    Pruning(SearchState& state, const Evaluator& evaluator, const Candidate& from)
        : state_(state), evaluator_(evaluator), best_(mostWorth(state, {from})) {}

    const Candidate& best() const { return best_.candidate; }

    /// At once, then one by one, as long as the rest, refined, is worth as much without. Throws BudgetSpent; best() is
    /// what has been reached.
    void run() {
        const Patch rest = withoutWhatHardlyCounts(state_, evaluator_, best_.candidate);
        if (!rest.soundsLike(best_.candidate.patch)) take(evaluator_.evaluate({rest}), 2);
        for (;;) {
            std::vector<Candidate> simpler = evaluator_.evaluate(withOneLess(state_, best_.candidate.patch));
            std::stable_sort(simpler.begin(), simpler.end(), better);
            simpler.resize(std::min(simpler.size(), heard));
            if (simpler.empty() || !take(std::move(simpler), 1)) break;
        }
        constexpr int further = 4; // what is left takes over from what was removed
        if (!gone_.empty()) take({best_.candidate}, further);
    }

private:
    static constexpr std::size_t heard = 4;

    /// Refines them with what is gone held out, and takes what is worth most, if that is no less than before.
    bool take(std::vector<Candidate> simpler, int iterations) {
        std::vector<SearchLimits> limits;
        std::vector<std::set<Address>> gone;
        for (const Candidate& each : simpler) {
            gone.push_back(gone_);
            for (const Address& address : changedAddresses(best_.candidate.patch, each.patch))
                if (each.patch.has(address)) gone.back().insert(address);
            limits.push_back(state_.inputs.settings.limits);
            limits.back().locks.insert(gone.back().begin(), gone.back().end());
        }
        refineEachWithin(state_, evaluator_, simpler, limits, iterations);
        state_.reporter.report("without what makes no difference");
        evaluator_.require(1);
        const std::vector<Judged> all = judged(state_, simpler);
        const auto most = std::max_element(all.begin(), all.end(),
                                           [](const Judged& a, const Judged& b) { return a.worth < b.worth; });
        if (most->worth < best_.worth) return false;
        best_ = *most;
        gone_ = gone[static_cast<std::size_t>(most - all.begin())];
        return true;
    }

    SearchState& state_;
    const Evaluator& evaluator_;
    Judged best_;
    std::set<Address> gone_; ///< what stands where it does nothing
};

} // namespace

void prune(SearchState& state, Allowance allowance) {
    const Evaluator evaluator = state.evaluator(allowance);
    Candidate from = state.leaderboard.best();
    from.patch = tidied(from.patch, state.inputs.settings.limits);
    if (!state.jacobian.isOfBest(state.leaderboard.bestRank())) refine(state, evaluator, from, 1);
    Pruning pruning(state, evaluator, from);
    try {
        pruning.run();
    } catch (...) {
        state.leaderboard.lead(pruning.best());
        throw;
    }
    state.leaderboard.lead(pruning.best());
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
