#include "core/engine/kernels/lfo.h"

#include "core/base/random.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

/// Value drawn for one cycle, in −1…1.
double drawnFor(double cycle, std::uint64_t seed) {
    return 2.0 * unitFromBits(combineSeeds(seed, static_cast<std::uint64_t>(static_cast<std::int64_t>(cycle)))) - 1.0;
}

double drawnShape(const std::vector<ShapePoint>& points, double place) {
    if (points.empty()) return 0.0;
    const auto after = std::upper_bound(points.begin(), points.end(), place,
                                        [](double x, const ShapePoint& point) { return x < point.place; });
    if (after == points.begin()) return points.front().value;
    if (after == points.end()) return points.back().value;
    const ShapePoint& a = *(after - 1);
    const double length = after->place - a.place;
    return a.value + (length > 0.0 ? (place - a.place) / length : 1.0) * (after->value - a.value);
}

} // namespace

double lfoValue(const LfoValues& values, double phase, std::uint64_t seed) {
    const double cycle = std::floor(phase);
    const double u = phase - cycle;
    switch (values.shape) {
    case LfoShape::sine: return std::sin(2.0 * std::numbers::pi * u);
    case LfoShape::triangle: return u < 0.25 ? 4.0 * u : u < 0.75 ? 2.0 - 4.0 * u : 4.0 * u - 4.0;
    case LfoShape::risingSaw: return 2.0 * u - 1.0;
    case LfoShape::fallingSaw: return 1.0 - 2.0 * u;
    case LfoShape::square: return u < values.duty ? 1.0 : -1.0;
    case LfoShape::steps: return drawnFor(cycle, seed);
    case LfoShape::wander: {
        // From one drawn value to the next along half a cosine.
        const double share = 0.5 - 0.5 * std::cos(std::numbers::pi * u);
        return drawnFor(cycle, seed) + share * (drawnFor(cycle + 1.0, seed) - drawnFor(cycle, seed));
    }
    case LfoShape::drawn: return values.drawn ? 2.0 * drawnShape(values.drawn->shape, u) - 1.0 : 0.0;
    }
    return 0.0;
}

double Lfo::value(const LfoValues& values, std::uint64_t seed) const {
    double cycles = cycles_;
    if (values.mode == LfoMode::once) cycles = std::min(cycles, 1.0 - 1e-9);
    const double fade = values.fadeSeconds > 0.0 ? std::min(1.0, seconds_ / values.fadeSeconds) : 1.0;
    return fade * lfoValue(values, cycles + values.phase, seed);
}

} // namespace facet
