#include "core/dsp/least_squares.h"

#include <Eigen/Cholesky>
#include <cmath>

namespace facet {

namespace {

double costOf(const Eigen::VectorXf& residual, bool absolute) {
    if (residual.size() == 0) return std::numeric_limits<double>::infinity();
    return (absolute ? residual.cwiseAbs().cast<double>().sum() : residual.cast<double>().squaredNorm()) /
           static_cast<double>(residual.size());
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

LeastSquaresResult minimizeLeastSquares(const LeastSquaresProblem& problem, const Eigen::VectorXd& start,
                                        const LeastSquaresSettings& settings, const Task& task) {
    const auto n = start.size();
    LeastSquaresResult result{start.cwiseMax(problem.lower).cwiseMin(problem.upper), 0.0, 0};
    Eigen::VectorXf residual = problem.residuals({result.point}).front();
    result.cost = costOf(residual, settings.absoluteValues);
    result.evaluations = 1;
    const Eigen::VectorXd range = problem.upper - problem.lower;
    double damping = 1e-2;
    for (int iteration = 0; iteration < settings.iterations; ++iteration) {
        task.check();
        std::vector<Eigen::VectorXd> points;
        Eigen::VectorXd steps(n);
        for (Eigen::Index i = 0; i < n; ++i) {
            const double share =
                settings.differenceSteps.size() == n ? settings.differenceSteps(i) : settings.differenceStep;
            steps(i) = share * range(i);
            if (steps(i) == 0.0) continue; // fixed: nothing to ask
            if (result.point(i) + steps(i) > problem.upper(i)) steps(i) = -steps(i);
            points.push_back(result.point);
            points.back()(i) += steps(i);
        }
        const auto columns = problem.residuals(points);
        result.evaluations += static_cast<int>(points.size());
        Eigen::MatrixXf jacobian = Eigen::MatrixXf::Zero(residual.size(), n);
        std::size_t next = 0;
        for (Eigen::Index i = 0; i < n; ++i) {
            if (steps(i) == 0.0) continue;
            const auto& column = columns[next++];
            if (column.size() == residual.size()) jacobian.col(i) = (column - residual) / static_cast<float>(steps(i));
        }
        const Linearization linear = linearize(residual, jacobian, settings);

        // Four dampings side by side cost little more than one.
        bool improved = false;
        const double before = result.cost;
        for (int attempt = 0; attempt < 3 && !improved; ++attempt) {
            std::vector<Eigen::VectorXd> trials;
            std::vector<double> dampings;
            for (double factor : {0.1, 1.0, 10.0, 100.0}) {
                dampings.push_back(damping * factor);
                trials.push_back(result.point + boundedStep(linear, dampings.back(), result.point, problem));
            }
            const auto residuals = problem.residuals(trials);
            result.evaluations += static_cast<int>(trials.size());
            for (std::size_t t = 0; t < trials.size(); ++t) {
                const double cost = costOf(residuals[t], settings.absoluteValues);
                if (!(cost < result.cost)) continue;
                result.cost = cost;
                result.point = trials[t];
                residual = residuals[t];
                damping = std::max(1e-6, dampings[t]);
                improved = true;
            }
            if (!improved) damping *= 1000.0;
        }
        if (!improved || before - result.cost < settings.tolerance * before) break;
    }
    return result;
}

} // namespace facet
