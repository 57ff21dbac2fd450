#include "core/match/optimize/search_space.h"

#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

/// Whether the search can hear a parameter: the comparison is deaf to some that people hear.
bool isHeard(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d,
             const Identifiable& identifiable) {
    if (!matters(patch, module, d) || !takesPart(patch, module)) return false;
    if (!identifiable.width && d.facets == facetBit(Facet::width)) return false;
    if (!identifiable.keys && d.field.find("key") != d.field.npos) return false;
    if (!identifiable.velocities && d.field.find("velocity") != d.field.npos) return false;
    if (!identifiable.newKeyTracking && d.field == "key_tracking" && patch.value({module.path, "key_tracking"}) == 0.0)
        return false;
    if (module.kind != ModuleKind::source) return true;
    if (d.field == "blend") return patch.value({module.path, "blend"}) > 0.0; // a second shape is a structure
    if (d.field == "phase") return patch.value({module.path, "phase_random"}) == 0.0;
    if (d.field != "level") return true;
    if (patch.value({module.path, "level"}) <= d.low) return false; // it only moves another
    // The overall gain is solved, so the first source's level says nothing.
    const auto& all = patch.modules();
    const auto first = std::find_if(all.begin(), all.end(), [&](const Patch::Module& m) {
        return m.kind == ModuleKind::source && patch.value({m.path, "on"}) >= 0.5;
    });
    return first->path != module.path;
}

/// In which a link's amount moves its destination; of a link that moves the amount of another, in which that one does.
Unit movedUnit(const Patch& patch, const Address& amount) {
    const Unit unit = patch.shownDescriptor(amount).unit;
    const std::string& to = patch.find(amount.module)->contents().to;
    if (unit != Unit::amount || to.empty() || !patch.has(Address::parse(to))) return unit;
    return patch.shownDescriptor(Address::parse(to)).unit;
}

/// Of a link's amount to either side.
double plausibleAmount(const Patch& patch, const Address& amount) {
    switch (movedUnit(patch, amount)) {
    case Unit::cents: return 120.0;
    case Unit::semitones: return 60.0;
    case Unit::decibels: return 30.0;
    case Unit::percent: return 120.0;
    case Unit::degrees: return 720.0;
    default: return 5.0; // octaves of times and rates
    }
}

/// Of parameters that are tied to each other one moves all: the one that has a range, or the first. None does where one
/// is locked.
void leaveOneOfEachTie(const Patch& patch, const SearchLimits& limits, std::vector<Address>& free) {
    for (const Tie& tie : patch.ties()) {
        const auto isMember = [&](const Address& address) {
            return std::find(tie.members.begin(), tie.members.end(), address) != tie.members.end();
        };
        const bool held = std::any_of(limits.locks.begin(), limits.locks.end(), isMember);
        auto leads = std::find_if(free.begin(), free.end(),
                                  [&](const Address& a) { return isMember(a) && limits.ranges.contains(a); });
        if (leads == free.end()) leads = std::find_if(free.begin(), free.end(), isMember);
        if (leads == free.end()) continue;
        const Address leader = *leads;
        std::erase_if(free, [&](const Address& a) { return isMember(a) && (held || a != leader); });
    }
}

} // namespace

SearchSpace::SearchSpace(const Patch& patch, const SearchLimits& limits, const Identifiable& identifiable) {
    for (const auto& module : patch.modules())
        for (const auto& d : parametersOf(module.kind)) {
            const Address address{module.path, std::string(d.field)};
            const bool amount = d.unit == Unit::amount && !module.contents().to.empty();
            if ((d.isSearched() || amount) && !limits.locks.contains(address) && !limits.held.contains(address) &&
                isHeard(patch, module, d, identifiable))
                addresses_.push_back(address);
        }
    leaveOneOfEachTie(patch, limits, addresses_);
    lower_.resize(size());
    upper_.resize(size());
    for (int i = 0; i < size(); ++i) {
        const Address& address = addresses_[static_cast<std::size_t>(i)];
        const ParameterDescriptor& d = patch.descriptor(address);
        const auto range = limits.ranges.find(address);
        const double plausible = d.isSearched() ? 0.0 : plausibleAmount(patch, address), stands = patch.value(address);
        auto ends = d.isSearched() ? std::pair{d.priorLow, d.priorHigh} : std::pair{-plausible, plausible};
        ends = {std::min(ends.first, stands), std::max(ends.second, stands)}; // nothing is moved unasked
        ends_.push_back(range != limits.ranges.end() ? range->second : ends);
        lower_(i) = d.toUnit(ends_.back().first);
        upper_(i) = d.toUnit(ends_.back().second);
    }
}

Eigen::VectorXd SearchSpace::positionOf(const Patch& patch) const {
    Eigen::VectorXd position(size());
    for (int i = 0; i < size(); ++i) {
        const Address& address = addresses_[static_cast<std::size_t>(i)];
        position(i) = patch.descriptor(address).toUnit(patch.value(address));
    }
    return position.cwiseMax(lower_).cwiseMin(upper_);
}

Patch SearchSpace::patchAt(const Patch& base, const Eigen::VectorXd& position) const {
    Patch patch = base;
    for (int i = 0; i < size(); ++i) {
        const Address& address = addresses_[static_cast<std::size_t>(i)];
        const auto& [lowest, highest] = ends_[static_cast<std::size_t>(i)];
        patch.setNearest(address, std::clamp(patch.descriptor(address).fromUnit(position(i)), lowest, highest));
    }
    return patch;
}

} // namespace facet
