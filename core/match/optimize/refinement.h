// Patches improved where they stand, several of them side by side.
#pragma once

#include "core/dsp/least_squares.h"
#include "core/match/optimize/linear_refit.h"
#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>
#include <functional>
#include <optional>
#include <vector>

namespace facet {

/// One patch on its way to the least mean absolute residual within limits.
class Refinement {
public:
    /// `near`: the Jacobian at a patch of which this is a change; the first iteration reuses it and measures only the
    /// columns of newly added parameters.
    Refinement(const Patch& from, const SearchLimits& limits, const Identifiable& identifiable, int iterations,
               const LinearRefit* near = nullptr);
    /// Patches whose residuals are wanted next; none: it has come to its end.
    std::vector<Patch> asked() const;
    void answer(const std::vector<Eigen::VectorXf>& residuals) { walk_.answer(residuals); }
    Patch patch() const { return space_.patchAt(from_, walk_.result().point); }
    double loss() const { return walk_.result().cost; }
    /// None when it has not come to measuring jacobian.
    std::optional<LinearRefit> jacobian() const;

private:
    Patch from_;
    SearchSpace space_;
    LeastSquaresWalk walk_;
};

/// What one of them asks for fills lanes and threads badly by itself. `affords`: whether so many renders may still be
/// made; where it is enough for the first of them only, the others stay where they are. `residuals` may throw, and what
/// they have found until then stands.
void refineTogether(std::vector<Refinement>& some,
                    const std::function<std::vector<Eigen::VectorXf>(const std::vector<Patch>&)>& residuals,
                    const std::function<bool(std::size_t)>& affords, int threads);

} // namespace facet
