#include "core/base/error.h"
#include "core/measuring/measured_scale.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <optional>

namespace facet {

namespace {

constexpr double leastLaw = 0.6; ///< of the way that must be known for a law to say the rest

/// Where a value lies between the ends of a scale, in shares of its way; the ends may lie outside.
double wayOf(const ControlScale& scale, double position) {
    const auto [first, last] = scale.positions();
    return (position - first) / (last - first);
}

/// The ends of a law by least squares, each position weighted by how exactly its value is known on the parameter's
/// scale.
ControlScale fitted(ControlScale scale, const std::vector<MeasuredPosition>& known, const ParameterDescriptor& d) {
    constexpr double exact = 0.005; // of the parameter's scale
    double sww = 0.0, swx = 0.0, swxx = 0.0, swy = 0.0, swxy = 0.0;
    const bool logarithmic = scale.law == ControlScale::Law::logarithmic;
    const auto onLaw = [&](double value) { return logarithmic ? std::log(std::max(value, 1e-9)) : value; };
    for (const MeasuredPosition& each : known) {
        const double share = wayOf(scale, each.position);
        const double x = scale.law == ControlScale::Law::power ? std::pow(share, scale.exponent) : share;
        const double y = onLaw(each.value), unit = d.toUnit(each.value);
        const double least = onLaw(d.fromUnit(unit + exact)) - onLaw(d.fromUnit(unit - exact));
        const double spread = std::max({least, onLaw(each.highest) - onLaw(each.lowest), 1e-9});
        const double weight = 1.0 / (spread * spread);
        sww += weight;
        swx += weight * x;
        swxx += weight * x * x;
        swy += weight * y;
        swxy += weight * x * y;
    }
    const double determinant = sww * swxx - swx * swx;
    const double slope = (sww * swxy - swx * swy) / determinant, begin = (swy - slope * swx) / sww;
    const auto within = [&](double y) { return std::clamp(logarithmic ? std::exp(y) : y, d.low, d.high); };
    scale.low = within(begin);
    scale.high = within(begin + slope);
    return scale;
}

/// By how much of the way, in position or in value, a law passes beside what a position's recording tells, where it
/// misses most; infinite for what is no scale.
double worstMiss(const ControlScale& scale, const std::vector<MeasuredPosition>& known, const ParameterDescriptor& d) {
    if (!scale.problem().empty()) return INFINITY;
    constexpr double inner = 0.5; // of the values that come about as near, the nearer ones
    const double way = std::abs(d.toUnit(known.back().value) - d.toUnit(known.front().value)) + 1e-9;
    double worst = 0.0;
    for (const MeasuredPosition& each : known) {
        const double value = std::clamp(scale.valueAt(each.position), std::lerp(each.value, each.lowest, inner),
                                        std::lerp(each.value, each.highest, inner));
        worst = std::max({worst, std::abs(wayOf(scale, scale.positionOf(value)) - wayOf(scale, each.position)),
                          std::abs(d.toUnit(value) - d.toUnit(scale.valueAt(each.position))) / way});
    }
    return worst;
}

/// How far a law lies from the values, in what comes about as near; mean over the positions.
double misfit(const ControlScale& scale, const std::vector<MeasuredPosition>& known, const ParameterDescriptor& d) {
    constexpr double exact = 0.005; // of the parameter's scale
    double sum = 0.0;
    for (const MeasuredPosition& each : known)
        sum += std::abs(d.toUnit(scale.valueAt(each.position)) - d.toUnit(each.value)) /
               std::max(exact, d.toUnit(each.highest) - d.toUnit(each.lowest));
    return sum / static_cast<double>(known.size());
}

/// The law that passes the positions, the plainest where several do as well; nothing where none does.
std::optional<ControlScale> lawThrough(ControlScale law, const std::vector<MeasuredPosition>& known,
                                       const ParameterDescriptor& d) {
    constexpr double nearMiss = 0.02, asWell = 0.05;
    using Law = ControlScale::Law;
    std::vector<ControlScale> candidates;
    const auto tryLaw = [&](Law which, double exponent) {
        law.law = which;
        law.exponent = exponent;
        candidates.push_back(fitted(law, known, d));
    };
    tryLaw(Law::linear, 1.0);
    if (std::all_of(known.begin(), known.end(), [](const auto& each) { return each.value > 0.0; }))
        tryLaw(Law::logarithmic, 1.0);
    if (known.size() >= 4)
        for (double exponent = 0.2; exponent <= 8.0; exponent *= 1.02)
            tryLaw(Law::power, std::round(100.0 * exponent) / 100.0);
    std::erase_if(candidates, [&](const ControlScale& each) { return worstMiss(each, known, d) > nearMiss; });
    if (candidates.empty()) return std::nullopt;
    double least = INFINITY;
    for (const ControlScale& each : candidates) least = std::min(least, misfit(each, known, d));
    for (const ControlScale& each : candidates)
        if (each.law != Law::power && misfit(each, known, d) <= least + asWell) return each;
    return *std::min_element(candidates.begin(), candidates.end(), [&](const auto& one, const auto& other) {
        return misfit(one, known, d) < misfit(other, known, d);
    });
}

/// Marks positions whose value goes against the way that most go, those that most others contradict first.
void dropThoseThatGoBack(std::vector<MeasuredPosition>& positions, bool rises) {
    const auto contradicts = [&](const MeasuredPosition& a, const MeasuredPosition& b) {
        return a.isIdentifiable && b.isIdentifiable && a.position != b.position &&
               ((a.position < b.position) == rises ? a.value >= b.value : a.value <= b.value);
    };
    for (;;) {
        MeasuredPosition* worst = nullptr;
        std::ptrdiff_t most = 0;
        for (MeasuredPosition& each : positions) {
            const auto count = std::count_if(positions.begin(), positions.end(),
                                             [&](const MeasuredPosition& other) { return contradicts(each, other); });
            if (count > most) {
                most = count;
                worst = &each;
            }
        }
        if (!worst) return;
        worst->isIdentifiable = false;
        worst->why = "it goes back against the positions beside it";
    }
}

} // namespace

ControlScale scaleThrough(std::vector<MeasuredPosition>& positions, const InstrumentControl& control,
                          const ParameterDescriptor& descriptor) {
    std::sort(positions.begin(), positions.end(),
              [](const MeasuredPosition& a, const MeasuredPosition& b) { return a.position < b.position; });
    const ControlScale& described = *control.scale;
    const auto [first, last] = described.positions();
    dropThoseThatGoBack(positions, described.valueAt(last) > described.valueAt(first));
    std::vector<MeasuredPosition> known;
    std::copy_if(positions.begin(), positions.end(), std::back_inserter(known),
                 [](const MeasuredPosition& each) { return each.isIdentifiable; });
    if (known.size() < 2)
        throw Error(
            fmt::format("Fewer than two positions of “{}” could be measured: check that the instrument is set as "
                        "listed, and record more positions.",
                        control.name));
    ControlScale law;
    law.first = first;
    law.last = last;
    law.step = described.step;
    const bool coversMost =
        wayOf(described, known.back().position) - wayOf(described, known.front().position) >= leastLaw;
    if (known.size() >= 3 && coversMost)
        if (const auto found = lawThrough(law, known, descriptor)) return *found;
    ControlScale points;
    points.law = ControlScale::Law::points;
    points.step = described.step;
    for (const MeasuredPosition& each : known) points.points.emplace_back(each.position, each.value);
    // An end that was not measured stays as it was described, where that lies beyond what was measured.
    const bool rises = points.points.back().second > points.points.front().second;
    const double atFirst = described.valueAt(first), atLast = described.valueAt(last);
    if (points.points.front().first > first && (atFirst < points.points.front().second) == rises &&
        atFirst != points.points.front().second)
        points.points.insert(points.points.begin(), {first, atFirst});
    if (points.points.back().first < last && (atLast > points.points.back().second) == rises &&
        atLast != points.points.back().second)
        points.points.emplace_back(last, atLast);
    if (const std::string problem = points.problem(); !problem.empty())
        throw Error(fmt::format("No scale of “{}” came of it, since {}: measure again.", control.name, problem));
    return points;
}

} // namespace facet
