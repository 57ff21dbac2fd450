#include "core/analysis/series/periodic.h"

#include "core/dsp/linear_algebra.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr int trendTerms = 4;

/// The trend alone, and with a sinusoid, fitted to the same points.
class Fitter {
public:
    Fitter(std::span<const float> values, double stepSeconds) {
        for (std::size_t i = 0; i < values.size(); ++i)
            if (isMeasured(values[i])) {
                times.push_back(static_cast<double>(i) * stepSeconds);
                heights.push_back(values[i]);
            }
        if (times.size() < 8) return;
        span = times.back() - times.front();
        const auto count = static_cast<Eigen::Index>(times.size());
        trend.resize(count, trendTerms);
        y.resize(count);
        for (Eigen::Index i = 0; i < count; ++i) {
            const double u = 2.0 * (times[static_cast<std::size_t>(i)] - times.front()) / span - 1.0;
            trend.row(i) << 1.0, u, 1.5 * u * u - 0.5, 2.5 * u * u * u - 1.5 * u; // Legendre
            y(i) = heights[static_cast<std::size_t>(i)];
        }
        // What a trend explains is the same at every rate: work on the remainder, orthogonal to it.
        basis = orthonormalBasis(trend);
        rest = y - basis * (basis.transpose() * y);
        variance = rest.squaredNorm();
    }

    /// Share of the remaining variance that a sinusoid explains; its cosine and sine amplitudes.
    double explained(double rate, double* cosine = nullptr, double* sine = nullptr) const {
        const auto count = static_cast<Eigen::Index>(times.size());
        Eigen::MatrixXd waves(count, 2);
        for (Eigen::Index i = 0; i < count; ++i) {
            const double angle = 2.0 * std::numbers::pi * rate * times[static_cast<std::size_t>(i)];
            waves(i, 0) = std::cos(angle);
            waves(i, 1) = std::sin(angle);
        }
        waves -= basis * (basis.transpose() * waves);
        const Eigen::Matrix2d normal = waves.transpose() * waves;
        const Eigen::Vector2d right = waves.transpose() * rest;
        const Eigen::Vector2d amplitude = normal.ldlt().solve(right);
        if (cosine) *cosine = amplitude(0);
        if (sine) *sine = amplitude(1);
        return variance > 0.0 ? right.dot(amplitude) / variance : 0.0;
    }

    std::vector<double> times;
    std::vector<double> heights;
    Eigen::MatrixXd trend;
    Eigen::MatrixXd basis;
    Eigen::VectorXd y;
    Eigen::VectorXd rest;
    double span = 0.0;
    double variance = 0.0;
};

/// Mean of all cycles, and how much of the variance it explains.
double foldInto(std::vector<float>& cycle, const Fitter& fitter, double rate, double phase) {
    std::array<double, cyclePoints> sum{};
    std::array<double, cyclePoints> weight{};
    std::vector<double> residual(fitter.times.size());
    for (std::size_t i = 0; i < fitter.times.size(); ++i) {
        const double turn = rate * fitter.times[i] + phase;
        const double place = (turn - std::floor(turn)) * cyclePoints;
        const auto low = static_cast<std::size_t>(place) % cyclePoints;
        const double share = place - std::floor(place);
        const double value = fitter.rest(static_cast<Eigen::Index>(i));
        sum[low] += (1.0 - share) * value;
        weight[low] += 1.0 - share;
        sum[(low + 1) % cyclePoints] += share * value;
        weight[(low + 1) % cyclePoints] += share;
    }
    cycle.assign(cyclePoints, 0.0f);
    for (std::size_t k = 0; k < cyclePoints; ++k)
        if (weight[k] > 0.0) cycle[k] = static_cast<float>(sum[k] / weight[k]);
    double unexplained = 0.0;
    for (std::size_t i = 0; i < fitter.times.size(); ++i) {
        const double turn = rate * fitter.times[i] + phase;
        const double place = (turn - std::floor(turn)) * cyclePoints;
        const auto low = static_cast<std::size_t>(place) % cyclePoints;
        const double share = place - std::floor(place);
        const double model = (1.0 - share) * cycle[low] + share * cycle[(low + 1) % cyclePoints];
        const double by = fitter.rest(static_cast<Eigen::Index>(i)) - model;
        unexplained += by * by;
    }
    return fitter.variance > 0.0 ? std::max(0.0, 1.0 - unexplained / fitter.variance) : 0.0;
}

} // namespace

PeriodicChange findPeriodicChange(std::span<const float> values, double stepSeconds, const PeriodicSettings& settings) {
    PeriodicChange change;
    const Fitter fitter(values, stepSeconds);
    if (fitter.span <= 0.0 || fitter.variance <= 0.0) return change;
    const double lowest = std::max(settings.lowestHz, settings.leastCycles / fitter.span * 0.98);
    const double highest = std::min(settings.highestHz, 0.4 / stepSeconds);
    if (lowest >= highest) return change;
    double rate = lowest;
    double best = -1.0;
    const double step = 0.2 / fitter.span;
    for (double hz = lowest; hz <= highest; hz += step)
        if (const double share = fitter.explained(hz); share > best) {
            best = share;
            rate = hz;
        }
    for (double reach = 0.5 * step; reach > 1e-4 * rate; reach *= 0.5)
        for (double hz : {rate - reach, rate + reach})
            if (const double share = fitter.explained(hz); hz > 0.0 && share > best) {
                best = share;
                rate = hz;
            }
    double cosine = 0.0;
    double sine = 0.0;
    fitter.explained(rate, &cosine, &sine);
    const double phase = std::atan2(cosine, sine) / (2.0 * std::numbers::pi);
    std::vector<float> cycle;
    const double confidence = foldInto(cycle, fitter, rate, phase);
    const double cycles = rate * fitter.span;
    // A fold always explains its share of points; ask for more than that.
    const double byChance = std::min(1.0, static_cast<double>(cyclePoints) / static_cast<double>(fitter.times.size()));
    const double honest = std::max(best, (confidence - byChance) / std::max(0.05, 1.0 - byChance));
    if (cycles < settings.leastCycles * 0.98 || honest < settings.leastConfidence) return change;
    change.rateHz = rate;
    change.cycles = cycles;
    change.confidence = std::min(1.0, honest);
    change.phase = phase - std::floor(phase);
    change.cycle = std::move(cycle);
    const auto [low, high] = std::minmax_element(change.cycle.begin(), change.cycle.end());
    // A sine is known better by its fit than by the extremes of a few cycles.
    change.depth = best > 0.93 * std::max(confidence, 1e-9) ? std::hypot(cosine, sine) : 0.5 * (*high - *low);
    return change;
}

double dutyOf(const PeriodicChange& change) {
    if (change.cycle.empty()) return notMeasurable;
    const auto [low, high] = std::minmax_element(change.cycle.begin(), change.cycle.end());
    const float middle = 0.5f * (*low + *high);
    const auto above = std::count_if(change.cycle.begin(), change.cycle.end(), [=](float v) { return v > middle; });
    return static_cast<double>(above) / cyclePoints;
}

const char* nameOfCycle(const PeriodicChange& change) {
    if (change.cycle.empty()) return "–";
    struct Shape {
        const char* name;
        double (*value)(double turn); ///< of one cycle from its rising middle
    };
    static constexpr auto saw = [](double turn) { return turn < 0.5 ? 2.0 * turn : 2.0 * turn - 2.0; };
    static constexpr Shape shapes[] = {
        {"sine", [](double u) { return std::sin(2.0 * std::numbers::pi * u); }},
        {"triangle", [](double u) { return 2.0 / std::numbers::pi * std::asin(std::sin(2.0 * std::numbers::pi * u)); }},
        {"square", [](double u) { return u < 0.5 ? 1.0 : -1.0; }},
        {"rising saw", [](double u) { return saw(u); }},
        {"falling saw", [](double u) { return -saw(u < 0.5 ? u + 0.5 : u - 0.5); }},
    };
    // Normalized correlation over all shifts: a fold's phase is that of its fundamental, which a ramp's is not.
    const char* best = "irregular";
    double bestMatch = 0.9;
    for (const Shape& shape : shapes)
        for (int shift = 0; shift < cyclePoints; ++shift) {
            double product = 0.0;
            double own = 0.0;
            double other = 0.0;
            for (int k = 0; k < cyclePoints; ++k) {
                const double value = shape.value(((k + shift) % cyclePoints + 0.5) / cyclePoints);
                const double measured = change.cycle[static_cast<std::size_t>(k)];
                product += value * measured;
                own += value * value;
                other += measured * measured;
            }
            const double match = product / std::sqrt(own * other + 1e-30);
            if (match > bestMatch + 0.002) {
                bestMatch = match;
                best = shape.name;
            }
        }
    if (best == std::string_view("irregular")) {
        const auto ends = std::minmax_element(change.cycle.begin(), change.cycle.end());
        const float low = *ends.first, high = *ends.second;
        // Two levels with an uneven share are a pulse.
        const float span = high - low;
        const auto extreme = std::count_if(change.cycle.begin(), change.cycle.end(),
                                           [=](float v) { return v > high - 0.2f * span || v < low + 0.2f * span; });
        if (extreme > cyclePoints * 3 / 4) best = "pulse";
    }
    return best;
}

std::vector<CurvePoint> breakpointsOf(const PeriodicChange& change) {
    if (!change.found() || change.cycle.empty()) return {};
    std::vector<CurvePoint> points;
    for (std::size_t i = 0; i <= change.cycle.size(); ++i) // closed: the last point is the first again
        points.push_back(
            {static_cast<double>(i) / static_cast<double>(change.cycle.size()), change.cycle[i % change.cycle.size()]});
    const auto [low, high] = std::minmax_element(change.cycle.begin(), change.cycle.end());
    return simplified(points, 0.08 * (*high - *low));
}

std::vector<CurvePoint> rateOverTime(std::span<const float> values, double stepSeconds) {
    std::vector<float> sorted;
    for (float v : values)
        if (isMeasured(v)) sorted.push_back(v);
    if (sorted.size() < 16) return {};
    std::sort(sorted.begin(), sorted.end());
    const auto at = [&](double share) {
        return sorted[static_cast<std::size_t>(share * static_cast<double>(sorted.size() - 1))];
    };
    const float low = at(0.05);
    const float high = at(0.95);
    const float middle = 0.5f * (low + high);
    // Below a quarter of the way it must have been before it can rise again.
    const float armedBelow = low + 0.3f * (high - low);
    std::vector<double> rises;
    bool armed = false;
    for (std::size_t i = 1; i < values.size(); ++i) {
        if (!isMeasured(values[i]) || !isMeasured(values[i - 1])) continue;
        if (values[i] < armedBelow) armed = true;
        if (!armed || values[i - 1] >= middle || values[i] < middle) continue;
        const double share = (middle - values[i - 1]) / (values[i] - values[i - 1]);
        rises.push_back((static_cast<double>(i) - 1.0 + share) * stepSeconds);
        armed = false;
    }
    if (rises.size() < 5) return {};
    std::vector<CurvePoint> rates;
    for (std::size_t i = 1; i < rises.size(); ++i) {
        const double distance = rises[i] - rises[i - 1];
        if (i > 1) {
            const double before = rises[i - 1] - rises[i - 2];
            if (distance > 1.34 * before || before > 1.34 * distance) return {};
        }
        rates.push_back({0.5 * (rises[i] + rises[i - 1]), 1.0 / distance});
    }
    return rates;
}

} // namespace facet
