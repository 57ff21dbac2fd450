#include "core/analysis/notes/tuning.h"

#include "core/analysis/facets/pitch.h"
#include "core/analysis/series/track.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace facet {

double tuningOf(const std::vector<NoteSpan>& spans, const std::vector<double>& pitches) {
    const auto longest = std::max_element(spans.begin(), spans.end(), [](const NoteSpan& a, const NoteSpan& b) {
        return a.end - a.start < b.end - b.start;
    });
    const double longestPitch = pitches[static_cast<std::size_t>(longest - spans.begin())];
    const double turn = 100.0 * (longestPitch - std::round(longestPitch));
    std::vector<std::pair<double, double>> byDeviation;
    double total = 0.0;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const double length = spans[i].end - spans[i].start;
        // Around the longest note's deviation, so that ±50 cents do not fall apart.
        const double cents = 100.0 * pitches[i] - turn;
        byDeviation.emplace_back(turn + cents - 100.0 * std::round(cents / 100.0), length * length);
        total += byDeviation.back().second;
    }
    std::sort(byDeviation.begin(), byDeviation.end());
    double sum = 0.0;
    for (const auto& [cents, weight] : byDeviation)
        if ((sum += weight) >= 0.5 * total) return cents;
    return 0.0;
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
    return spans.empty() ? 0.0 : tuningOf(spans, pitches);
}

} // namespace facet
