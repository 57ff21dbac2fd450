#include "core/analysis/notes/struck_chords.h"

#include "core/analysis/notes/key_releases.h"
#include "core/analysis/notes/polyphony.h"
#include "core/analysis/notes/tuning.h"
#include "core/analysis/notes/velocity.h"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace facet {

namespace {

/// From one stroke to where its keys are let go.
struct Struck {
    double start, until, strength;
};

std::vector<Struck> stretchesFrom(const std::vector<Stroke>& strokes) {
    std::vector<Struck> stretches;
    for (const Stroke& stroke : strokes) stretches.push_back({stroke.seconds, 0.0, stroke.strength});
    return stretches;
}

void findEnds(const HeardSound& sound, std::vector<Struck>& stretches) {
    for (std::size_t i = 0; i < stretches.size(); ++i) {
        Struck& one = stretches[i];
        const double next = i + 1 < stretches.size() ? stretches[i + 1].start : sound.seconds();
        const float top = sound.highestBetween(one.start, next);
        double end = next;
        while (end > one.start + shortestFoundNote && !(sound.coarse.at(end - 0.005) > top - 30.0f)) end -= 0.005;
        const double gate = gateOf(sound, one.start, next);
        one.until = isMeasured(gate) ? std::clamp(gate, one.start + shortestFoundNote, end) : end;
    }
}

KeyLevels keysOf(const HeardSound& sound, const std::vector<Struck>& stretches) {
    constexpr double settled = 0.07, before = 0.03, step = 0.04; // seconds
    std::vector<std::vector<double>> instants;
    for (const Struck& one : stretches) {
        const double first = std::min(one.start + settled, 0.5 * (one.start + one.until));
        std::vector<double>& here = instants.emplace_back(1, first);
        for (double t = first + step; t < one.until - before; t += step) here.push_back(t);
    }
    return keysTogether(sound, instants, 0.0);
}

/// Whether two stretches have most keys in common.
bool alike(const std::vector<double>& a, const std::vector<double>& b) {
    int both = 0, any = 0;
    for (std::size_t key = 0; key < a.size(); ++key) {
        both += a[key] > 0.0 && b[key] > 0.0;
        any += a[key] > 0.0 || b[key] > 0.0;
    }
    return any > 0 && 2 * both >= any;
}

/// Joins what goes on over a weak stroke with about the same keys; whether there was any.
bool joinContinued(std::vector<Struck>& stretches, const KeyLevels& keys) {
    constexpr double weak = 0.2; // of the strongest stroke
    std::vector<Struck> joined;
    for (std::size_t i = 0; i < stretches.size(); ++i)
        if (i == 0 || stretches[i].strength >= weak || !alike(keys.levels[i - 1], keys.levels[i]))
            joined.push_back(stretches[i]);
    std::swap(joined, stretches);
    return joined.size() > stretches.size();
}

std::ptrdiff_t soundingIn(const std::vector<double>& levels) {
    return std::count_if(levels.begin(), levels.end(), [](double level) { return level > 0.0; });
}

/// Whether keys may go on over a stroke: nothing dips before it, and only some bands rise.
bool goesOn(const HeardSound& sound, const Struck& before, const Struck& now) {
    constexpr double strikesAll = 0.8; // share of the bands
    return before.until > now.start - 2.0 * togetherWithin && shareOfBandsRising(sound, now.start) < strikesAll;
}

std::vector<Note> notesOf(const HeardSound& sound, const std::vector<Struck>& stretches, const KeyLevels& keys) {
    constexpr double faded = 0.5;   // of its level before: what rings on falls
    constexpr double softest = 0.3; // re the loudest key of its chord
    std::vector<Note> notes;
    for (std::size_t key = 0; key < keys.levels.front().size(); ++key) {
        double before = 0.0;
        for (std::size_t i = 0; i < stretches.size(); ++i) {
            const double level = keys.levels[i][key];
            const double loudest = *std::max_element(keys.levels[i].begin(), keys.levels[i].end());
            const double last = std::exchange(before, level);
            if (level <= softest * loudest) continue;
            if (last > 0.0 && goesOn(sound, stretches[i - 1], stretches[i])) {
                if (!notes.empty() && notes.back().end >= stretches[i - 1].until - 1e-9)
                    notes.back().end = stretches[i].until;
                continue;
            }
            if (last > 0.0 && level < faded * last && level < faded * loudest) continue;
            const double velocity = 100.0 + velocityPerDb * 20.0 * std::log10(level);
            notes.push_back({.start = stretches[i].start,
                             .end = stretches[i].until,
                             .key = keys.lowestKey + static_cast<int>(key),
                             .velocity = std::clamp(velocity, 20.0, 127.0)});
        }
    }
    return notes;
}

} // namespace

ChordNotes struckChordsIn(const HeardSound& sound, const std::vector<Stroke>& strokes) {
    ChordNotes found;
    std::vector<Struck> stretches = stretchesFrom(strokes);
    if (stretches.empty()) return found;
    findEnds(sound, stretches);
    KeyLevels keys = keysOf(sound, stretches);
    if (joinContinued(stretches, keys)) {
        findEnds(sound, stretches);
        keys = keysOf(sound, stretches);
    }
    found.explained = keys.explained;
    found.overtones = keys.overtones;
    for (const Struck& one : stretches) found.starts.push_back(one.start);
    for (const std::vector<double>& levels : keys.levels)
        found.several += (soundingIn(levels) > 1 ? 1.0 : 0.0) / static_cast<double>(stretches.size());
    found.performance.notes = notesOf(sound, stretches, keys);
    found.performance.normalize();
    found.performance.tuningCents = tuningAgainst(sound.mono, found.performance);
    return found;
}

} // namespace facet
