#include "core/match/search/effects.h"

#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/module_proposals.h"
#include "core/match/search/added_modules.h"
#include "core/match/search/judged.h"
#include "core/match/search/refine.h"

#include <algorithm>
#include <optional>
#include <set>
#include <utility>

namespace facet {

namespace {

/// A module that was fitted behind another patch.
struct FittedEffect {
    std::string path;
    Patch in;
};

std::vector<FittedEffect> fittedOf(const std::vector<Candidate>& fitted, const Candidate& before) {
    std::vector<FittedEffect> effects;
    for (const Candidate& each : fitted)
        if (const Patch::Module* added = addedModule(each.patch, before.patch); added && isEffect(added->kind))
            effects.push_back({added->path, each.patch});
    return effects;
}

/// The effect as it was fitted, behind this patch.
std::optional<Patch> with(const FittedEffect& effect, const Patch& patch) {
    const ModuleKind kind = effect.in.find(effect.path)->kind;
    if (!hasRoomFor(kind, patch)) return std::nullopt;
    Patch together = patch;
    const std::string path = together.freePath(kind);
    together.add(path);
    for (const auto& d : parametersOf(kind)) {
        const std::string field(d.field);
        together.setNearest({path, field}, effect.in.value({effect.path, field}));
    }
    moveToUsualPlace(together, path);
    return together;
}

/// Whether what a patch has beyond another is not known to be most unlikely.
bool mayBe(const ElementOdds& odds, const Patch& patch, const Patch& before) {
    constexpr double mostUnlikely = -3.0; // log odds
    std::set<Element> had;
    for (const PatchElement& each : elementsOf(before)) had.insert(each.element);
    const auto elements = elementsOf(patch);
    return std::none_of(elements.begin(), elements.end(), [&](const PatchElement& each) {
        return odds.of(each.element) < mostUnlikely && !had.contains(each.element);
    });
}

/// Adds effects to `best` one by one, as long as they are worth it. Throws BudgetSpent; what was added until then
/// stays.
void addTo(Judged& best, SearchState& state, const Evaluator& evaluator) {
    constexpr int most = 5;
    constexpr double leastGain = 0.5; // of worth
    constexpr double notFar = 1.12;   // times the rank without it: what likeness cannot make up for
    constexpr std::size_t heard = 6;
    std::vector<FittedEffect> known;
    for (int pass = 0; pass < most; ++pass) {
        const Candidate before = best.candidate;
        std::vector<Patch> proposals;
        const auto propose = [&](Patch&& patch) {
            patch = state.constraints.applied(state.constraints.centered(std::move(patch)));
            if (!patch.soundsLike(before.patch)) proposals.push_back(std::move(patch)); // not ruled out
        };
        if (pass == 0) {
            for (Patch& each : withEffects({before.patch, state.inputs.settings.limits, state.inputs.profile()}))
                if (mayBe(*state.inputs.odds, each, before.patch)) propose(std::move(each));
        } else {
            for (const FittedEffect& effect : known)
                if (auto together = with(effect, before.patch)) propose(std::move(*together));
        }
        if (proposals.empty()) return;
        auto changed = evaluator.evaluate(proposals);
        state.reporter.report("effects");
        const auto asProposed = static_cast<std::ptrdiff_t>(changed.size());
        fitAddedModules(state, evaluator, changed, before,
                        {.promising = 1.25, .mostKinds = pass == 0 ? heard + 2 : heard, .iterations = 1});
        std::vector<Candidate> fitted(changed.begin() + asProposed, changed.end());
        if (pass == 0) known = fittedOf(fitted, before);
        std::erase_if(fitted, [&](const Candidate& each) { return each.rank > notFar * before.rank; });
        std::stable_sort(fitted.begin(), fitted.end(), better);
        fitted.resize(std::min(fitted.size(), heard));
        if (fitted.empty()) return;
        evaluator.require(1);
        const Judged found = mostWorth(state, fitted);
        if (found.worth < best.worth + leastGain) return;
        best = found;
        best = mostWorth(state, {found.candidate, refine(state, evaluator, found.candidate, 1)});
        state.reporter.report("effects");
    }
}

} // namespace

void addEffects(SearchState& state, const Evaluator& evaluator) {
    leadByWorth(
        state, [&](Judged& best) { addTo(best, state, evaluator); },
        [&](const Patch& before, const Patch& after) {
            for (const auto& module : after.modules())
                if (isEffect(module.kind) && !before.find(module.path)) state.settled.insert(module.kind);
        });
}

} // namespace facet
