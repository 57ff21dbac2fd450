#include "core/performance/curve.h"

#include <algorithm>
#include <cmath>

namespace facet {

double valueAt(std::span<const CurvePoint> points, double seconds, double none) {
    if (points.empty()) return none;
    const auto after = std::upper_bound(points.begin(), points.end(), seconds,
                                        [](double t, const CurvePoint& p) { return t < p.seconds; });
    if (after == points.begin()) return points.front().value;
    if (after == points.end()) return points.back().value;
    const auto before = after - 1;
    const double share = (seconds - before->seconds) / (after->seconds - before->seconds);
    return before->value + share * (after->value - before->value);
}

std::vector<CurvePoint> simplified(std::span<const CurvePoint> points, double tolerance) {
    if (points.size() < 3) return {points.begin(), points.end()};
    const CurvePoint& first = points.front();
    const CurvePoint& last = points.back();
    const double span = last.seconds - first.seconds;
    std::size_t farthest = 0;
    double distance = tolerance;
    for (std::size_t i = 1; i + 1 < points.size(); ++i) {
        const double share = span > 0.0 ? (points[i].seconds - first.seconds) / span : 0.0;
        const double away = std::abs(points[i].value - (first.value + share * (last.value - first.value)));
        if (away > distance) {
            distance = away;
            farthest = i;
        }
    }
    if (farthest == 0) return {first, last};
    auto left = simplified(points.first(farthest + 1), tolerance);
    const auto right = simplified(points.subspan(farthest), tolerance);
    left.insert(left.end(), right.begin() + 1, right.end());
    return left;
}

} // namespace facet
