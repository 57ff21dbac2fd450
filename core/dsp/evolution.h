// Minimizing without derivatives.
#pragma once

#include "core/base/task.h"

#include <Eigen/Core>
#include <cstdint>
#include <functional>
#include <vector>

namespace facet {

/// When to stop, and where to begin.
struct EvolutionSettings {
    double deviation = 0.3; ///< of the first generation, in units of the coordinates
    int evaluations = 1000; ///< values asked for at most, but for the rest of a generation
    std::uint64_t seed = 1;
};

/// Where it ended.
struct EvolutionResult {
    Eigen::VectorXd point; ///< the best that was seen, within the bounds
    double value = 0.0;
    int evaluations = 0;
};

/// Covariance matrix adaptation with its default constants (N. Hansen, "The CMA evolution strategy: a tutorial",
/// arXiv:1604.00772); what lies beyond a bound is evaluated at it. `values` is asked for a generation at a time.
/// Equal seeds and values give equal results. Throws Cancelled, and whatever `values` throws.
EvolutionResult evolve(const std::function<std::vector<double>(const std::vector<Eigen::VectorXd>&)>& values,
                       const Eigen::VectorXd& start, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper,
                       const EvolutionSettings& settings, const Task& task = {});

} // namespace facet
