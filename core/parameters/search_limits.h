// What the producer has said about parameters before a search.
#pragma once

#include "core/parameters/elements.h"
#include "core/parameters/patch.h"

#include <algorithm>
#include <map>
#include <set>
#include <string>
#include <utility>

namespace facet {

/// Obeyed exactly.
struct SearchLimits {
    std::set<Address> locks;
    std::map<Address, std::pair<double, double>> ranges; ///< allowed values, in the parameter's unit
    std::set<ModuleKind> excluded{};                     ///< kinds of effects that there may be none of
    std::set<Element> ruledOut{};                        ///< elements that there may be none of, also new ones
    std::set<Element> insisted{};                        ///< elements that there must be, where there is room for them
    /// What a described instrument has no control for: a refinement leaves it where it stands. A change may set it
    /// otherwise; it is then put back as the instrument has it.
    std::set<Address> held{};

    bool locked(const Address& address) const { return locks.contains(address); }
    /// Whether any parameter of a module is locked.
    bool locksAnyOf(const std::string& module) const {
        return std::any_of(locks.begin(), locks.end(), [&](const Address& lock) { return lock.module == module; });
    }
    /// Whether a value may be set at all.
    bool allows(const Address& address, double value) const {
        if (locked(address)) return false;
        const auto range = ranges.find(address);
        return range == ranges.end() || (value >= range->second.first && value <= range->second.second);
    }
    /// The nearest value within the range, if there is one.
    double clamped(const Address& address, double value) const {
        const auto range = ranges.find(address);
        return range == ranges.end() ? value : std::clamp(value, range->second.first, range->second.second);
    }
};

} // namespace facet
