#include "core/analysis/glide.h"

#include "core/audio/recording.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

/// A step of pitch comes out of the tracker as a ramp of about this length: its integration window.
constexpr double trackerSeconds = 0.035;
constexpr double leastSweepCents = 30.0;

} // namespace

double glideTime(const Track& pitchHz, double around, double fromHz, double toHz, double latest) {
    const double way = std::log2(toHz / fromHz);
    if (std::abs(way) < 1.0 / 12.0) return notMeasurable;
    double left = notMeasurable;
    double reached = notMeasurable;
    for (double t = around - 0.03; t <= latest; t += pitchHz.stepSeconds) {
        const float hz = pitchHz.at(t);
        if (!isMeasured(hz)) continue;
        const double share = std::log2(hz / fromHz) / way;
        if (share < 0.1) left = t;
        if (share >= 0.9) {
            reached = t;
            break;
        }
    }
    if (!isMeasured(left) || !isMeasured(reached)) return notMeasurable;
    const double seen = (reached - left) / 0.8;
    return seen > trackerSeconds ? std::sqrt(seen * seen - trackerSeconds * trackerSeconds) : 0.0;
}

OnsetSweep onsetSweep(const Track& pitchHz, double start, double end, double steadyHz) {
    OnsetSweep sweep;
    double first = notMeasurable;
    double firstAt = start;
    for (double t = start + 0.01; t < std::min(end, start + 0.06); t += pitchHz.stepSeconds)
        if (const float hz = pitchHz.at(t); isMeasured(hz)) {
            first = 1200.0 * std::log2(hz / steadyHz);
            firstAt = t;
            break;
        }
    // Whole octaves at an onset are the tracker's doubt, not a sweep.
    if (!isMeasured(first) || std::abs(first) < leastSweepCents ||
        std::abs(first - 1200.0 * std::round(first / 1200.0)) < leastSweepCents)
        return sweep;
    sweep.cents = first;
    for (double t = firstAt; t < end; t += pitchHz.stepSeconds) {
        const float hz = pitchHz.at(t);
        if (!isMeasured(hz)) continue;
        if (std::abs(1200.0 * std::log2(hz / steadyHz)) <= std::abs(first) * std::exp(-1.0)) {
            sweep.seconds = t - start;
            return sweep;
        }
    }
    return {};
}

OnsetSweep sweepOfHit(std::span<const float> mono48k, double start, double end, double steadyHz) {
    OnsetSweep sweep;
    if (steadyHz > 200.0) return sweep;
    const auto first = static_cast<std::size_t>(std::max(0.0, start) * analysisRateHz);
    const auto last = std::min(mono48k.size(), static_cast<std::size_t>(std::min(end, start + 0.4) * analysisRateHz));
    // Two means of 0.8 ms: −3 dB near 400 Hz, no overshoot, so no crossings of its own.
    constexpr std::size_t reach = 38;
    std::vector<double> sum(last - std::min(first, last) + 1, 0.0);
    std::vector<double> smooth;
    for (int pass = 0; pass < 2; ++pass) {
        const auto count = sum.size() - 1;
        for (std::size_t i = 0; i < count; ++i) sum[i + 1] = sum[i] + (pass == 0 ? mono48k[first + i] : smooth[i]);
        smooth.assign(count, 0.0);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t a = i > reach / 2 ? i - reach / 2 : 0;
            const std::size_t b = std::min(count, i + reach / 2);
            smooth[i] = (sum[b] - sum[a]) / reach;
        }
    }
    double before = notMeasurable;
    double firstCents = notMeasurable;
    for (std::size_t i = 1; i < smooth.size(); ++i) {
        if (!(smooth[i - 1] < 0.0 && smooth[i] >= 0.0)) continue;
        const double at = (static_cast<double>(i) - smooth[i] / (smooth[i] - smooth[i - 1])) / analysisRateHz;
        if (isMeasured(before) && at - before > 1.0 / 800.0) {
            const double cents = 1200.0 * std::log2(1.0 / (at - before) / steadyHz);
            if (!isMeasured(firstCents)) {
                if (std::abs(cents) < 3.0 * leastSweepCents) return sweep;
                firstCents = cents;
            } else if (std::abs(cents) <= std::abs(firstCents) * std::exp(-1.0)) {
                sweep.cents = firstCents;
                sweep.seconds = 0.5 * (at + before);
                return sweep;
            }
        }
        before = at;
    }
    return sweep;
}

} // namespace facet
