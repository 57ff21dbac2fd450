#include "core/dsp/least_squares.h"

#include "core/dsp/linear_algebra.h"

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

} // namespace

Eigen::VectorXd boundedStep(const Eigen::MatrixXd& normal, const Eigen::VectorXd& gradient, double damping,
                            const Eigen::VectorXd& point, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper) {
    const auto n = point.size();
    std::vector<bool> fixed(static_cast<std::size_t>(n), false);
    Eigen::VectorXd step = Eigen::VectorXd::Zero(n);
    for (int round = 0; round < 4; ++round) {
        Eigen::MatrixXd matrix = normal;
        Eigen::VectorXd right = -gradient;
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
        step = solveSymmetric(matrix, right);
        bool changed = false;
        for (Eigen::Index i = 0; i < n; ++i) {
            const double clipped = std::min(std::max(point(i) + step(i), lower(i)), upper(i)) - point(i);
            if (clipped == step(i) || fixed[static_cast<std::size_t>(i)]) continue;
            step(i) = clipped;
            fixed[static_cast<std::size_t>(i)] = true;
            changed = true;
        }
        if (!changed) break;
    }
    return (point + step).cwiseMax(lower).cwiseMin(upper) - point;
}

LeastSquaresWalk::LeastSquaresWalk(Eigen::VectorXd lower, Eigen::VectorXd upper, const Eigen::VectorXd& start,
                                   LeastSquaresSettings settings, Eigen::MatrixXf nearby)
    : lower_(std::move(lower)), upper_(std::move(upper)),
      settings_(std::move(settings)), result_{start.cwiseMax(lower_).cwiseMin(upper_), 0.0, 0}, asked_{result_.point},
      jacobian_(std::move(nearby)) {}

void LeastSquaresWalk::answer(const std::vector<Eigen::VectorXf>& residuals) {
    result_.evaluations += static_cast<int>(residuals.size());
    switch (stage_) {
    case Stage::start:
        residual_ = residuals.front();
        result_.cost = costOf(residual_, settings_.absoluteValues);
        iterate();
        break;
    case Stage::jacobian: takeColumns(residuals); break;
    case Stage::trials: takeTrials(residuals); break;
    }
}

/// With a Jacobian by forward differences, if there is to be one more.
void LeastSquaresWalk::iterate() {
    asked_.clear();
    if (iteration_++ == settings_.iterations) return;
    const auto n = result_.point.size();
    const bool own = settings_.differenceSteps.size() == n;
    steps_ = (own ? settings_.differenceSteps : Eigen::VectorXd::Constant(n, settings_.differenceStep))
                 .cwiseProduct(upper_ - lower_);
    const bool guessed = iteration_ == 1 && n > 0 && jacobian_.cols() == n && jacobian_.rows() == residual_.size();
    if (guessed)
        steps_ = (jacobian_.colwise().squaredNorm().transpose().array() > 0.0f).select(0.0, steps_);
    else
        jacobian_ = Eigen::MatrixXf::Zero(residual_.size(), n);
    update_ = guessed ? 0 : -1;
    askColumns();
    if (guessed && asked_.empty()) beginStep(1);
}

void LeastSquaresWalk::askColumns() {
    stage_ = Stage::jacobian;
    for (Eigen::Index i = 0; i < steps_.size(); ++i) {
        if (steps_(i) == 0.0) continue;
        if (result_.point(i) + steps_(i) > upper_(i)) steps_(i) = -steps_(i);
        asked_.push_back(result_.point);
        asked_.back()(i) += steps_(i);
    }
}

void LeastSquaresWalk::takeColumns(const std::vector<Eigen::VectorXf>& columns) {
    std::size_t next = 0;
    for (Eigen::Index i = 0; i < steps_.size(); ++i) {
        if (steps_(i) == 0.0) continue;
        const auto& column = columns[next++];
        if (column.size() == residual_.size()) jacobian_.col(i) = (column - residual_) / static_cast<float>(steps_(i));
    }
    beginStep(3);
}

/// To the best of several damped steps, trying larger dampings up to so many times.
void LeastSquaresWalk::beginStep(int attempts) {
    if (settings_.absoluteValues) {
        const auto floor = static_cast<float>(settings_.absoluteFloor);
        const Eigen::VectorXf weight = residual_.cwiseAbs().cwiseMax(floor).cwiseInverse();
        const Eigen::MatrixXf weighted = weight.asDiagonal() * jacobian_;
        matrix_ = (jacobian_.transpose() * weighted).cast<double>();
        gradient_ = (weighted.transpose() * residual_).cast<double>();
    } else {
        matrix_ = (jacobian_.transpose() * jacobian_).cast<double>();
        gradient_ = (jacobian_.transpose() * residual_).cast<double>();
    }
    before_ = result_.cost;
    attempts_ = attempts;
    stage_ = Stage::trials;
    askTrials();
}

void LeastSquaresWalk::askTrials() {
    // Four dampings side by side cost little more than one.
    asked_.clear();
    dampings_.clear();
    for (double factor : {0.1, 1.0, 10.0, 100.0}) {
        dampings_.push_back(damping_ * factor);
        asked_.push_back(result_.point +
                         boundedStep(matrix_, gradient_, dampings_.back(), result_.point, lower_, upper_));
    }
}

void LeastSquaresWalk::takeTrials(const std::vector<Eigen::VectorXf>& residuals) {
    std::vector<double> costs;
    for (const auto& each : residuals) costs.push_back(costOf(each, settings_.absoluteValues));
    const auto best = static_cast<std::size_t>(std::min_element(costs.begin(), costs.end()) - costs.begin());
    // The steps lie nearly on one line: the best of them updates the Jacobian with all there is.
    if (settings_.updates > 0) learn(asked_[best] - result_.point, residuals[best]);
    if (costs[best] < result_.cost) {
        result_.cost = costs[best];
        result_.point = asked_[best];
        residual_ = residuals[best];
        damping_ = std::max(1e-6, dampings_[best]);
        endStep(true);
    } else {
        damping_ *= 1000.0;
        if (--attempts_ > 0)
            askTrials();
        else
            endStep(false);
    }
}

void LeastSquaresWalk::endStep(bool improved) {
    const bool worthwhile = improved && before_ - result_.cost >= settings_.tolerance * before_;
    if (worthwhile && ++update_ < settings_.updates)
        beginStep(1);
    else if (worthwhile || update_ >= 0)
        iterate();
    else
        asked_.clear(); // a Jacobian that led nowhere: the end
}

/// Broyden's update: the Jacobian with the least change that explains a step.
void LeastSquaresWalk::learn(const Eigen::VectorXd& step, const Eigen::VectorXf& there) {
    const double length = step.squaredNorm();
    if (there.size() != residual_.size() || length < 1e-12) return;
    const Eigen::VectorXf direction = step.cast<float>();
    const Eigen::VectorXf unexplained = there - residual_ - jacobian_ * direction;
    jacobian_ += unexplained * (direction.transpose() / static_cast<float>(length));
}

LeastSquaresResult minimizeLeastSquares(const LeastSquaresProblem& problem, const Eigen::VectorXd& start,
                                        const LeastSquaresSettings& settings, const Task& task) {
    LeastSquaresWalk walk(problem.lower, problem.upper, start, settings);
    while (!walk.asked().empty()) {
        task.check();
        walk.answer(problem.residuals(walk.asked()));
    }
    return walk.result();
}

} // namespace facet
