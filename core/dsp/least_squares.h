// Levenberg–Marquardt for least squares and least absolute values within a box, with batch evaluation.
#pragma once

#include "core/base/task.h"

#include <Eigen/Core>
#include <functional>
#include <vector>

namespace facet {

/// What to minimize: the sum of squared residuals over bounded parameters.
struct LeastSquaresProblem {
    Eigen::VectorXd lower; ///< bounds of each parameter, lower ≤ upper
    Eigen::VectorXd upper;
    /// Residual vectors at several points; all of one length. Called with everything that may be computed side by
    /// side: the columns of a Jacobian, or several step lengths. A point without a result is an empty vector.
    std::function<std::vector<Eigen::VectorXf>(const std::vector<Eigen::VectorXd>& points)> residuals;
};

/// When to stop, and how steps are taken.
struct LeastSquaresSettings {
    int iterations = 20;
    double differenceStep = 1e-4;      ///< forward difference, as a share of each parameter's range
    Eigen::VectorXd differenceSteps{}; ///< per-parameter override of differenceStep, or empty
    bool absoluteValues = false;       ///< minimize Σ|r| by re-weighting instead of Σr²
    double absoluteFloor = 0.05;       ///< residuals below this count as squares when re-weighting
    double tolerance = 1e-6;           ///< stop when an iteration gains less than this share
    /// Steps after each Jacobian that update it from the steps before (Broyden), as long as they gain; an iteration
    /// is a Jacobian with all its steps.
    int updates = 0;
};

/// Where the minimization ended.
struct LeastSquaresResult {
    Eigen::VectorXd point;
    double cost = 0.0; ///< mean of r² or |r|
    int evaluations = 0;
};

/// Minimizes from `start` (clamped into the box). K. Levenberg, Quart. Appl. Math. 2, 1944; D. Marquardt,
/// J. SIAM 11(2), 1963; bounds by fixing the parameters that a step would push outside and solving for the rest;
/// absolute values by iteratively re-weighted least squares (E. Schlossmacher, JASA 68, 1973);
/// updates of the Jacobian by C. G. Broyden, Mathematics of Computation 19, 1965.
/// Throws Cancelled.
LeastSquaresResult minimizeLeastSquares(const LeastSquaresProblem& problem, const Eigen::VectorXd& start,
                                        const LeastSquaresSettings& settings, const Task& task = {});

/// The step δ with (`normal` + `damping` · its diagonal) δ = −`gradient` from `point`; parameters at a bound that it
/// would push further out are held fixed.
Eigen::VectorXd boundedStep(const Eigen::MatrixXd& normal, const Eigen::VectorXd& gradient, double damping,
                            const Eigen::VectorXd& point, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper);

/// The same step by step, for whoever evaluates several of them together: as long as it asks for residuals at points,
/// they are to be answered, in that order.
class LeastSquaresWalk {
public:
    /// `nearby`: a Jacobian measured nearby to begin with instead of measuring one, or empty; columns of zeros are
    /// measured. That is the first iteration.
    LeastSquaresWalk(Eigen::VectorXd lower, Eigen::VectorXd upper, const Eigen::VectorXd& start,
                     LeastSquaresSettings settings, Eigen::MatrixXf nearby = {});
    /// None: it has come to its end.
    const std::vector<Eigen::VectorXd>& asked() const { return asked_; }
    void answer(const std::vector<Eigen::VectorXf>& residuals);
    const LeastSquaresResult& result() const { return result_; }
    /// At the result; the Jacobian as it was last measured, updated from the steps since (Broyden), or empty.
    const Eigen::VectorXf& residual() const { return residual_; }
    const Eigen::MatrixXf& jacobian() const { return jacobian_; }

private:
    enum class Stage { start, jacobian, trials };
    void iterate();
    void beginStep(int attempts);
    void askTrials();
    void askColumns();
    void takeColumns(const std::vector<Eigen::VectorXf>& columns);
    void takeTrials(const std::vector<Eigen::VectorXf>& residuals);
    void endStep(bool improved);
    void learn(const Eigen::VectorXd& step, const Eigen::VectorXf& there);

    Eigen::VectorXd lower_, upper_;
    LeastSquaresSettings settings_;
    LeastSquaresResult result_;
    Stage stage_ = Stage::start;
    std::vector<Eigen::VectorXd> asked_;
    Eigen::VectorXd steps_; ///< of the forward differences; 0: that column is not asked for
    Eigen::VectorXf residual_;
    Eigen::MatrixXf jacobian_;
    /// Normal equations of the weighted linearization: `matrix_` δ = −`gradient_`.
    Eigen::MatrixXd matrix_;
    Eigen::VectorXd gradient_;
    std::vector<double> dampings_; ///< of the trials asked for
    double damping_ = 1e-2;
    int iteration_ = 0;
    int update_ = -1; ///< steps since the Jacobian was asked for; −1: the first
    int attempts_ = 0;
    double before_ = 0.0; ///< cost at the beginning of the step
};

} // namespace facet
