#include "core/match/search/additions.h"

#include "core/engine/render.h"
#include "core/match/proposals/added_element.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/search/judged.h"
#include "core/match/search/refine.h"
#include "core/match/starts/motion_additions.h"

#include <algorithm>
#include <functional>
#include <map>
#include <set>
#include <utility>

namespace facet {

namespace {

/// Patches with one element more than the best.
using Proposals = std::function<std::vector<ElementProposal>(const Candidate& best)>;

/// The search's limits with everything locked that was there before, and is the same still.
SearchLimits limitsBeside(const Patch& before, const Patch& after, SearchLimits limits) {
    for (const Address& address : before.addresses()) {
        const bool silentSource =
            address.module.find("/source:") != std::string::npos && before.value({address.module, "on"}) < 0.5;
        if (!silentSource && after.has(address) && after.value(address) == before.value(address))
            limits.locks.insert(address);
    }
    return limits;
}

std::vector<ElementProposal> motionsOf(const SearchState& state, const Candidate& best) {
    const PreparedTarget& first = state.inputs.targets.front();
    const Recording render = std::move(renderAt48k({&best.patch, 1}, first.performance).front());
    return withMotions({best.patch, state.inputs.settings.limits, state.inputs.profile()}, first.reference, render);
}

/// The likeliest that the best has not.
std::vector<ElementProposal> likelyOf(const SearchState& state, const Candidate& best) {
    constexpr std::size_t most = 6;
    constexpr double likely = 0.0; // log odds
    const ElementOdds& odds = *state.inputs.odds;
    std::vector<Element> lacking;
    std::set<Element> has;
    for (const PatchElement& each : elementsOf(best.patch)) has.insert(each.element);
    for (int e = 0; e < elementCount; ++e)
        if (const auto element = static_cast<Element>(e);
            odds.of(element) > likely && !has.contains(element) && canBeAdded(element))
            lacking.push_back(element);
    if (lacking.empty()) return {};
    std::stable_sort(lacking.begin(), lacking.end(), [&](Element a, Element b) { return odds.of(a) > odds.of(b); });
    lacking.resize(std::min(lacking.size(), most));
    // At the settings of an element that were measured or are usual, and in the middle of all.
    std::vector<ElementProposal> proposals;
    const std::set<Element> wanted(lacking.begin(), lacking.end());
    for (ElementProposal& each : motionsOf(state, best))
        if (wanted.contains(each.element)) proposals.push_back(std::move(each));
    for (Patch& each : withEffects({best.patch, state.inputs.settings.limits, state.inputs.profile()}))
        for (const PatchElement& element : elementsOf(each))
            if (wanted.contains(element.element)) {
                proposals.push_back({element.element, each});
                break;
            }
    for (const Element element : lacking) proposals.push_back({element, withElements(best.patch, {element})});
    return proposals;
}

/// The best of each element by itself fitted, the best first; of those that have been tried before only these.
std::vector<std::pair<Element, Candidate>> fittedElements(SearchState& state, const Evaluator& evaluator,
                                                          const Candidate& before, const Proposals& proposals,
                                                          const std::set<Element>* only) {
    constexpr std::size_t mostHeard = 4;
    constexpr double promising = 1.15; // times the loss without it
    constexpr double notFar = 1.08;    // times the rank without it: what likeness cannot make up for
    std::vector<Element> elements;
    std::vector<Patch> patches;
    for (ElementProposal& each : proposals(before)) {
        if (only && !only->contains(each.element)) continue;
        Patch patch = state.constraints.applied(state.constraints.centered(std::move(each.patch)));
        if (patch.soundsLike(before.patch)) continue; // ruled out
        elements.push_back(each.element);
        patches.push_back(std::move(patch));
    }
    if (patches.empty()) return {};
    const std::vector<Candidate> changed = evaluator.evaluate(patches);
    state.reporter.report("what is missing");
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
    std::vector<SearchLimits> limits;
    for (const Candidate& each : fitted)
        limits.push_back(limitsBeside(before.patch, each.patch, state.inputs.settings.limits));
    refineEachWithin(state, evaluator, fitted, limits, 2);
    std::vector<std::pair<Element, Candidate>> all;
    for (std::size_t i = 0; i < fitted.size(); ++i)
        if (fitted[i].rank <= notFar * before.rank) all.emplace_back(kinds[i], fitted[i]);
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return better(a.second, b.second); });
    all.resize(std::min(all.size(), mostHeard));
    return all;
}

/// Adds to `best` one by one, as long as they are worth it. Throws BudgetSpent; what was added until then stays.
void addOneByOne(Judged& best, SearchState& state, const Evaluator& evaluator, const Proposals& proposals) {
    constexpr double leastGain = 0.5; // of worth
    std::set<Element> left;
    for (bool first = true;; first = false) {
        const auto fitted = fittedElements(state, evaluator, best.candidate, proposals, first ? nullptr : &left);
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
        state.reporter.report("what is missing");
        if (left.empty()) return;
    }
}

} // namespace

void addLikely(SearchState& state, const Evaluator& evaluator) {
    const Proposals proposals = [&](const Candidate& best) { return likelyOf(state, best); };
    if (!state.inputs.odds->known()) return;
    leadByWorth(state, [&](Judged& best) { addOneByOne(best, state, evaluator, proposals); });
}

void addMotions(SearchState& state, const Evaluator& evaluator) {
    const Proposals proposals = [&](const Candidate& best) { return motionsOf(state, best); };
    leadByWorth(state, [&](Judged& best) { addOneByOne(best, state, evaluator, proposals); });
}

} // namespace facet
