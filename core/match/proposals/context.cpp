#include "core/match/proposals/context.h"

#include "core/base/error.h"
#include "core/match/proposals/links.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <set>

namespace facet {

bool ProposalContext::isMovedBy(const std::string& from, const std::string& to) const {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
        return m.kind == ModuleKind::link && m.contents().from == from && m.contents().to == to;
    });
}

bool ProposalContext::keepsLocks(const Patch& changed) const {
    return std::all_of(limits.locks.begin(), limits.locks.end(), [&](const Address& lock) {
        return !patch.has(lock) || (changed.has(lock) && changed.value(lock) == patch.value(lock));
    });
}

bool ProposalContext::movesLocked(const Patch& changed) const {
    return std::any_of(changed.modules().begin(), changed.modules().end(), [&](const auto& m) {
        return m.kind == ModuleKind::link && !patch.find(m.path) && isLocked(m.contents().to);
    });
}

bool ProposalContext::keepsWishes(const Patch& changed) const {
    if (limits.ruledOut.empty() && limits.insisted.empty()) return true;
    const auto elementsIn = [](const Patch& of) {
        std::set<Element> elements;
        for (const PatchElement& each : elementsOf(of)) elements.insert(each.element);
        return elements;
    };
    const std::set<Element> before = elementsIn(patch), after = elementsIn(changed);
    return std::none_of(limits.ruledOut.begin(), limits.ruledOut.end(),
                        [&](Element each) { return after.contains(each) && !before.contains(each); }) &&
           std::none_of(limits.insisted.begin(), limits.insisted.end(),
                        [&](Element each) { return before.contains(each) && !after.contains(each); });
}

std::string ProposalContext::firstSoundingSource() const {
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::source && takesPart(patch, module)) return module.path;
    return {};
}

FacetSet facetsOf(ModuleKind kind) {
    FacetSet facets = 0;
    for (const auto& d : parametersOf(kind)) facets = static_cast<FacetSet>(facets | d.facets);
    return facets;
}

void proposeValues(const ProposalContext& in, std::initializer_list<std::pair<Address, double>> changes,
                   std::vector<Patch>& out) {
    Patch changed = in.patch;
    for (const auto& [address, value] : changes) {
        if (in.limits.locked(address)) return;
        changed.setNearest(address, value);
    }
    out.push_back(std::move(changed));
}

void proposeLink(Patch patch, const std::string& from, const std::string& to, double amount, std::vector<Patch>& out) {
    try {
        addLink(patch, from, to, amount);
    } catch (const Error&) {
        return;
    }
    out.push_back(std::move(patch));
}

} // namespace facet
