#include "core/analysis/notes/bends.h"

#include "core/analysis/series/periodic.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double bendsFromCents = 35.0;
constexpr double settledCents = 20.0;
constexpr double shortestBend = 0.06;    ///< seconds
constexpr double farthestCents = 1250.0; ///< what is farther off is another sound
constexpr double toleranceCents = 8.0;
constexpr double edge = 0.02; ///< seconds at a note's ends in which the tracker hears its neighbors

struct Contour {
    std::vector<double> seconds;
    std::vector<float> cents; ///< notMeasurable where there is none
};

Contour contourOf(const Note& note, double until, const Track& pitchHz, double tuningCents) {
    Contour contour;
    const double hz = hzFromKey(note.key + note.cents / 100.0, tuningCents);
    for (double t = note.start + edge; t < until - edge; t += pitchHz.stepSeconds) {
        // Median of five: a single frame's doubt is no bend.
        std::vector<float> near;
        for (int i = -2; i <= 2; ++i) near.push_back(pitchHz.at(t + i * pitchHz.stepSeconds));
        const float middle = medianOf(near);
        const auto cents = static_cast<float>(isMeasured(middle) ? centsBetween(hz, middle) : notMeasurable);
        contour.seconds.push_back(t);
        contour.cents.push_back(std::abs(cents) < farthestCents ? cents : notMeasurable);
    }
    return contour;
}

} // namespace

std::vector<CurvePoint> findBends(const Track& pitchHz, const Performance& performance) {
    std::vector<CurvePoint> bends;
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const Note& note = performance.notes[i];
        const double next = i + 1 < performance.notes.size() ? performance.notes[i + 1].start : note.end;
        const Contour contour = contourOf(note, std::min(note.end, next), pitchHz, performance.tuningCents);
        const auto settled = std::find_if(contour.cents.begin(), contour.cents.end(),
                                          [](float cents) { return std::abs(cents) < settledCents; });
        // Leaves its pitch, for long enough?
        double longest = 0.0;
        double run = 0.0;
        for (auto cents = settled; cents != contour.cents.end(); ++cents) {
            run = std::abs(*cents) > bendsFromCents ? run + pitchHz.stepSeconds : 0.0;
            longest = std::max(longest, run);
        }
        if (longest < shortestBend) continue;
        const std::vector<float> rest(settled, contour.cents.end());
        if (findPeriodicChange(rest, pitchHz.stepSeconds, {.lowestHz = 1.0, .highestHz = 16.0, .leastCycles = 2.0})
                .found())
            continue;
        std::vector<CurvePoint> points;
        for (auto k = static_cast<std::size_t>(settled - contour.cents.begin()); k < contour.cents.size(); ++k)
            if (isMeasured(contour.cents[k])) points.push_back({contour.seconds[k], contour.cents[k]});
        points = simplified(points, toleranceCents);
        // Nothing of it reaches into the notes beside it.
        bends.push_back({points.front().seconds, 0.0});
        bends.insert(bends.end(), points.begin(), points.end());
        const double last = std::max(points.back().seconds, std::min(note.end, next));
        bends.push_back({last, points.back().value});
        bends.push_back({last, 0.0});
    }
    return bends;
}

std::vector<CurvePoint> pitchAsBends(const Track& pitchCents, const Performance& performance) {
    std::vector<CurvePoint> bends;
    for (const Note& note : performance.notes) {
        std::vector<CurvePoint> track;
        for (double at = note.start + 0.01; at < note.end; at += pitchCents.stepSeconds)
            if (const float cents = pitchCents.at(at); isMeasured(cents)) track.push_back({at, cents});
        if (track.size() < 4) continue;
        const auto few = simplified(track, toleranceCents);
        bends.insert(bends.end(), few.begin(), few.end());
    }
    return bends;
}

} // namespace facet
