#include "core/analysis/notes/struck_chords.h"

#include "core/analysis/notes/key_releases.h"
#include "core/analysis/notes/note_starts.h"
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
    for (std::size_t i = 0; i < stretches.size(); ++i)
        stretches[i].until =
            heldUntil(sound, stretches[i].start, i + 1 < stretches.size() ? stretches[i + 1].start : sound.seconds());
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
    return before.until > now.start - 2.0 * togetherWithin && shareOfBandsRising(sound, now.start) < strikesAll;
}

/// The notes of one key. `goOn`: of each stretch whether keys may go on from the one before.
void addNotesOf(std::size_t key, const std::vector<Struck>& stretches, const KeyLevels& keys,
                const std::vector<bool>& goOn, std::vector<Note>& notes) {
    constexpr double faded = 0.5;   // of its level before: what rings on falls
    constexpr double softest = 0.3; // re the loudest key of its chord
    bool sounds = false;            // the last of the notes is this key's, and held
    double before = 0.0;
    for (std::size_t i = 0; i < stretches.size(); ++i) {
        const double level = keys.levels[i][key], last = std::exchange(before, level);
        const double loudest = *std::max_element(keys.levels[i].begin(), keys.levels[i].end());
        const bool heldBefore = std::exchange(sounds, false);
        if (level <= softest * loudest) continue;
        if (last > 0.0 && goOn[i]) {
            sounds = heldBefore;
            if (sounds) notes.back().end = stretches[i].until;
            continue;
        }
        if (last > 0.0 && level < faded * last && level < faded * loudest) continue;
        notes.push_back({.start = stretches[i].start,
                         .end = stretches[i].until,
                         .key = keys.lowestKey + static_cast<int>(key),
                         .velocity = velocityOfLevel(level)});
        sounds = true;
    }
}

std::vector<Note> notesOf(const HeardSound& sound, const std::vector<Struck>& stretches, const KeyLevels& keys) {
    std::vector<bool> goOn(1, false);
    for (std::size_t i = 1; i < stretches.size(); ++i) goOn.push_back(goesOn(sound, stretches[i - 1], stretches[i]));
    std::vector<Note> notes;
    for (std::size_t key = 0; key < keys.levels.front().size(); ++key) addNotesOf(key, stretches, keys, goOn, notes);
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
