#include "core/analysis/notes/note_spans.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

namespace {

constexpr double sameKey = 0.5;       ///< semitones
constexpr double longestBurst = 0.12; ///< seconds from a note's burst to what follows it
constexpr double burstGap = 0.05;
constexpr double longestRemainder = 0.1;
constexpr double remainderGap = 0.05, tailGap = 0.1;
constexpr double remainderSofterDb = 8.0, tailSofterDb = 20.0;
constexpr double swellGap = 0.15, swellSofterDb = 12.0, swellTimesShorter = 5.0; ///< a release that beats
constexpr double burstTimesShorter = 2.0, remainderTimesShorter = 3.0;           ///< than the note

double lengthOf(const NoteSpan& span) { return span.end - span.start; }

bool isBurstOf(const NoteSpan& burst, const NoteSpan& note) {
    return std::abs(burst.pitch - note.pitch) < sameKey && note.start - burst.start < longestBurst &&
           note.start - burst.end < burstGap && lengthOf(note) > burstTimesShorter * (note.start - burst.start);
}

void joinBursts(std::vector<NoteSpan>& spans) {
    std::vector<std::size_t> bursts;
    double shortest = longestBurst, longest = 0.0;
    for (std::size_t i = 0; i + 1 < spans.size(); ++i)
        if (isBurstOf(spans[i], spans[i + 1])) {
            bursts.push_back(i);
            shortest = std::min(shortest, spans[i + 1].start - spans[i].start);
            longest = std::max(longest, spans[i + 1].start - spans[i].start);
        }
    // A flam is played once or twice; an attack is the same all along.
    const bool most = bursts.size() >= 2 && 3 * bursts.size() > spans.size();
    if (!most || longest > 2.0 * shortest) return;
    for (auto i = bursts.rbegin(); i != bursts.rend(); ++i) {
        spans[*i + 1].start = spans[*i].start;
        spans[*i + 1].topDb = std::max(spans[*i + 1].topDb, spans[*i].topDb);
        spans.erase(spans.begin() + static_cast<std::ptrdiff_t>(*i));
    }
}

bool isLeftBy(const NoteSpan& note, const NoteSpan& rest) {
    const double gap = rest.start - note.end, softer = note.topDb - rest.topDb;
    const bool ofNote = std::abs(rest.pitch - note.pitch) < sameKey || !rest.rises;
    const bool tail =
        ofNote && ((gap < tailGap && softer > tailSofterDb) ||
                   (gap < swellGap && softer > swellSofterDb && lengthOf(note) > swellTimesShorter * lengthOf(rest)));
    const bool remainder = lengthOf(rest) < longestRemainder &&
                           lengthOf(note) > remainderTimesShorter * lengthOf(rest) && gap < remainderGap &&
                           softer > remainderSofterDb;
    return tail || remainder;
}

} // namespace

void keepNotesOnly(std::vector<NoteSpan>& spans) {
    joinBursts(spans);
    std::vector<NoteSpan> kept;
    for (const NoteSpan& span : spans)
        if (kept.empty() || !isLeftBy(kept.back(), span)) kept.push_back(span);
    spans = kept;
}

void joinContinued(std::vector<NoteSpan>& spans, const std::vector<double>& dips) {
    constexpr double pause = 0.08, shortest = 0.12, touching = 0.04; // seconds
    constexpr double leastDip = 6.0;
    constexpr double sameNote = 0.8, between = 0.3; // semitones
    std::vector<NoteSpan> joined;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const NoteSpan& span = spans[i];
        if (!joined.empty()) {
            NoteSpan& last = joined.back();
            if (std::abs(span.pitch - last.pitch) < sameNote && span.start - last.end < pause && dips[i] < leastDip) {
                last.end = std::max(last.end, span.end);
                last.topDb = std::max(last.topDb, span.topDb);
                continue;
            }
            // On the way from one key to the next?
            if (i + 1 < spans.size() && !spans[i + 1].rises && lengthOf(span) < shortest &&
                spans[i + 1].start - span.end < touching &&
                (span.pitch - last.pitch) * (spans[i + 1].pitch - span.pitch) > 0.0 &&
                std::abs(span.pitch - last.pitch) > between && std::abs(spans[i + 1].pitch - span.pitch) > between) {
                spans[i + 1].start = span.start;
                spans[i + 1].rises = span.rises;
                spans[i + 1].topDb = std::max(spans[i + 1].topDb, span.topDb);
                continue;
            }
        }
        joined.push_back(span);
    }
    spans = std::move(joined);
}

} // namespace facet
