#include "core/dsp/evolution.h"

#include "core/base/random.h"
#include "core/dsp/linear_algebra.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

namespace facet {

namespace {

constexpr int decomposedEvery = 5; ///< generations: what changes little is not solved anew each time

double normal(Random& random) {
    return std::sqrt(-2.0 * std::log(1.0 - random.unit())) * std::cos(2.0 * std::numbers::pi * random.unit());
}

/// The tutorial's constants, by its names.
struct Constants {
    int lambda, mu;
    Eigen::VectorXd weights;
    double effective, cc, cs, c1, cmu, damping, expected;

    explicit Constants(int n) : lambda(4 + static_cast<int>(3.0 * std::log(n))), mu(lambda / 2), weights(mu) {
        for (int i = 0; i < mu; ++i) weights(i) = std::log(0.5 * (lambda + 1)) - std::log(i + 1.0);
        weights /= weights.sum();
        effective = 1.0 / weights.squaredNorm();
        cc = (4.0 + effective / n) / (n + 4.0 + 2.0 * effective / n);
        cs = (effective + 2.0) / (n + effective + 5.0);
        c1 = 2.0 / ((n + 1.3) * (n + 1.3) + effective);
        cmu = std::min(1.0 - c1, 2.0 * (effective - 2.0 + 1.0 / effective) / ((n + 2.0) * (n + 2.0) + effective));
        damping = 1.0 + 2.0 * std::max(0.0, std::sqrt((effective - 1.0) / (n + 1.0)) - 1.0) + cs;
        expected = std::sqrt(n) * (1.0 - 1.0 / (4.0 * n) + 1.0 / (21.0 * n * n));
    }
};

} // namespace

EvolutionResult evolve(const std::function<std::vector<double>(const std::vector<Eigen::VectorXd>&)>& values,
                       const Eigen::VectorXd& start, const Eigen::VectorXd& lower, const Eigen::VectorXd& upper,
                       const EvolutionSettings& settings, const Task& task) {
    const int n = static_cast<int>(start.size());
    EvolutionResult best{start.cwiseMax(lower).cwiseMin(upper), std::numeric_limits<double>::infinity(), 0};
    if (n == 0) return best;
    const Constants c(n);
    Random random(settings.seed);
    Eigen::VectorXd mean = best.point, pc = Eigen::VectorXd::Zero(n), ps = pc, scale = Eigen::VectorXd::Ones(n);
    Eigen::MatrixXd covariance = Eigen::MatrixXd::Identity(n, n), axes = covariance;
    double sigma = settings.deviation;
    for (int generation = 0; best.evaluations < settings.evaluations; ++generation) {
        task.check();
        std::vector<Eigen::VectorXd> steps, points;
        for (int k = 0; k < c.lambda; ++k) {
            Eigen::VectorXd z(n);
            for (int i = 0; i < n; ++i) z(i) = normal(random);
            steps.emplace_back(axes * scale.cwiseProduct(z));
            points.emplace_back((mean + sigma * steps.back()).cwiseMax(lower).cwiseMin(upper));
        }
        const std::vector<double> found = values(points);
        best.evaluations += c.lambda;
        std::vector<std::size_t> order(found.size());
        std::iota(order.begin(), order.end(), 0u);
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return found[a] < found[b]; });
        if (found[order.front()] < best.value) {
            best.value = found[order.front()];
            best.point = points[order.front()];
        }
        Eigen::VectorXd step = Eigen::VectorXd::Zero(n);
        for (int i = 0; i < c.mu; ++i) step += c.weights(i) * steps[order[static_cast<std::size_t>(i)]];
        mean += sigma * step;
        ps = (1.0 - c.cs) * ps +
             std::sqrt(c.cs * (2.0 - c.cs) * c.effective) * (axes * (axes.transpose() * step).cwiseQuotient(scale));
        const bool held = ps.norm() / std::sqrt(1.0 - std::pow(1.0 - c.cs, 2.0 * (generation + 1))) <
                          (1.4 + 2.0 / (n + 1.0)) * c.expected;
        pc = (1.0 - c.cc) * pc + (held ? std::sqrt(c.cc * (2.0 - c.cc) * c.effective) : 0.0) * step;
        covariance *= 1.0 - c.c1 - c.cmu + (held ? 0.0 : c.c1 * c.cc * (2.0 - c.cc));
        covariance += c.c1 * pc * pc.transpose();
        for (int i = 0; i < c.mu; ++i) {
            const Eigen::VectorXd& y = steps[order[static_cast<std::size_t>(i)]];
            covariance += c.cmu * c.weights(i) * y * y.transpose();
        }
        sigma *= std::exp(std::min(1.0, (c.cs / c.damping) * (ps.norm() / c.expected - 1.0)));
        if (generation % decomposedEvery == 0) {
            const PrincipalAxes solved = principalAxes(0.5 * (covariance + covariance.transpose()));
            axes = solved.vectors;
            scale = solved.values.cwiseMax(1e-14).cwiseSqrt();
        }
    }
    return best;
}

} // namespace facet
