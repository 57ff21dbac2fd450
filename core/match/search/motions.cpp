#include "core/match/search/motions.h"

#include "core/engine/render.h"
#include "core/match/starts/motion_additions.h"
#include "core/match/search/judged.h"
#include "core/match/search/refine.h"

#include <algorithm>
#include <map>
#include <set>
#include <utility>

namespace facet {

namespace {

/// The search's limits with everything locked that was there before.
SearchLimits limitsBeside(const Patch& before, SearchLimits limits) {
    for (const Address& address : before.addresses()) {
        const bool silentSource =
            address.module.find("/source:") != std::string::npos && before.value({address.module, "on"}) < 0.5;
        if (!silentSource) limits.locks.insert(address);
    }
    return limits;
}

/// The best of each element by itself fitted, the best first; of those that have been tried before only these.
std::vector<std::pair<Element, Candidate>> fittedMotions(SearchState& state, const Evaluator& evaluator,
                                                         const Candidate& before, const std::set<Element>* only) {
    constexpr std::size_t mostHeard = 4;
    constexpr double promising = 1.15; // times the loss without it
    constexpr double notFar = 1.08;    // times the rank without it: what likeness cannot make up for
    std::vector<Element> elements;
    std::vector<Patch> patches;
    const PreparedTarget& first = state.inputs.targets.front();
    const Recording render = std::move(renderAt48k({&before.patch, 1}, first.performance).front());
    const ProposalContext context{before.patch, state.inputs.settings.limits, state.inputs.profile()};
    for (ElementProposal& each : withMotions(context, first.reference, render)) {
        if (only && !only->contains(each.element)) continue;
        Patch patch = state.constraints.applied(state.constraints.centered(std::move(each.patch)));
        if (patch.soundsLike(before.patch)) continue; // ruled out
        elements.push_back(each.element);
        patches.push_back(std::move(patch));
    }
    if (patches.empty()) return {};
    const std::vector<Candidate> changed = evaluator.evaluate(patches);
    state.reporter.report("what moves");
    std::map<Element, const Candidate*> bests;
    for (std::size_t i = 0; i < changed.size(); ++i) {
        if (changed[i].loss > promising * before.loss) continue;
        const Candidate*& best = bests[elements[i]];
        if (!best || better(changed[i], *best)) best = &changed[i];
    }
    std::vector<Element> kinds;
    std::vector<Candidate> fitted;
    for (const auto& [element, best] : bests) {
        kinds.push_back(element);
        fitted.push_back(*best);
    }
    const std::vector<SearchLimits> limits(fitted.size(), limitsBeside(before.patch, state.inputs.settings.limits));
    refineEachWithin(state, evaluator, fitted, limits, 2);
    std::vector<std::pair<Element, Candidate>> all;
    for (std::size_t i = 0; i < fitted.size(); ++i)
        if (fitted[i].rank <= notFar * before.rank) all.emplace_back(kinds[i], fitted[i]);
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return better(a.second, b.second); });
    all.resize(std::min(all.size(), mostHeard));
    return all;
}

/// Adds to `best` one by one, as long as they are worth it. Throws BudgetSpent; what was added until then stays.
void addMotionsTo(Judged& best, SearchState& state, const Evaluator& evaluator) {
    constexpr double leastGain = 0.5; // of worth
    std::set<Element> left;
    for (bool first = true;; first = false) {
        const auto fitted = fittedMotions(state, evaluator, best.candidate, first ? nullptr : &left);
        if (fitted.empty()) return;
        evaluator.require(1);
        std::vector<Candidate> candidates;
        left.clear();
        for (const auto& [element, candidate] : fitted) {
            left.insert(element);
            candidates.push_back(candidate);
        }
        const Judged found = mostWorth(state, candidates);
        if (found.worth < best.worth + leastGain) return;
        for (const auto& [element, candidate] : fitted)
            if (candidate.patch.soundsLike(found.candidate.patch)) left.erase(element);
        best = found;
        best = mostWorth(state, {found.candidate, refine(state, evaluator, found.candidate, 1)});
        state.reporter.report("what moves");
        if (left.empty()) return;
    }
}

} // namespace

void addMotions(SearchState& state, const Evaluator& evaluator) {
    leadByWorth(state, [&](Judged& best) { addMotionsTo(best, state, evaluator); });
}

} // namespace facet
