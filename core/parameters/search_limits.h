// What the producer has said about parameters before a search.
#pragma once

#include "core/parameters/patch.h"

#include <map>
#include <set>
#include <utility>

namespace facet {

/// Obeyed exactly.
struct SearchLimits {
    std::set<Address> locks;
    std::map<Address, std::pair<double, double>> ranges; ///< allowed values, in the parameter's unit
};

} // namespace facet
