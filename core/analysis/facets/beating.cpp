#include "core/analysis/facets/beating.h"

#include "core/audio/recording.h"
#include "core/dsp/linear_algebra.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <optional>
#include <vector>

namespace facet {

namespace {

constexpr int beatingPartials = 16;
constexpr double beatingRange = 40.0; ///< dB below the strongest partial
constexpr double widestDetune = 60.0; ///< cents
constexpr double trustedBeating = 0.75;

/// Power of partial n over time: the sound turned down to 0 Hz and averaged over `hop` and twice again.
std::vector<float> partialPower(std::span<const float> mono, double from, double to, double hz, int hop) {
    const auto begin = static_cast<std::size_t>(from * analysisRateHz);
    const auto end = std::min(mono.size(), static_cast<std::size_t>(to * analysisRateHz));
    std::vector<std::complex<float>> blocks;
    const std::complex<float> turn =
        std::polar(1.0f, static_cast<float>(-2.0 * std::numbers::pi * hz / analysisRateHz));
    for (std::size_t at = begin; at + static_cast<std::size_t>(hop) <= end; at += static_cast<std::size_t>(hop)) {
        // Anchored anew at each block, so that rounding does not build up.
        const double angle = -2.0 * std::numbers::pi * std::fmod(hz * static_cast<double>(at) / analysisRateHz, 1.0);
        std::complex<float> phasor = std::polar(1.0f, static_cast<float>(angle));
        std::complex<float> sum = 0.0f;
        for (std::size_t i = at; i < at + static_cast<std::size_t>(hop); ++i) {
            sum += phasor * mono[i];
            phasor *= turn;
        }
        blocks.push_back(sum / static_cast<float>(hop));
    }
    std::vector<float> power;
    for (std::size_t i = 1; i + 1 < blocks.size(); ++i)
        power.push_back(std::norm(0.25f * blocks[i - 1] + 0.5f * blocks[i] + 0.25f * blocks[i + 1]));
    return power;
}

/// How one partial's power moves, its slow course divided out.
struct MovingPartial {
    int n;
    double weight; ///< 0 … 1
    Eigen::VectorXd rest;
    Eigen::MatrixXd basis; ///< of the trend, orthonormal
    double variance;
};

MovingPartial movingPartial(int n, const std::vector<float>& power, double mean) {
    const auto count = static_cast<Eigen::Index>(power.size());
    Eigen::MatrixXd trend(count, 3);
    Eigen::VectorXd logs(count);
    for (Eigen::Index i = 0; i < count; ++i) {
        const double u = 2.0 * static_cast<double>(i) / static_cast<double>(count - 1) - 1.0;
        trend.row(i) << 1.0, u, 1.5 * u * u - 0.5;
        logs(i) = std::log(power[static_cast<std::size_t>(i)] + 1e-4 * mean);
    }
    MovingPartial partial;
    partial.n = n;
    // Divided by its slow course, so that a decay does not weigh where the note is loud.
    const Eigen::VectorXd slope = trend * nearestCombination(trend, logs);
    Eigen::VectorXd y(count);
    for (Eigen::Index i = 0; i < count; ++i) y(i) = power[static_cast<std::size_t>(i)] / std::exp(slope(i));
    partial.basis = orthonormalBasis(trend);
    partial.rest = y - partial.basis * (partial.basis.transpose() * y);
    partial.variance = partial.rest.squaredNorm();
    // A partial that hardly moves says little; one that beats fully varies by about its own mean.
    partial.weight = std::min(1.0, partial.variance / (0.05 * static_cast<double>(count)));
    return partial;
}

/// The partials within 40 dB of the strongest; nothing where the note is too short for them.
std::optional<std::vector<MovingPartial>> movingPartials(std::span<const float> mono, double from, double to,
                                                         double f0Hz, int hop, const Task& task) {
    std::vector<MovingPartial> partials;
    double strongest = 0.0;
    for (int n = 1; n <= beatingPartials && n * f0Hz < 16000.0; ++n) {
        task.check();
        const auto power = partialPower(mono, from, to, n * f0Hz, hop);
        if (power.size() < 10) return std::nullopt;
        double mean = 0.0;
        for (float p : power) mean += p;
        mean /= static_cast<double>(power.size());
        strongest = std::max(strongest, mean);
        if (mean < strongest * std::pow(10.0, -beatingRange / 10.0) || mean <= 0.0) continue;
        partials.push_back(movingPartial(n, power, mean));
    }
    return partials;
}

/// Share of a partial's movement that a sinusoid of this rate explains, times its variance. Cosine and sine come from
/// turning a phasor; the rest has no trend in it, so only the waves' own squares need theirs taken out.
double explainedBySinusoid(const MovingPartial& partial, double rate, double step) {
    const auto count = partial.rest.size();
    const double angle = 2.0 * std::numbers::pi * rate * step;
    const double turnReal = std::cos(angle);
    const double turnImag = std::sin(angle);
    double real = 1.0;
    double imag = 0.0;
    Eigen::Vector2d right = Eigen::Vector2d::Zero();
    Eigen::Matrix2d normal = Eigen::Matrix2d::Zero();
    Eigen::Matrix<double, 3, 2> trends = Eigen::Matrix<double, 3, 2>::Zero();
    for (Eigen::Index i = 0; i < count; ++i) {
        right(0) += real * partial.rest(i);
        right(1) += imag * partial.rest(i);
        normal(0, 0) += real * real;
        normal(0, 1) += real * imag;
        normal(1, 1) += imag * imag;
        for (Eigen::Index k = 0; k < 3; ++k) {
            trends(k, 0) += partial.basis(i, k) * real;
            trends(k, 1) += partial.basis(i, k) * imag;
        }
        const double next = real * turnReal - imag * turnImag;
        imag = real * turnImag + imag * turnReal;
        real = next;
    }
    normal(1, 0) = normal(0, 1);
    normal -= trends.transpose() * trends;
    return right.dot(normal.ldlt().solve(right));
}

} // namespace

Beating beatingOf(std::span<const float> mono48k, double from, double to, double f0Hz,
                  std::initializer_list<double> togetherHz, const Task& task) {
    Beating beating;
    // An averaging window of whole periods takes the other partials out.
    const int hop = static_cast<int>(std::lround(std::max(1.0, std::ceil(0.004 * f0Hz)) * analysisRateHz / f0Hz));
    const double step = static_cast<double>(hop) / analysisRateHz;
    const double span = to - from;
    if (span < 0.25 || span < 12.0 * step) return beating;
    const auto found = movingPartials(mono48k, from, to, f0Hz, hop, task);
    if (!found) return beating;
    const std::vector<MovingPartial>& partials = *found;
    double weights = 0.0;
    for (const MovingPartial& partial : partials) weights += partial.weight;
    if (partials.empty() || weights < 0.15 * static_cast<double>(partials.size())) return beating;
    // Share of all movement that voices so far apart explain, or one rate of all partials together.
    const auto explained = [&](double apartHz, bool together = false) {
        double sum = 0.0;
        for (const MovingPartial& partial : partials) {
            const double rate = together ? apartHz : partial.n * apartHz;
            if (rate * span < 0.8 || rate > 0.35 / step) continue;
            sum += partial.weight * explainedBySinusoid(partial, rate, step) / (partial.variance + 1e-30);
        }
        return sum / weights;
    };
    const int highest = partials.back().n;
    const double widest = f0Hz * (std::exp2(widestDetune / 1200.0) - 1.0);
    const double finest = 0.15 / (span * highest);
    double best = 0.0;
    double apart = notMeasurable;
    // No finer than where the highest partial beats once.
    for (double hz = 0.9 / (span * highest); hz <= widest; hz += std::max(finest, 0.004 * hz)) {
        task.check();
        if (const double share = explained(hz); share > best) {
            best = share;
            apart = hz;
        }
    }
    if (!isMeasured(apart)) return beating;
    for (double reach = 0.5 * std::max(finest, 0.004 * apart); reach > 1e-3 * finest; reach *= 0.5)
        for (double hz : {apart - reach, apart + reach})
            if (const double share = explained(hz); share > best) {
                best = share;
                apart = hz;
            }
    for (double hz : togetherHz)
        if (isMeasured(hz) && explained(hz, true) > best - 0.1) return beating;
    beating.confidence = best;
    if (best > trustedBeating) beating.cents = 1200.0 * std::log2(1.0 + apart / f0Hz);
    return beating;
}

} // namespace facet
