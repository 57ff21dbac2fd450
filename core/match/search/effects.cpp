#include "core/match/search/effects.h"

#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/module_proposals.h"
#include "core/match/search/added_modules.h"
#include "core/match/search/refine.h"

#include <algorithm>
#include <optional>
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

} // namespace

void addEffects(SearchState& state, const Evaluator& evaluator) {
    constexpr int most = 4;
    constexpr double leastGain = 0.015;
    std::vector<FittedEffect> known;
    for (int pass = 0; pass < most; ++pass) {
        const Candidate before = state.leaderboard.best();
        std::vector<Patch> proposals;
        const auto propose = [&](Patch&& patch) {
            proposals.push_back(state.constraints.applied(state.constraints.centered(std::move(patch))));
        };
        if (pass == 0) {
            for (Patch& each : withEffects({before.patch, state.inputs.settings.limits, state.inputs.profile()}))
                propose(std::move(each));
        } else {
            for (const FittedEffect& effect : known)
                if (auto together = with(effect, before.patch)) propose(std::move(*together));
        }
        if (proposals.empty()) return;
        auto changed = evaluator.evaluate(proposals);
        state.reporter.report("effects");
        const std::size_t asProposed = changed.size();
        fitAddedModules(state, evaluator, changed, before, {.promising = 1.1, .mostKinds = 4, .iterations = 1});
        if (pass == 0)
            known = fittedOf({changed.begin() + static_cast<std::ptrdiff_t>(asProposed), changed.end()}, before);
        std::erase_if(changed, [&](const Candidate& each) { return each.rank > before.rank; });
        refineBest(state, evaluator, changed, 1, 1);
        if (state.leaderboard.bestRank() > (1.0 - leastGain) * before.rank) return;
    }
}

} // namespace facet
