#include "core/instruments/control_scale.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

using Points = std::vector<std::pair<double, double>>;

bool isPositive(const Points& points) {
    return std::all_of(points.begin(), points.end(), [](const auto& each) { return each.second > 0.0; });
}

double between(double a, double b, double share, bool logarithmic) {
    return logarithmic ? a * std::pow(b / a, share) : a + (b - a) * share;
}

double shareOf(double value, double a, double b, bool logarithmic) {
    if (a == b) return 0.0;
    return logarithmic ? std::log(std::max(value, 1e-12) / a) / std::log(b / a) : (value - a) / (b - a);
}

} // namespace

std::string ControlScale::problem() const {
    const auto finite = [](double value) { return std::isfinite(value); };
    if (law == Law::points) {
        if (points.size() < 2) return "a scale of points needs at least two";
        const bool rises = points.back().second > points.front().second;
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (!finite(points[i].first) || !finite(points[i].second)) return "a point is not a number";
            if (i == 0) continue;
            if (points[i].first <= points[i - 1].first) return "its points go back in position";
            if ((points[i].second > points[i - 1].second) != rises || points[i].second == points[i - 1].second)
                return "its points go back in value";
        }
    } else {
        if (!finite(first) || !finite(last) || !finite(low) || !finite(high)) return "an end is not a number";
        if (first >= last) return "its last position must lie above the first";
        if (low == high) return "both of its ends have the same value";
        if (law == Law::logarithmic && (low <= 0.0 || high <= 0.0)) return "a logarithmic scale needs values above 0";
        if (law == Law::power && !(exponent > 0.0 && exponent < 100.0)) return "its exponent must lie above 0";
    }
    if (!finite(step) || step < 0.0) return "its step must not be below 0";
    return {};
}

std::pair<double, double> ControlScale::positions() const {
    if (law == Law::points) return {points.front().first, points.back().first};
    return {first, last};
}

std::pair<double, double> ControlScale::ends() const {
    return std::minmax(
        {law == Law::points ? points.front().second : low, law == Law::points ? points.back().second : high});
}

double ControlScale::valueAt(double position) const {
    if (law == Law::points) {
        position = std::clamp(position, points.front().first, points.back().first);
        const auto next = std::upper_bound(points.begin() + 1, points.end() - 1, position,
                                           [](double at, const auto& each) { return at < each.first; });
        const auto before = next - 1;
        return between(before->second, next->second, shareOf(position, before->first, next->first, false),
                       isPositive(points));
    }
    const double share = (std::clamp(position, first, last) - first) / (last - first);
    if (law == Law::power) return low + (high - low) * std::pow(share, exponent);
    return between(low, high, share, law == Law::logarithmic);
}

double ControlScale::positionOf(double value) const {
    double position = first, begin = first, end = last;
    if (law == Law::points) {
        begin = points.front().first;
        end = points.back().first;
        const bool rises = points.back().second > points.front().second;
        const double lowest = std::min(points.front().second, points.back().second),
                     highest = std::max(points.front().second, points.back().second);
        value = std::clamp(value, lowest, highest);
        const auto next = std::find_if(points.begin() + 1, points.end() - 1, [&](const auto& each) {
            return rises ? value < each.second : value > each.second;
        });
        const auto before = next - 1;
        position = between(before->first, next->first, shareOf(value, before->second, next->second, isPositive(points)),
                           false);
    } else {
        double share =
            shareOf(std::clamp(value, std::min(low, high), std::max(low, high)), low, high, law == Law::logarithmic);
        if (law == Law::power) share = std::pow(std::max(share, 0.0), 1.0 / exponent);
        position = first + (last - first) * share;
    }
    if (step > 0.0) position = begin + std::round((position - begin) / step) * step;
    return std::clamp(position, begin, end);
}

bool ControlScale::reaches(double value) const {
    constexpr double tolerance = 1e-3; // of the way
    const double a = law == Law::points ? points.front().second : low,
                 b = law == Law::points ? points.back().second : high;
    const double share = shareOf(value, a, b, a > 0.0 && b > 0.0 && value > 0.0);
    return share >= -tolerance && share <= 1.0 + tolerance;
}

} // namespace facet
