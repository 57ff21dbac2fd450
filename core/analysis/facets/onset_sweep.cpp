#include "core/analysis/facets/onset_sweep.h"

#include "core/audio/recording.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace facet {

namespace {

constexpr double leastSweepCents = 30.0;
constexpr double highestSteadyHz =
    500.0; ///< above it a cycle is too short to be distinguished from what is left out of it

/// A whole multiple or part of the pitch at an onset is the tracker's doubt, not a sweep.
bool isWholeRatio(double cents) {
    constexpr double mostDoubted = 6.0;
    const double ratio = std::round(std::exp2(std::abs(cents) / 1200.0));
    return ratio >= 2.0 && ratio <= mostDoubted &&
           std::abs(std::abs(cents) - 1200.0 * std::log2(ratio)) < leastSweepCents;
}

/// The depth of a way with this time constant that deviates least from the cycles on average: the weighted median of
/// what each of them asks for, on which a click at the onset has no hold.
double depthOf(const std::vector<OnsetCycle>& cycles, double start, double constant) {
    struct Asked {
        double cents, weight;
    };
    std::vector<Asked> asked;
    double total = 0.0;
    for (const OnsetCycle& cycle : cycles) {
        const double shape = std::exp(-(cycle.seconds - start) / constant);
        asked.push_back({cycle.cents / shape, shape});
        total += shape;
    }
    std::sort(asked.begin(), asked.end(), [](const Asked& a, const Asked& b) { return a.cents < b.cents; });
    double sum = 0.0;
    for (const Asked& each : asked)
        if ((sum += each.weight) >= 0.5 * total) return each.cents;
    return notMeasurable;
}

} // namespace

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
    if (!isMeasured(first) || std::abs(first) < leastSweepCents || isWholeRatio(first)) return sweep;
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

std::vector<OnsetCycle> onsetCycles(std::span<const float> mono, double start, double end, double steadyHz,
                                    double rateHz) {
    constexpr double longest = 0.4, highestPartial = 8.0;
    if (!(steadyHz > 0.0 && steadyHz <= highestSteadyHz)) return {};
    const auto first = std::min(mono.size(), static_cast<std::size_t>(std::max(0.0, start) * rateHz));
    const auto last =
        std::min(mono.size(), static_cast<std::size_t>(std::max(0.0, std::min(end, start + longest)) * rateHz));
    if (last <= first) return {};
    // Two running means, −3 dB together at the highest partial; they do not overshoot, so they add no crossings.
    const auto reach = static_cast<std::size_t>(std::max(2.0, std::round(0.32 * rateHz / (highestPartial * steadyHz))));
    std::vector<double> sum(last - first + 1, 0.0);
    std::vector<double> smooth(mono.begin() + static_cast<std::ptrdiff_t>(first),
                               mono.begin() + static_cast<std::ptrdiff_t>(last));
    for (int pass = 0; pass < 2; ++pass) {
        const std::size_t count = smooth.size();
        for (std::size_t i = 0; i < count; ++i) sum[i + 1] = sum[i] + smooth[i];
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t from = i > reach / 2 ? i - reach / 2 : 0, to = std::min(count, i + reach / 2);
            smooth[i] = (sum[to] - sum[from]) / static_cast<double>(reach);
        }
    }
    std::vector<OnsetCycle> cycles;
    double before = notMeasurable;
    for (std::size_t i = 1; i < smooth.size(); ++i) {
        if (!(smooth[i - 1] < 0.0 && smooth[i] >= 0.0)) continue;
        const double at = static_cast<double>(first) + static_cast<double>(i) - smooth[i] / (smooth[i] - smooth[i - 1]);
        if (isMeasured(before))
            cycles.push_back({0.5 * (at + before) / rateHz, 1200.0 * std::log2(rateHz / ((at - before) * steadyHz))});
        before = at;
    }
    return cycles;
}

double sweptCents(const OnsetSweep& sweep, double seconds) { return sweep.cents * std::exp(-seconds / sweep.seconds); }

OnsetSweep sweepOf(const std::vector<OnsetCycle>& cycles, double start) {
    constexpr double least = 3.0 * leastSweepCents, most = 4800.0;
    constexpr double shortest = 0.004, longest = 0.25, ratio = 1.06; // seconds, of the time constants that are tried
    constexpr int onTheWay = 5;                                      // cycles, or it might be chance
    constexpr double orderly = 0.9; // share of them that come nearer to the note than the one before
    // Of the deviations' mean: cents or, on the way and over all, shares of the depth; not all ways are exponential.
    constexpr double mostDeviation = 15.0, mostOnTheWay = 0.08, mostOverAll = 0.04;
    const auto away = std::count_if(cycles.begin(), cycles.end(),
                                    [](const OnsetCycle& cycle) { return std::abs(cycle.cents) >= leastSweepCents; });
    OnsetSweep best;
    if (away < onTheWay) return best;
    double leastDeviation = std::numeric_limits<double>::infinity();
    for (double constant = shortest; constant < longest; constant *= ratio) {
        const OnsetSweep tried{depthOf(cycles, start, constant), constant};
        if (!(std::abs(tried.cents) >= least && std::abs(tried.cents) <= most)) continue;
        double all = 0.0, swept = 0.0;
        int count = 0, nearer = 0;
        double before = std::numeric_limits<double>::infinity();
        for (const OnsetCycle& cycle : cycles) {
            const double way = sweptCents(tried, cycle.seconds - start);
            const double off = std::min(std::abs(cycle.cents - way), strayCents);
            all += off;
            if (std::abs(way) < leastSweepCents) continue;
            swept += off;
            ++count;
            const double left = std::copysign(1.0, tried.cents) * cycle.cents;
            if (left < before) ++nearer;
            before = left;
        }
        all /= static_cast<double>(cycles.size());
        const double depth = std::abs(tried.cents);
        if (count < onTheWay || nearer < orderly * count) continue;
        if (swept / count > std::max(mostDeviation, mostOnTheWay * depth)) continue;
        if (all >= std::min(leastDeviation, std::max(mostDeviation, mostOverAll * depth))) continue;
        leastDeviation = all;
        best = tried;
    }
    return best;
}

} // namespace facet
