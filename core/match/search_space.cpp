#include "core/match/search_space.h"

#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

/// Whether the search can hear a parameter: the comparison is deaf to some that people hear.
bool isHeard(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d, const Told& told) {
    if (!matters(patch, module, d) || !takesPart(patch, module)) return false;
    if (!told.width && d.facets == facetBit(Facet::width)) return false;
    if (!told.keys && d.field.find("key") != d.field.npos) return false;
    if (!told.velocities && d.field.find("velocity") != d.field.npos) return false;
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

} // namespace

SearchSpace::SearchSpace(const Patch& patch, const SearchLimits& limits, const Told& told) {
    std::vector<double> low;
    std::vector<double> high;
    for (const auto& module : patch.modules())
        for (const auto& d : parametersOf(module.kind)) {
            const Address address{module.path, std::string(d.field)};
            const bool amount = d.unit == Unit::amount && !module.contents().to.empty();
            if ((!d.isSearched() && !amount) || limits.locks.contains(address) || !isHeard(patch, module, d, told))
                continue;
            const auto range = limits.ranges.find(address);
            const bool ranged = range != limits.ranges.end();
            addresses_.push_back(address);
            const double plausible = amount ? plausibleAmount(patch, address) : 0.0;
            ends_.push_back(ranged   ? range->second
                            : amount ? std::pair{-plausible, plausible}
                                     : std::pair{d.priorLow, d.priorHigh});
            low.push_back(d.toUnit(ends_.back().first));
            high.push_back(d.toUnit(ends_.back().second));
        }
    lower_ = Eigen::Map<Eigen::VectorXd>(low.data(), static_cast<Eigen::Index>(low.size()));
    upper_ = Eigen::Map<Eigen::VectorXd>(high.data(), static_cast<Eigen::Index>(high.size()));
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
