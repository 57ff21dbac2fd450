#include "core/match/search/added_modules.h"

#include "core/match/proposals/module_proposals.h"
#include "core/match/search/refine.h"
#include "core/parameters/table.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <string>
#include <utility>

namespace facet {

namespace {

/// A candidate with the path of the module that was added.
using Added = std::pair<std::string, Candidate>;

/// The best candidate for each kind of added module, the best kinds first.
std::vector<Added> bestOfEachKind(const std::vector<Candidate>& changed, const Candidate& before,
                                  const ModuleFit& how) {
    std::map<std::string, std::pair<std::string, const Candidate*>> bestOfKind;
    for (const Candidate& each : changed) {
        const Patch::Module* added = addedModule(each.patch, before.patch);
        if (!added || each.loss > how.promising * before.loss) continue;
        // What only colors would stand in for what the filters and sources have not found yet.
        if (added->kind == ModuleKind::equalizer || added->kind == ModuleKind::postFilter) continue;
        std::string kind(labelOf(added->kind));
        if (added->kind == ModuleKind::source)
            kind += fmt::format(" {} {}", each.patch.value({added->path, "wave"}), layerOfPath(added->path));
        if (added->kind == ModuleKind::filter) kind += fmt::format(" {}", each.patch.value({added->path, "kind"}));
        auto& best = bestOfKind[kind];
        if (!best.second || better(each, *best.second)) best = {added->path, &each};
    }
    std::vector<Added> bests;
    for (const auto& [kind, best] : bestOfKind) bests.emplace_back(best.first, *best.second);
    std::stable_sort(bests.begin(), bests.end(),
                     [](const Added& a, const Added& b) { return better(a.second, b.second); });
    bests.resize(std::min(bests.size(), how.mostKinds));
    return bests;
}

/// The search's limits with everything locked that the added module has nothing to do with.
SearchLimits limitsAround(const std::string& path, const Patch& patch, const Patch& before, SearchLimits limits) {
    // The release had to stand for the tail that a reverb or delay now adds.
    const ModuleKind kind = patch.find(path)->kind;
    const bool tails = kind == ModuleKind::reverb || kind == ModuleKind::delay;
    // In a layer that was added with it everything is new.
    const std::string layer(layerOfPath(path));
    const bool layered = !layer.empty() && !before.find(layer);
    for (const Address& address : patch.addresses())
        if (address.module != path && !(layered && layerOfPath(address.module) == layer) &&
            !(tails && address.field == "release"))
            limits.locks.insert(address);
    return limits;
}

} // namespace

void fitAddedModules(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& changed,
                     const Candidate& before, const ModuleFit& how) {
    std::vector<Candidate> fitted;
    std::vector<SearchLimits> limits;
    for (const auto& [path, candidate] : bestOfEachKind(changed, before, how)) {
        limits.push_back(limitsAround(path, candidate.patch, before.patch, state.inputs.settings.limits));
        fitted.push_back(candidate);
    }
    refineEachWithin(state, evaluator, fitted, limits, how.iterations);
    changed.insert(changed.end(), fitted.begin(), fitted.end());
}

} // namespace facet
