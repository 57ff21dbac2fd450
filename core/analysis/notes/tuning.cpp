#include "core/analysis/notes/tuning.h"

#include "core/analysis/facets/pitch.h"
#include "core/analysis/series/track.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

/// A deviation from a whole key, cents, and how much it counts.
struct Deviation {
    double cents;
    double weight;
};

double weightedMedian(std::vector<Deviation> values) {
    std::sort(values.begin(), values.end(), [](const Deviation& a, const Deviation& b) { return a.cents < b.cents; });
    double total = 0.0, sum = 0.0;
    for (const Deviation& each : values) total += each.weight;
    for (const Deviation& each : values)
        if ((sum += each.weight) >= 0.5 * total) return each.cents;
    return 0.0;
}

} // namespace

Tuning tuningOf(const std::vector<NoteSpan>& spans, const std::vector<double>& pitches) {
    const auto longest = std::max_element(spans.begin(), spans.end(), [](const NoteSpan& a, const NoteSpan& b) {
        return a.end - a.start < b.end - b.start;
    });
    const double longestPitch = pitches[static_cast<std::size_t>(longest - spans.begin())];
    const double turn = 100.0 * (longestPitch - std::round(longestPitch));
    std::vector<Deviation> deviations;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const double length = spans[i].end - spans[i].start;
        // Around the longest note's deviation, so that ±50 cents do not fall apart.
        const double cents = 100.0 * pitches[i] - turn;
        deviations.push_back({turn + cents - 100.0 * std::round(cents / 100.0), length * length});
    }
    const double tuning = weightedMedian(deviations);
    for (Deviation& each : deviations) each.cents = std::abs(each.cents - tuning);
    // Chosen by hand: a note of a tenth of a second is read within 7 cents where voices beat, one of a second within 1.
    constexpr double least = 0.5, perSecond = 0.6, perDeviation = 1.5, doubts = 2.5;
    const double length = longest->end - longest->start;
    const double error =
        std::hypot(least + perSecond / std::max(0.02, length), perDeviation * weightedMedian(deviations));
    return {tuning, doubts * error};
}

double tuningAgainst(std::span<const float> mono48k, const Performance& performance) {
    std::vector<NoteSpan> spans;
    std::vector<double> pitches;
    for (const Note& note : performance.notes) {
        // A quarter tone either way: the phases would take a larger error for another partial's.
        double best = notMeasurable;
        for (double guess : {0.0, -40.0, 40.0}) {
            const double hz = restingPitch(mono48k, note.start, note.end, hzFromKey(note.key, guess));
            if (isMeasured(hz) && (!isMeasured(best) || std::abs(keyFromHz(hz) - note.key) < std::abs(best - note.key)))
                best = keyFromHz(hz);
        }
        if (!isMeasured(best)) continue;
        spans.push_back({note.start, note.end, best, silenceDb});
        pitches.push_back(best);
    }
    return spans.empty() ? 0.0 : tuningOf(spans, pitches).cents();
}

} // namespace facet
