// What changed patches come to when everything else gives way, as far as slopes foretell it.
#pragma once

#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>

namespace facet {

/// A change of structure is seldom good as it comes: a level that falls with the key also makes the low notes louder,
/// until the gain, the decay and the touch have followed. How far they would have to is estimated from the slopes at
/// the patch before the change (a step of iteratively re-weighted least squares, as E. Schlossmacher, JASA 68, 1973),
/// which costs no render. Reading it from several threads is safe.
class LinearRefit {
public:
    /// `residual`: of the patch `at`; `jacobian`: its derivatives by the coordinates of `space`, a column each.
    LinearRefit(Patch at, SearchSpace space, const Eigen::VectorXf& residual, const Eigen::MatrixXf& jacobian);

    const Patch& at() const { return at_; }
    /// Whether a patch with this residual sounds as the patch does.
    bool soundsAs(const Eigen::VectorXf& residual) const;

    struct Estimate {
        Patch patch; ///< the changed one, the rest having given way
        double loss; ///< that it should have: mean absolute residual
    };
    /// `residual`: of the changed patch as it is. The amount of a link that came in gives way like the rest, to either
    /// sign; what the change itself has set otherwise stays.
    Estimate of(const Patch& changed, const Eigen::VectorXf& residual) const;

    /// What is known of the slopes at another patch: a column for each coordinate of its space; zeros for what has come
    /// in, and for all of a module that is of another kind now.
    Eigen::MatrixXf jacobianFor(const Patch& other, const SearchSpace& space) const;

private:
    Patch at_;
    SearchSpace space_;
    Eigen::VectorXd position_;
    Eigen::MatrixXf whole_;    ///< the Jacobian
    Eigen::VectorXf residual_; ///< every so many rows, which tell enough
    Eigen::MatrixXf jacobian_;
};

} // namespace facet
