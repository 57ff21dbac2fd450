#include "core/match/evidence/residual_motion.h"

#include "core/analysis/series/track.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/linear_algebra.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

constexpr int window = 2048, hop = 512;
constexpr double secondsPerFrame = static_cast<double>(hop) / analysisRateHz;

/// Level and centroid of each frame.
struct Frames {
    std::vector<double> levelDb, octaves;
    double loudestDb = -200.0;
};

Frames framesOf(const Recording& recording) {
    const std::vector<float> hann = hannWindow(window);
    RealFft fft(window);
    Frames frames;
    const int count = std::max(0, (recording.frameCount() - window) / hop + 1);
    for (int f = 0; f < count; ++f) {
        double sum = 1e-20, weighed = 0.0;
        for (const auto& channel : recording.channels) {
            windowedFrame(channel, f * hop, hann, fft.time());
            fft.forward();
            const auto& bins = fft.bins();
            for (std::size_t b = 1; b < bins.size(); ++b) {
                const auto power = static_cast<double>(std::norm(bins[b]));
                sum += power;
                weighed += power * static_cast<double>(b);
            }
        }
        frames.levelDb.push_back(dbFromPower(sum));
        frames.octaves.push_back(std::log2(std::max(1.0, weighed / sum)));
        frames.loudestDb = std::max(frames.loudestDb, frames.levelDb.back());
    }
    return frames;
}

/// The sines that explain most of values at some frames, their mean taken out.
std::vector<ResidualSine> sinesIn(const std::vector<int>& at, std::vector<double> values, double mostDeviation,
                                  std::size_t most) {
    constexpr double slowest = 0.12, fastest = 9.0, step = 1.03, leastShare = 0.2, leastCycles = 0.7, apart = 4.0 / 3.0;
    constexpr std::size_t fewest = 60;
    if (values.size() < fewest) return {};
    // What lies far out is something else: onsets a little early or late.
    const auto center = static_cast<double>(medianOf({values.begin(), values.end()}));
    for (double& each : values) each = std::clamp(each - center, -mostDeviation, mostDeviation);
    const auto count = static_cast<Eigen::Index>(values.size());
    const Eigen::Map<const Eigen::VectorXd> given(values.data(), count);
    const double variance = (given.array() - given.mean()).square().sum();
    if (variance <= 1e-9) return {};
    const double length = (at.back() - at.front()) * secondsPerFrame;
    std::vector<ResidualSine> all;
    for (double hz = std::max(slowest, leastCycles / length); hz < fastest; hz *= step) {
        Eigen::MatrixXd matrix(count, 3);
        for (Eigen::Index i = 0; i < count; ++i) {
            const double seconds = at[static_cast<std::size_t>(i)] * secondsPerFrame + 0.5 * window / analysisRateHz;
            const double turn = 2.0 * std::numbers::pi * hz * seconds;
            matrix.row(i) << 1.0, std::sin(turn), std::cos(turn);
        }
        const Eigen::VectorXd x = nearestCombination(matrix, given);
        const double share = 1.0 - (matrix * x - given).squaredNorm() / variance;
        const double phase = std::atan2(x(2), x(1)) / (2.0 * std::numbers::pi);
        if (share >= leastShare) all.push_back({hz, std::hypot(x(1), x(2)), phase - std::floor(phase), share});
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const ResidualSine& a, const ResidualSine& b) { return a.share > b.share; });
    std::vector<ResidualSine> best;
    for (const ResidualSine& each : all) {
        if (best.size() == most) break;
        const bool near = std::any_of(best.begin(), best.end(), [&](const ResidualSine& other) {
            return std::max(each.rateHz / other.rateHz, other.rateHz / each.rateHz) < apart;
        });
        if (!near) best.push_back(each);
    }
    return best;
}

} // namespace

ResidualMotions residualMotions(const Recording& reference48k, const Recording& render48k, std::size_t most) {
    constexpr double heardDb = 35.0, mostDb = 9.0, mostOctaves = 1.5;
    const Frames reference = framesOf(reference48k), render = framesOf(render48k);
    std::vector<int> at;
    std::vector<double> level, brightness;
    const std::size_t count = std::min(reference.levelDb.size(), render.levelDb.size());
    for (std::size_t f = 0; f < count; ++f) {
        if (reference.levelDb[f] < reference.loudestDb - heardDb || render.levelDb[f] < render.loudestDb - heardDb)
            continue;
        at.push_back(static_cast<int>(f));
        level.push_back(reference.levelDb[f] - render.levelDb[f]);
        brightness.push_back(reference.octaves[f] - render.octaves[f]);
    }
    return {sinesIn(at, std::move(level), mostDb, most), sinesIn(at, std::move(brightness), mostOctaves, most)};
}

} // namespace facet
