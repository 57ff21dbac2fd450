#include "core/match/evidence/amplitude_shape.h"

#include "core/analysis/series/periodic.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double stepSeconds = 0.002, marginSeconds = 0.03, deepestDb = 48.0, leastDb = 1.0;

/// RMS about each step, over whole cycles of the pitch.
std::vector<float> levelOf(const Recording& recording, double start, double end, double windowSeconds) {
    std::vector<float> levels;
    const auto half = static_cast<int>(std::lround(0.5 * windowSeconds * recording.rateHz));
    for (double t = start; t <= end; t += stepSeconds) {
        const int middle = static_cast<int>(std::lround(t * recording.rateHz));
        double power = 0.0;
        for (const auto& channel : recording.channels)
            for (int i = std::max(0, middle - half); i < std::min(recording.frameCount(), middle + half); ++i)
                power +=
                    static_cast<double>(channel[static_cast<std::size_t>(i)]) * channel[static_cast<std::size_t>(i)];
        levels.push_back(static_cast<float>(std::sqrt(power / std::max(1, 2 * half * recording.channelCount()))));
    }
    return levels;
}

} // namespace

std::optional<AmplitudeShape> amplitudeShapeOf(const Recording& recording, double start, double end, double pitchHz) {
    const double window = std::max(0.004, 1.0 / std::max(pitchHz, 20.0));
    std::vector<float> level = levelOf(recording, start + marginSeconds, end - marginSeconds, window);
    double mean = 0.0;
    for (float v : level) mean += static_cast<double>(v);
    if (level.size() < 100 || mean <= 0.0) return std::nullopt;
    for (float& v : level) v *= static_cast<float>(static_cast<double>(level.size()) / mean);
    const PeriodicChange change =
        findPeriodicChange(level, stepSeconds, {.lowestHz = 0.5, .highestHz = std::min(25.0, 0.3 / window)});
    if (!change.found()) return std::nullopt;
    const auto dbOf = [&](double about) { return dbFromGain(std::max(1e-3, 1.0 + about)); };
    const auto breakpoints = breakpointsOf(change);
    double high = -200.0, low = 200.0;
    for (const CurvePoint& point : breakpoints) {
        high = std::max(high, dbOf(point.value));
        low = std::min(low, dbOf(point.value));
    }
    low = std::max(low, high - deepestDb);
    AmplitudeShape shape;
    shape.hz = change.rateHz;
    shape.depthDb = high - low;
    if (shape.depthDb < leastDb) return std::nullopt;
    shape.confidence = change.confidence;
    const double phase = change.phase - change.rateHz * marginSeconds;
    shape.phase = phase - std::floor(phase);
    for (const CurvePoint& point : breakpoints)
        shape.points.push_back(
            {std::clamp(point.seconds, 0.0, 1.0), std::clamp((dbOf(point.value) - low) / shape.depthDb, 0.0, 1.0)});
    return shape;
}

} // namespace facet
