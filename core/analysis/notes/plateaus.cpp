#include "core/analysis/notes/plateaus.h"

#include "core/analysis/series/periodic.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double within = 0.2, closely = 0.06; ///< semitones from the mean: all along, at the ends
constexpr double shortestPlateau = 0.06;       ///< seconds
constexpr double clearPitch = 0.4;             ///< aperiodicity
constexpr double longestWay = 0.25;            ///< seconds from plateau to plateau
constexpr double leastStep = 0.7;              ///< semitones
constexpr double trackerSeconds = 0.05;        ///< over which the tracker smears a step
constexpr double bendSeconds = 0.065, bendSemitones = 2.3;

} // namespace

std::vector<Plateau> plateausBetween(const HeardSound& sound, double from, double to) {
    std::vector<Plateau> plateaus;
    Plateau now;
    int count = 0;
    const auto close = [&](double at) {
        if (count > 0 && at - now.from >= shortestPlateau) {
            now.to = at;
            const auto lies = [&](double t) { return std::abs(keyFromHz(sound.pitch.hz.at(t)) - now.key) < closely; };
            // A way that sets off slowly has begun before it leaves the plateau's width.
            while (now.to - now.from > 0.5 * shortestPlateau && !lies(now.to)) now.to -= sound.pitch.hz.stepSeconds;
            while (now.to - now.from > 0.5 * shortestPlateau && !lies(now.from)) now.from += sound.pitch.hz.stepSeconds;
            plateaus.push_back(now);
        }
        count = 0;
    };
    for (double t = from; t < to; t += sound.pitch.hz.stepSeconds) {
        const float hz = sound.pitch.hz.at(t);
        if (!isMeasured(hz) || !sound.sounds(t) || sound.pitch.aperiodicity.at(t) > clearPitch) {
            close(t);
            continue;
        }
        const double key = keyFromHz(hz);
        if (count > 0 && std::abs(key - now.key) > within) close(t);
        if (count == 0) now = {t, t, key};
        ++count;
        now.key += (key - now.key) / count;
    }
    close(to);
    return plateaus;
}

std::vector<double> stepsOf(const std::vector<Plateau>& plateaus, bool slowToo) {
    std::vector<double> steps;
    for (std::size_t i = 1; i < plateaus.size(); ++i) {
        const double way = plateaus[i].from - plateaus[i - 1].to;
        const double semitones = std::abs(plateaus[i].key - plateaus[i - 1].key);
        if (way > longestWay || semitones < leastStep) continue;
        if (!slowToo && semitones < bendSemitones && way - trackerSeconds > bendSeconds) continue;
        steps.push_back(0.5 * (plateaus[i].from + plateaus[i - 1].to));
    }
    return steps;
}

bool swings(const HeardSound& sound, double from, double to) {
    std::vector<float> keys;
    for (double t = from; t < to; t += sound.pitch.hz.stepSeconds) {
        const float hz = sound.pitch.hz.at(t);
        keys.push_back(isMeasured(hz) ? static_cast<float>(keyFromHz(hz)) : notMeasurable);
    }
    const PeriodicChange change =
        findPeriodicChange(keys, sound.pitch.hz.stepSeconds,
                           {.lowestHz = 3.0, .highestHz = 12.0, .leastCycles = 3.0, .leastConfidence = 0.7});
    if (!change.found()) return false;
    // A sine spends two fifths of its time near its extremes (arc cosine of 0.8), steps nearly all.
    constexpr float nearExtremes = 0.8f;
    constexpr double mostShare = 0.53;
    const auto [low, high] = std::minmax_element(change.cycle.begin(), change.cycle.end());
    const float middle = 0.5f * (*low + *high), reach = 0.5f * (*high - *low);
    const auto near = std::count_if(change.cycle.begin(), change.cycle.end(),
                                    [&](float value) { return std::abs(value - middle) > nearExtremes * reach; });
    return static_cast<double>(near) < mostShare * static_cast<double>(change.cycle.size());
}

} // namespace facet
