#include "core/analysis/notes/key_releases.h"

#include "core/analysis/facets/level.h"
#include "core/audio/recording.h"

#include <algorithm>
#include <vector>

namespace facet {

namespace {

/// A release in two parts, sharp and then slow, as of a pipe and its room, has its one curve begin early: before
/// anything falls.
double sharpEnd(const HeardSound& sound, double end, double next) {
    constexpr double farthest = 0.03, least = 0.008, look = 0.015; // seconds
    constexpr float unchangedDb = 0.5f, sharpDb = 6.0f;
    if (!isMeasured(end)) return end;
    double later = end;
    while (later < std::min(end + farthest, next) && sound.coarse.at(later) > sound.coarse.at(end) - unchangedDb)
        later += sound.coarse.stepSeconds;
    const bool sharp = sound.coarse.at(later) - sound.coarse.at(later + look) > sharpDb;
    return sharp && later - end > least ? later : end;
}

} // namespace

double gateOf(const HeardSound& sound, double start, double next) {
    return kneeOf(start + fitLevel(sound.coarse, sound.smoothing, start, notMeasurable, next, sound.task).gate, start,
                  next, sound.coarse);
}

double heldUntil(const HeardSound& sound, double start, double next) {
    constexpr double step = 0.005; // seconds
    constexpr float fadedDb = 30.0f;
    const float top = sound.highestBetween(start, next);
    double end = next;
    while (end > start + shortestFoundNote && !(sound.coarse.at(end - step) > top - fadedDb)) end -= step;
    const double gate = gateOf(sound, start, next);
    return isMeasured(gate) ? std::clamp(gate, start + shortestFoundNote, end) : end;
}

std::vector<NoteEnd> endsOf(const HeardSound& sound, const std::vector<NoteSpan>& spans) {
    std::vector<NoteEnd> ends;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        sound.task.check();
        const double next =
            i + 1 < spans.size() ? spans[i + 1].start : static_cast<double>(sound.mono.size()) / analysisRateHz;
        ends.push_back({gateOf(sound, spans[i].start, next), next});
    }
    agreeOnEnds(ends, sound.coarse);
    for (NoteEnd& end : ends) end.seconds = sharpEnd(sound, end.seconds, end.next);
    return ends;
}

} // namespace facet
