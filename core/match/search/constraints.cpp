#include "core/match/search/constraints.h"

#include "core/instruments/played_on.h"
#include "core/match/proposals/added_element.h"

#include <algorithm>

namespace facet {

namespace {

/// Ties what is tied in `start`, whatever `patch` was made from: the first member of each stays where it is.
void keepTies(const Patch& start, Patch& patch) {
    for (const Tie& tie : start.ties()) {
        const auto& members = tie.members;
        const bool kept = std::find(patch.ties().begin(), patch.ties().end(), tie) != patch.ties().end();
        if (kept || !std::all_of(members.begin(), members.end(), [&](const Address& a) { return patch.has(a); }))
            continue;
        const double first = patch.value(members.front());
        for (const Address& member : members) {
            patch.untie(member);
            patch.set(member, start.value(member)); // from there on they keep their distances
        }
        patch.tie(tie);
        patch.setNearest(members.front(), first);
    }
}

/// What is locked stays, whatever its kind.
void takeOutExcluded(const SearchLimits& limits, Patch& patch) {
    if (limits.excluded.empty()) return;
    std::vector<std::string> paths;
    for (const auto& module : patch.modules())
        if (isEffect(module.kind) && limits.excluded.contains(module.kind) && !limits.locksAnyOf(module.path))
            paths.push_back(module.path);
    for (const std::string& path : paths) patch.remove(path);
}

/// A parameter that is locked is not moved by a link either, but by those that the start has.
void takeOutLinksToLocked(const MatchSettings& settings, Patch& patch) {
    if (settings.limits.locks.empty()) return;
    std::vector<std::string> paths;
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::link || module.contents().to.empty()) continue;
        const Patch::Module* known = settings.start.find(module.path);
        const bool given = known && known->contents().to == module.contents().to;
        if (!given && settings.limits.locked(Address::parse(module.contents().to))) paths.push_back(module.path);
    }
    for (const std::string& path : paths) patch.remove(path);
}

} // namespace

Patch Constraints::centered(Patch patch) const {
    if (identifiable_.width) return patch;
    for (const Address& address : patch.addresses()) {
        const ParameterDescriptor& d = patch.descriptor(address);
        const FacetSet others = FacetSet(~(facetBit(Facet::width) | facetBit(Facet::space)));
        const bool widens = (d.facets & facetBit(Facet::width)) && !(d.facets & others) && d.low <= 0.0 &&
                            d.smoothing != Smoothing::graph;
        const bool given = settings_.start.has(address) && settings_.start.value(address) == patch.value(address);
        if (widens && !given) patch.set(address, 0.0);
    }
    return patch;
}

bool Constraints::hasLocked(const Patch& patch) const {
    if (settings_.instrument) return true; // it becomes one of the instrument's, which all have them
    return std::all_of(settings_.limits.locks.begin(), settings_.limits.locks.end(),
                       [&](const Address& lock) { return patch.has(lock); });
}

Patch Constraints::withoutExcluded(Patch patch) const {
    takeOutExcluded(settings_.limits, patch);
    return withoutElements(std::move(patch), settings_.limits.ruledOut);
}

Patch Constraints::applied(Patch patch) const {
    patch = withoutExcluded(withElements(std::move(patch), settings_.limits.insisted));
    if (settings_.instrument) patch = withinReachOf(*settings_.instrument, patch);
    takeOutLinksToLocked(settings_, patch);
    keepTies(settings_.start, patch);
    for (const auto& [address, range] : settings_.limits.ranges)
        if (patch.has(address) && !locked(address))
            patch.setNearest(address, std::clamp(patch.value(address), range.first, range.second));
    for (const Address& address : settings_.limits.locks) // last: what is tied to one stands with it
        if (patch.has(address)) patch.set(address, settings_.start.value(address));
    for (const Address& address : settings_.limits.locks) // a tie that the start has not may hold two that are locked
        if (patch.has(address) && patch.value(address) != settings_.start.value(address)) {
            patch.untie(address);
            patch.set(address, settings_.start.value(address));
        }
    return patch;
}

} // namespace facet
