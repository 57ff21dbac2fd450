// Changes of a patch that are worth trying: steps of every parameter that is heard, other kinds, what could be added.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <vector>

namespace facet {

/// The ways in which one thing can change. Of a continuous parameter the values are sorted and the present one is not
/// among them; otherwise there are patches only.
struct MoveFamily {
    Address address; ///< of a continuous parameter; module empty: other kinds and structures
    FacetSet facets = 0;
    std::vector<double> values;
    std::vector<Patch> patches;
    bool continuous() const { return !values.empty(); }
};

/// Locks are obeyed, and so are the ranges where there are any. Overall loudness is left alone. What is added takes its
/// rates and times from the reference's profile where they were measured.
std::vector<MoveFamily> moveFamilies(const Patch& patch, const SearchLimits& limits, const Profile& reference);

/// The patch with one parameter at a value, as people would type it: three significant digits.
Patch withTypedValue(const Patch& patch, const Address& address, double value);

} // namespace facet
