#include "core/engine/kernels/band_limit.h"

#include "core/dsp/window.h"

#include <cmath>
#include <memory>
#include <numbers>
#include <vector>

namespace facet {

namespace {

constexpr double kaiserBeta = 8.96; // 90 dB: 0.1102 (A − 8.7), Kaiser 1974
constexpr int oversampling = 16;    // of the integration grid within one table phase
constexpr int gridPerSample = bandLimitPhases * oversampling;

double impulse(double x) {
    const double inside = 1.0 - (x / bandLimitReach) * (x / bandLimitReach);
    if (inside <= 0.0) return 0.0;
    const double window = besselI0(kaiserBeta * std::sqrt(inside)) / besselI0(kaiserBeta);
    const double sinc = x == 0.0 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
    return sinc * window;
}

std::unique_ptr<BandLimitTables> build() {
    auto tables = std::make_unique<BandLimitTables>();
    const int points = 2 * bandLimitReach * gridPerSample + 1;
    std::vector<double> step(static_cast<std::size_t>(points));
    std::vector<double> ramp(static_cast<std::size_t>(points));
    // Trapezoidal integration of the impulse from −16 to +16 samples, scaled to end at exactly one.
    double sum = 0.0;
    double previous = 0.0;
    for (int i = 0; i < points; ++i) {
        const double value = impulse(static_cast<double>(i) / gridPerSample - bandLimitReach);
        sum += 0.5 * (previous + value) / gridPerSample;
        previous = value;
        step[static_cast<std::size_t>(i)] = sum;
    }
    for (double& value : step) value /= sum;
    // The ramp's residual: ∫ step − max(0, x), which symmetry brings back to zero at the far end.
    double area = 0.0;
    for (int i = 0; i < points; ++i) {
        if (i > 0)
            area += 0.5 * (step[static_cast<std::size_t>(i - 1)] + step[static_cast<std::size_t>(i)]) / gridPerSample;
        const double x = static_cast<double>(i) / gridPerSample - bandLimitReach;
        ramp[static_cast<std::size_t>(i)] = area - std::max(0.0, x);
    }
    for (int phase = 0; phase <= bandLimitPhases; ++phase)
        for (int tap = 0; tap < 2 * bandLimitReach; ++tap) {
            const int point = tap * gridPerSample + phase * oversampling;
            const double x = static_cast<double>(point) / gridPerSample - bandLimitReach;
            // Tap 15 at phase 256 still stands before the jump, tap 16 always after it.
            const double naive = tap >= bandLimitReach ? 1.0 : 0.0;
            tables->step[static_cast<std::size_t>(phase)][static_cast<std::size_t>(tap)] =
                static_cast<float>(step[static_cast<std::size_t>(point)] - naive);
            const double naiveRamp = tap >= bandLimitReach ? x : 0.0;
            tables->ramp[static_cast<std::size_t>(phase)][static_cast<std::size_t>(tap)] =
                static_cast<float>(ramp[static_cast<std::size_t>(point)] + std::max(0.0, x) - naiveRamp);
        }
    return tables;
}

} // namespace

const BandLimitTables& bandLimitTables() {
    static const std::unique_ptr<BandLimitTables> tables = build();
    return *tables;
}

} // namespace facet
