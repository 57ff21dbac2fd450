// Linearized re-optimization: what a changed patch comes to once all other parameters are fitted again.
#pragma once

#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <Eigen/Core>

namespace facet {

/// A structural change seldom gains anything by itself: a level that falls with the key also makes the low notes
/// louder, until gain, decay and velocity response have been fitted again. How far they would move is estimated from
/// the Jacobian at the patch before the change (a step of iteratively re-weighted least squares, as E. Schlossmacher,
/// JASA 68, 1973), which costs no render. A value; reading it from several threads is safe.
class LinearRefit {
public:
    /// `residual`: of the patch `at`; `jacobian`: its derivatives by the coordinates of `space`, a column each.
    LinearRefit(Patch at, SearchSpace space, const Eigen::VectorXf& residual, const Eigen::MatrixXf& jacobian);

    const Patch& at() const { return at_; }
    /// Whether a patch with this residual sounds like the one that the Jacobian belongs to: no residual differs by
    /// 0.001 dB.
    bool soundsAs(const Eigen::VectorXf& residual) const;

    struct Estimate {
        Patch patch; ///< the changed one, re-optimized
        double loss; ///< that is predicted for it: mean absolute residual, dB
    };
    /// `residual`: of the changed patch as proposed. The amount of a newly added link is fitted like the rest, to
    /// either sign; parameters that the change itself has set stay.
    Estimate of(const Patch& changed, const Eigen::VectorXf& residual) const;

    /// The columns that hold for another patch too, one for each coordinate of its space: zeros for newly added
    /// parameters, and for all of a module that is of another kind now.
    Eigen::MatrixXf jacobianFor(const Patch& other, const SearchSpace& space) const;

private:
    Patch at_;
    SearchSpace space_;
    Eigen::VectorXd position_;
    Eigen::MatrixXf whole_;    ///< the Jacobian
    Eigen::VectorXf residual_; ///< every so many rows, which are enough for an estimate
    Eigen::MatrixXf jacobian_;
};

} // namespace facet
