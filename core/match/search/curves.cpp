#include "core/match/search/curves.h"

#include "core/base/parallel.h"
#include "core/dsp/least_squares.h"
#include "core/engine/render.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <string_view>

namespace facet {

namespace {

constexpr double secondsPerKnot = 0.5, earnedShare = 0.1, earnedLikeness = 2.0;
constexpr int fewestKnots = 3, mostKnots = 12;
constexpr std::size_t mostCurves = 3;
constexpr double simplification = 0.01; ///< of a parameter's travel

/// What is turned by hand while something plays.
bool isTurned(const Patch& patch, const Address& address) {
    static constexpr std::string_view fields[] = {"cutoff", "resonance", "position", "width", "level"};
    const auto& d = patch.descriptor(address);
    const Patch::Module& module = *patch.find(address.module);
    return (d.module == ModuleKind::filter || d.module == ModuleKind::source) && d.smoothing == Smoothing::block &&
           !d.isDiscrete() && std::find(std::begin(fields), std::end(fields), d.field) != std::end(fields) &&
           takesPart(patch, module) && matters(patch, module, d);
}

/// Thrown when a curve cannot be finished in time.
struct TimeIsUp {};

class Tracer {
public:
    Tracer(const Patch& of, const PreparedTarget& to, const MatchSettings& options,
           const std::function<bool()>& whetherToGoOn, const Task& work)
        : patch(of), target(to), settings(options), goOn(whetherToGoOn), task(work) {
        const int knots = std::clamp(static_cast<int>(std::lround(target.performance.seconds() / secondsPerKnot)) + 1,
                                     fewestKnots, mostKnots);
        for (int i = 0; i < knots; ++i) times.push_back(target.performance.seconds() * i / (knots - 1));
    }

    /// The best curve of one parameter, and the loss with it.
    struct Traced {
        Curve curve;
        double loss;
    };
    /// Throws TimeIsUp.
    Traced trace(const Address& address, const Performance& performance) const {
        const auto& d = patch.descriptor(address);
        const auto knots = static_cast<Eigen::Index>(times.size());
        double low = 0.0, high = 1.0;
        if (const auto range = settings.limits.ranges.find(address); range != settings.limits.ranges.end()) {
            low = d.toUnit(range->second.first);
            high = d.toUnit(range->second.second);
        }
        LeastSquaresProblem problem{Eigen::VectorXd::Constant(knots, low), Eigen::VectorXd::Constant(knots, high),
                                    [&](const std::vector<Eigen::VectorXd>& points) {
                                        std::vector<Performance> played(points.size(), performance);
                                        for (std::size_t i = 0; i < points.size(); ++i)
                                            played[i].setCurve(curveThrough(address, points[i]));
                                        return residuals(played);
                                    }};
        LeastSquaresSettings lm;
        lm.iterations = 4;
        lm.differenceStep = 0.015;
        lm.absoluteValues = true;
        lm.absoluteFloor = 0.5;
        lm.tolerance = 5e-3;
        lm.updates = 2;
        const auto start = Eigen::VectorXd::Constant(knots, d.toUnit(patch.value(address)));
        const auto found = minimizeLeastSquares(problem, start, lm, task);
        Curve curve = curveThrough(address, found.point);
        curve.points = simplified(curve.points, simplification);
        return {std::move(curve), found.cost};
    }

    double lossOf(const Performance& performance) const {
        return Loss::value(target.loss->residual(renderAt48k({&patch, 1}, performance, task).front()));
    }

    double likenessOf(const Performance& performance) const {
        const Recording render = std::move(renderAt48k({&patch, 1}, performance, task).front());
        return target.compareWith(render, settings.threads, settings.weights, task).likeness;
    }

private:
    Curve curveThrough(const Address& address, const Eigen::VectorXd& places) const {
        Curve curve{address.text(), {}};
        for (std::size_t i = 0; i < times.size(); ++i)
            curve.points.push_back({times[i], places(static_cast<Eigen::Index>(i))});
        return curve;
    }

    std::vector<Eigen::VectorXf> residuals(const std::vector<Performance>& performances) const {
        std::vector<Eigen::VectorXf> all(performances.size());
        parallelFor(static_cast<int>(performances.size()), settings.threads, [&](int i) {
            if (!goOn()) throw TimeIsUp();
            const auto at = static_cast<std::size_t>(i);
            all[at] = target.loss->residual(renderAt48k({&patch, 1}, performances[at], task).front());
        });
        return all;
    }

    const Patch& patch;
    const PreparedTarget& target;
    const MatchSettings& settings;
    const std::function<bool()>& goOn;
    const Task& task;
    std::vector<double> times;
};

} // namespace

std::vector<Curve> curvesFor(const Patch& patch, const PreparedTarget& target, const MatchSettings& settings,
                             const std::function<bool()>& goOn, const Task& task) {
    const Tracer tracer(patch, target, settings, goOn, task);
    Performance performance = target.performance;
    std::vector<Address> turned;
    for (const Address& address : patch.addresses())
        if (!settings.limits.locks.contains(address) && !settings.limits.held.contains(address) &&
            !performance.curveOf(address.text()) && isTurned(patch, address))
            turned.push_back(address);
    std::vector<Curve> curves;
    if (!goOn()) return curves;
    double loss = tracer.lossOf(performance), likeness = tracer.likenessOf(performance);
    while (curves.size() < mostCurves) {
        Tracer::Traced best{{}, loss};
        try {
            for (const Address& address : turned) {
                if (performance.curveOf(address.text())) continue;
                Tracer::Traced traced = tracer.trace(address, performance);
                if (traced.loss < best.loss) best = std::move(traced);
            }
        } catch (const TimeIsUp&) {} // what was found so far may do
        if (best.loss > (1.0 - earnedShare) * loss) break;
        Performance moved = performance;
        moved.setCurve(best.curve);
        const double reached = tracer.likenessOf(moved);
        if (reached < likeness + earnedLikeness) break;
        performance = std::move(moved);
        loss = best.loss;
        likeness = reached;
        curves.push_back(std::move(best.curve));
    }
    return curves;
}

} // namespace facet
