// How sure a search is of the values it found.
#pragma once

#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>
#include <functional>
#include <vector>

namespace facet {

/// Between these values, in the parameter's unit, the sound stays about as alike even when all other parameters follow.
struct KnownRange {
    Address address;
    double value = 0.0, low = 0.0, high = 0.0;
    double share = 0.0; ///< of what the search may choose from that lies between them: near 0 sure, near 1 unknown
};

/// Of every parameter in the space, the surest first: where the loss, taken as quadratic about the patch, rises by a
/// twentieth (the ellipsoid of a linearized least-squares problem, D. M. Bates, D. G. Watts, "Nonlinear Regression
/// Analysis and Its Applications", 1988, sect. 1.3). `residuals` gives what the loss is the mean magnitude of, for
/// any number of patches; it is asked once for one patch more than there are parameters.
std::vector<KnownRange>
certaintyOf(const Patch& patch, const SearchSpace& space,
            const std::function<std::vector<Eigen::VectorXf>(const std::vector<Patch>&)>& residuals);

} // namespace facet
