#include "core/analysis/glide.h"

#include <algorithm>
#include <cmath>

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

} // namespace facet
