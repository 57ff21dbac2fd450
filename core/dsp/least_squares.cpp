#include "core/dsp/least_squares.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <limits>

namespace facet {

namespace {

double costOf(const Eigen::VectorXf& residual, bool absolute) {
    constexpr double infinite = std::numeric_limits<double>::infinity();
    if (residual.size() == 0) return infinite;
    const double sum = absolute ? residual.cwiseAbs().cast<double>().sum() : residual.cast<double>().squaredNorm();
    return std::isnan(sum) ? infinite : sum / static_cast<double>(residual.size());
}

/// Normal equations of the weighted linearization: `matrix` δ = −`gradient`.
struct Linearization {
    Eigen::MatrixXd matrix;
    Eigen::VectorXd gradient;
};

Linearization linearize(const Eigen::VectorXf& residual, const Eigen::MatrixXf& jacobian,
                        const LeastSquaresSettings& settings) {
    if (!settings.absoluteValues)
        return {(jacobian.transpose() * jacobian).cast<double>(), (jacobian.transpose() * residual).cast<double>()};
    const auto floor = static_cast<float>(settings.absoluteFloor);
    const Eigen::VectorXf weight = residual.cwiseAbs().cwiseMax(floor).cwiseInverse();
    const Eigen::MatrixXf weighted = weight.asDiagonal() * jacobian;
    return {(jacobian.transpose() * weighted).cast<double>(), (weighted.transpose() * residual).cast<double>()};
}

/// The damped step from `point`, with parameters at a bound that the step would push further out held fixed.
Eigen::VectorXd boundedStep(const Linearization& linear, double damping, const Eigen::VectorXd& point,
                            const LeastSquaresProblem& problem) {
    const auto n = point.size();
    std::vector<bool> fixed(static_cast<std::size_t>(n), false);
    Eigen::VectorXd step = Eigen::VectorXd::Zero(n);
    for (int round = 0; round < 4; ++round) {
        Eigen::MatrixXd matrix = linear.matrix;
        Eigen::VectorXd right = -linear.gradient;
        const double smallest = 1e-9 * std::max(1e-30, matrix.diagonal().maxCoeff());
        for (Eigen::Index i = 0; i < n; ++i) {
            matrix(i, i) += damping * matrix(i, i) + smallest;
            if (!fixed[static_cast<std::size_t>(i)]) continue;
            right -= matrix.col(i) * step(i);
        }
        for (Eigen::Index i = 0; i < n; ++i)
            if (fixed[static_cast<std::size_t>(i)]) {
                matrix.row(i).setZero();
                matrix.col(i).setZero();
                matrix(i, i) = 1.0;
                right(i) = step(i);
            }
        step = matrix.ldlt().solve(right);
        bool changed = false;
        for (Eigen::Index i = 0; i < n; ++i) {
            const double clipped =
                std::min(std::max(point(i) + step(i), problem.lower(i)), problem.upper(i)) - point(i);
            if (clipped == step(i) || fixed[static_cast<std::size_t>(i)]) continue;
            step(i) = clipped;
            fixed[static_cast<std::size_t>(i)] = true;
            changed = true;
        }
        if (!changed) break;
    }
    return (point + step).cwiseMax(problem.lower).cwiseMin(problem.upper) - point;
}

} // namespace

namespace {

/// One minimization under way.
class Minimization {
public:
    Minimization(const LeastSquaresProblem& problem, const Eigen::VectorXd& start, const LeastSquaresSettings& settings)
        : problem_(problem),
          settings_(settings), result_{start.cwiseMax(problem.lower).cwiseMin(problem.upper), 0.0, 0} {
        residual_ = evaluate({result_.point}).front();
        result_.cost = costOf(residual_, settings.absoluteValues);
    }

    LeastSquaresResult run(const Task& task) {
        for (int iteration = 0; iteration < settings_.iterations; ++iteration) {
            task.check();
            differentiate();
            if (!step(3)) break;
            for (int update = 0; update < settings_.updates && step(1); ++update) task.check();
        }
        return result_;
    }

private:
    std::vector<Eigen::VectorXf> evaluate(const std::vector<Eigen::VectorXd>& points) {
        result_.evaluations += static_cast<int>(points.size());
        return problem_.residuals(points);
    }

    /// The Jacobian by forward differences.
    void differentiate() {
        const auto n = result_.point.size();
        const Eigen::VectorXd range = problem_.upper - problem_.lower;
        std::vector<Eigen::VectorXd> points;
        Eigen::VectorXd steps(n);
        for (Eigen::Index i = 0; i < n; ++i) {
            const double share =
                settings_.differenceSteps.size() == n ? settings_.differenceSteps(i) : settings_.differenceStep;
            steps(i) = share * range(i);
            if (steps(i) == 0.0) continue; // fixed: nothing to ask
            if (result_.point(i) + steps(i) > problem_.upper(i)) steps(i) = -steps(i);
            points.push_back(result_.point);
            points.back()(i) += steps(i);
        }
        const auto columns = evaluate(points);
        jacobian_ = Eigen::MatrixXf::Zero(residual_.size(), n);
        std::size_t next = 0;
        for (Eigen::Index i = 0; i < n; ++i) {
            if (steps(i) == 0.0) continue;
            const auto& column = columns[next++];
            if (column.size() == residual_.size())
                jacobian_.col(i) = (column - residual_) / static_cast<float>(steps(i));
        }
    }

    /// Goes to the best of several damped steps, trying larger dampings up to so many times; false when none gained
    /// enough for it to be worth going on. What the trials tell of the Jacobian is kept.
    bool step(int attempts) {
        const Linearization linear = linearize(residual_, jacobian_, settings_);
        const double before = result_.cost;
        const Eigen::VectorXd from = result_.point;
        const Eigen::VectorXf residualThere = residual_;
        bool improved = false;
        for (int attempt = 0; attempt < attempts && !improved; ++attempt) {
            // Four dampings side by side cost little more than one.
            std::vector<Eigen::VectorXd> trials;
            std::vector<double> dampings;
            for (double factor : {0.1, 1.0, 10.0, 100.0}) {
                dampings.push_back(damping_ * factor);
                trials.push_back(from + boundedStep(linear, dampings.back(), from, problem_));
            }
            const auto residuals = evaluate(trials);
            std::vector<double> costs;
            for (const auto& each : residuals) costs.push_back(costOf(each, settings_.absoluteValues));
            const auto best = static_cast<std::size_t>(std::min_element(costs.begin(), costs.end()) - costs.begin());
            // The steps lie nearly on one line: the best of them tells what there is to tell.
            if (settings_.updates > 0) learn(trials[best] - from, residuals[best], residualThere);
            improved = costs[best] < result_.cost;
            if (improved) {
                result_.cost = costs[best];
                result_.point = trials[best];
                residual_ = residuals[best];
                damping_ = std::max(1e-6, dampings[best]);
            } else {
                damping_ *= 1000.0;
            }
        }
        return improved && before - result_.cost >= settings_.tolerance * before;
    }

    /// Broyden's update: the Jacobian with the least change that explains a step.
    void learn(const Eigen::VectorXd& step, const Eigen::VectorXf& there, const Eigen::VectorXf& here) {
        const double length = step.squaredNorm();
        if (there.size() != here.size() || length < 1e-12) return;
        const Eigen::VectorXf direction = step.cast<float>();
        const Eigen::VectorXf unexplained = there - here - jacobian_ * direction;
        jacobian_ += unexplained * (direction.transpose() / static_cast<float>(length));
    }

    const LeastSquaresProblem& problem_;
    const LeastSquaresSettings& settings_;
    LeastSquaresResult result_;
    Eigen::VectorXf residual_;
    Eigen::MatrixXf jacobian_;
    double damping_ = 1e-2;
};

} // namespace

LeastSquaresResult minimizeLeastSquares(const LeastSquaresProblem& problem, const Eigen::VectorXd& start,
                                        const LeastSquaresSettings& settings, const Task& task) {
    return Minimization(problem, start, settings).run(task);
}

} // namespace facet
