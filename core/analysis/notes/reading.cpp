#include "core/analysis/notes/reading.h"

#include "core/analysis/facets/space.h"
#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/gate.h"
#include "core/analysis/notes/noise_only.h"
#include "core/analysis/notes/note_starts.h"
#include "core/analysis/notes/one_sound.h"
#include "core/analysis/notes/repeats.h"
#include "core/analysis/notes/strokes.h"
#include "core/analysis/notes/struck_chords.h"
#include "core/analysis/notes/tempo.h"
#include "core/analysis/notes/velocity.h"
#include "core/audio/recording.h"
#include "core/base/heavy_work.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>
#include <utility>

namespace facet {

namespace {

constexpr double trustedTempo = 0.9;
constexpr double silentDb = -90.0;
constexpr double tooUnlikely = 5.0; ///< natural logarithm of the odds against the best: not even offered

// Natural logarithms of odds, chosen by hand; no source.
constexpr double slowMovesAreBends = 1.0;
constexpr double clearEchoIsOne = 2.0; ///< of one that leaves fewer notes when it is taken out
constexpr double noiseIsNoHits = 1.5;

/// A reading on its way: its weight is a natural logarithm, up to a constant that all share.
struct Candidate {
    FoundNotes found;
    Texture texture;
    double weight;
    bool hits = false;
    int heldRuns = 0;
};

/// Logarithm of the probability of an answer whose odds have this logarithm.
double logProbability(double logOdds) { return -std::log1p(std::exp(-logOdds)); }

/// Shares the weight of both between them; `logOdds` of the one.
void decideBetween(Candidate& one, Candidate& other, double logOdds) {
    one.weight += logProbability(logOdds);
    other.weight += logProbability(-logOdds);
}

struct Odds {
    Texture texture;
    double weight;
};

/// Share of the time in which several keys sound: as one method or, where keys of a sound with overtones explain nearly
/// all of it, the other says.
double shareOfChords(const HeardSound& sound, const ChordNotes& proposed) {
    constexpr double nearlyAll = 0.9, hasOvertones = 0.08;
    const bool clear = proposed.explained > nearlyAll && proposed.overtones > hasOvertones;
    return std::max(chordShareOf(sound), clear ? proposed.several : 0.0);
}

/// Logarithm of the odds that what begins speaks for chords: where one key begins at most places, the others ring on,
/// or come again from an echo.
double oddsByStarts(const ChordNotes& chords) {
    constexpr int fewest = 4;
    int places = 0, several = 0;
    for (double start : chords.starts) {
        const auto begin =
            std::count_if(chords.performance.notes.begin(), chords.performance.notes.end(),
                          [start](const Note& note) { return std::abs(note.start - start) < togetherWithin; });
        places += begin > 0;
        several += begin > 1;
    }
    if (places < fewest) return 0.0;
    return std::clamp(8.0 * (static_cast<double>(several) / places - 0.5), -3.0, 1.0);
}

/// How likely each texture is by itself; with the chords, unless it is all noise.
std::vector<Odds> texturesOf(const HeardSound& sound, ChordNotes& proposed) {
    // Partials of the lowest tones lie too dense to be told from noise, but they repeat.
    const double noise = 60.0 * (bandFlatnessOf(sound) - 0.5) - 12.0 * sound.pitchedShare();
    const double ofNoise = logProbability(noise), ofTones = logProbability(-noise);
    std::vector<Odds> odds{{Texture::noise, ofNoise}};
    if (ofTones < ofNoise - tooUnlikely) return odds;
    proposed = chordsIn(sound, risesOf(sound));
    const double chords = 12.0 * (shareOfChords(sound, proposed) - 0.5) + oddsByStarts(proposed);
    const double ofChords = ofTones + logProbability(chords);
    const double oneSound = oneSoundIn(sound, proposed).logOdds();
    odds.push_back({Texture::line, ofTones + logProbability(-chords)});
    odds.push_back({Texture::chords, ofChords + logProbability(-oneSound)});
    odds.push_back({Texture::oneSound, ofChords + logProbability(oneSound)});
    std::stable_sort(odds.begin(), odds.end(), [](const Odds& a, const Odds& b) { return a.weight > b.weight; });
    return odds;
}

/// Adds a candidate as it is and, where it holds even bursts, with those held.
void addWithGates(const HeardSound& sound, Candidate candidate, std::vector<Candidate>& all) {
    if (candidate.found.performance.notes.empty()) return;
    const auto& notes = candidate.found.performance.notes;
    const std::vector<BurstRun> runs = burstRunsOf(sound, notes, candidate.found.performance.tuningCents);
    const auto finished = [&](Candidate one) {
        if (one.texture == Texture::line || one.texture == Texture::oneSound) finishLine(sound, one.found);
        return one;
    };
    if (runs.empty()) {
        all.push_back(finished(std::move(candidate)));
        return;
    }
    // All runs of one recording were made alike.
    double logOdds = 0.0;
    std::string words;
    for (const BurstRun& run : runs) {
        logOdds += run.logOdds() / static_cast<double>(runs.size());
        words += (words.empty() ? "" : " ") + run.words(notes);
    }
    Candidate asHeld = candidate;
    asHeld.weight += logProbability(logOdds);
    asHeld.heldRuns = static_cast<int>(runs.size());
    asHeld.found.performance.notes = held(notes, runs);
    const bool one = asHeld.found.performance.notes.size() == 1;
    asHeld.found.gateEvidence =
        fmt::format("{} Taken for {} behind a gate.", words, one ? "one held note" : "held notes");
    all.push_back(finished(std::move(asHeld)));
    candidate.weight += logProbability(-logOdds);
    candidate.found.gateEvidence = words + " Taken for notes struck again.";
    all.push_back(finished(std::move(candidate)));
}

/// Whether a note is what an echo leaves of an earlier one: as late as the echo or a multiple, and softer.
bool isRepeat(const Note& note, const std::vector<Note>& notes, double echoSeconds) {
    return std::any_of(notes.begin(), notes.end(), [&](const Note& earlier) {
        const double turns = std::round((note.start - earlier.start) / echoSeconds);
        constexpr double softer = 5.0; // dB
        return turns >= 1.0 && std::abs(note.start - earlier.start - turns * echoSeconds) < 0.03 &&
               note.velocity < earlier.velocity - softer * velocityPerDb;
    });
}

/// Adds the same notes without those that an echo explains, where there are any.
void addWithoutRepeats(const HeardSound& sound, Candidate& candidate, std::vector<Candidate>& all) {
    Repeats repeats = repeatsAmong(candidate.found.performance.notes);
    if (!repeats.found()) return;
    Candidate without = candidate;
    without.found.performance.notes = std::move(repeats.played);
    without.found.echoSeconds = repeats.seconds;
    without.found.repeatsLeftOut = repeats.count;
    without.weight += logProbability(repeats.logOdds());
    candidate.weight += logProbability(-repeats.logOdds());
    addWithGates(sound, std::move(without), all);
}

/// Adds the line that is found when a clear echo is taken out first, where there is one and it leaves fewer notes.
void addWithoutEcho(const HeardSound& sound, Candidate& candidate, std::vector<Candidate>& all) {
    const FoundNotes& found = candidate.found;
    if (found.performance.notes.size() < 3 || !found.problem.empty()) return;
    const Recording recording{analysisRateHz, {{sound.mono.begin(), sound.mono.end()}}};
    const Echo echo = findEcho(recording, found.performance, sound.task);
    if (!echo.found() || echo.confidence < 0.5 || echo.levelDb > -1.5) return;
    // The echo is taken out and the notes are found anew: under it a fast phrase blurs.
    const std::vector<float> dry = withoutEcho(sound.mono, echo);
    const PitchTrack pitch = trackPitch(dry, {}, sound.task);
    const HeardSound drySound{dry, pitch, sound.task};
    Candidate again = candidate;
    again.found = notesAs(Texture::line, drySound, {});
    auto& notes = again.found.performance.notes;
    // What noise or another effect looked like an echo for falls into pieces without it.
    constexpr std::size_t mostTimes = 2;
    if (!again.found.problem.empty() || notes.size() > mostTimes * found.performance.notes.size()) return;
    const std::vector<Note> before = notes;
    std::erase_if(notes, [&](const Note& note) { return isRepeat(note, before, echo.seconds); });
    if (notes.empty() || notes.size() >= found.performance.notes.size()) return;
    again.found.echoSeconds = echo.seconds;
    again.found.repeatsLeftOut = static_cast<int>(found.performance.notes.size() - notes.size());
    again.weight += logProbability(clearEchoIsOne);
    candidate.weight += logProbability(-clearEchoIsOne);
    addWithGates(drySound, std::move(again), all);
}

/// Logarithm of the odds that the notes of a line found by its strokes are the right ones: what wavers, beats or echoes
/// is cut into many more by the rises of its level, and bursts behind a gate are told by their evenness.
double oddsOfStrokes(const HeardSound& sound, const Candidate& stroked, const Candidate& usual) {
    const auto& notes = usual.found.performance.notes;
    if (stroked.found.performance.notes.empty() || notes.empty()) return -10.0;
    const double share =
        static_cast<double>(stroked.found.performance.notes.size()) / static_cast<double>(notes.size());
    const double odds = std::clamp(8.0 * (1.0 - share) - 1.0, -2.5, 2.0);
    const std::vector<BurstRun> runs = burstRunsOf(sound, notes, usual.found.performance.tuningCents);
    return !runs.empty() && runs.front().even ? std::min(odds, -1.0) : odds;
}

/// Logarithm of the odds that chords were struck together, against those that each moment says: of voices that beat
/// moments say keys that come and go between the strokes, of what moves the strokes cut it to pieces.
double oddsOfStruckChords(const std::vector<Note>& struck, const std::vector<Note>& moments,
                          const std::vector<Stroke>& strokes) {
    constexpr double manyMore = 1.6, nearlyAll = 0.95;
    constexpr double near = 0.04, inside = 0.08, shortest = 0.15; // seconds
    if (moments.empty()) return 0.0;
    const auto anyStroke = [&](double from, double to) {
        return std::any_of(strokes.begin(), strokes.end(),
                           [&](const Stroke& stroke) { return stroke.seconds > from && stroke.seconds < to; });
    };
    double begin = 0.0;
    bool heldOver = false, lasting = true;
    for (const Note& note : moments) {
        begin += anyStroke(note.start - near, note.start + near);
        heldOver = heldOver || anyStroke(note.start + inside, note.end - inside);
        lasting = lasting && note.end - note.start > shortest;
    }
    const double count = static_cast<double>(moments.size()), times = static_cast<double>(struck.size()) / count;
    if (times > manyMore) return -2.0;
    if (!lasting && begin < nearlyAll * count) return 0.6;
    return times > 1.0 && !heldOver ? 0.2 : -0.6;
}

/// Adds the same chords by what all their sound says, beside those that each moment says.
void addStruckChords(const HeardSound& sound, const std::vector<Stroke>& strokes, Candidate& candidate,
                     std::vector<Candidate>& all) {
    Candidate struck{notesAs(Texture::chords, sound, struckChordsIn(sound, strokes)), candidate.texture,
                     candidate.weight};
    if (struck.found.performance.notes.empty()) return;
    decideBetween(struck, candidate,
                  oddsOfStruckChords(struck.found.performance.notes, candidate.found.performance.notes, strokes));
    addWithGates(sound, std::move(struck), all);
}

/// Adds the other lines that are heard: with slow moves of the pitch as keys, with notes that begin at strokes, and
/// without a clear echo.
void addOtherLines(const HeardSound& sound, const std::vector<Stroke>& strokes, Candidate& candidate,
                   std::vector<Candidate>& all) {
    Candidate stepped{notesAs(Texture::line, sound, {}, {.slowMovesAreKeys = true, .strokes = {}}), Texture::line,
                      candidate.weight};
    if (stepped.found.performance.notes.size() > candidate.found.performance.notes.size()) {
        decideBetween(stepped, candidate, -slowMovesAreBends);
        addWithGates(sound, std::move(stepped), all);
    }
    const std::size_t before = all.size();
    addWithoutEcho(sound, candidate, all);
    const Repeats repeats = repeatsAmong(candidate.found.performance.notes);
    // Where an echo is taken out the notes that are left are not the ones to be compared with.
    const bool echoes = all.size() > before || (repeats.found() && repeats.logOdds() > 0.0);
    Candidate stroked{notesAs(Texture::line, sound, {}, {.slowMovesAreKeys = false, .strokes = strokes}), Texture::line,
                      candidate.weight};
    const double odds = oddsOfStrokes(sound, stroked, candidate);
    decideBetween(stroked, candidate, echoes ? std::min(odds, -1.0) : odds);
    addWithoutRepeats(sound, stroked, all);
    addWithGates(sound, std::move(stroked), all);
}

/// Whether two readings have the same notes: keys, and starts and ends within 30 ms.
bool sameNotes(const std::vector<Note>& a, const std::vector<Note>& b) {
    constexpr double near = 0.03;
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const Note& x, const Note& y) {
        return x.key == y.key && std::abs(x.start - y.start) < near && std::abs(x.end - y.end) < near;
    });
}

std::string wordsFor(const Candidate& one) {
    const std::size_t count = one.found.performance.notes.size();
    std::string words = count == 1 ? "one note" : fmt::format("{} notes", count);
    if (one.hits)
        words = count == 1 ? "one hit without a pitch" : fmt::format("{} hits without a pitch", count);
    else if (one.texture == Texture::noise)
        words = count == 1 ? "noise, no keys" : fmt::format("noise in {} parts, no keys", count);
    else if (one.texture == Texture::oneSound)
        words += " of an inharmonic sound";
    else if (one.texture == Texture::chords)
        words += " in chords";
    if (one.heldRuns > 0) words += ", held behind a gate";
    if (one.found.repeatsLeftOut > 0) words += fmt::format(", repeats every {:.0f} ms", 1000.0 * one.found.echoSeconds);
    return words;
}

std::vector<Reading> ranked(std::vector<Candidate> all) {
    std::stable_sort(all.begin(), all.end(),
                     [](const Candidate& a, const Candidate& b) { return a.weight > b.weight; });
    std::vector<Reading> readings;
    double sum = 0.0;
    for (Candidate& one : all) {
        const double share = std::exp(one.weight - all.front().weight);
        const auto same = std::find_if(readings.begin(), readings.end(), [&](const Reading& other) {
            return sameNotes(other.found.performance.notes, one.found.performance.notes);
        });
        if (same != readings.end()) {
            same->probability += share;
        } else if (readings.size() < mostReadings && one.weight > all.front().weight - tooUnlikely) {
            Reading reading{std::move(one.found), one.texture, share, {}};
            reading.words = wordsFor({reading.found, one.texture, 0.0, one.hits, one.heldRuns});
            const TempoEstimate tempo = estimateTempo(reading.found.performance.notes);
            reading.found.tempoConfidence = tempo.confidence;
            if (tempo.confidence >= trustedTempo) reading.found.performance.tempo = tempo.beatsPerMinute;
            readings.push_back(std::move(reading));
        } else {
            continue;
        }
        sum += share;
    }
    for (Reading& reading : readings) reading.probability /= sum;
    std::stable_sort(readings.begin(), readings.end(),
                     [](const Reading& a, const Reading& b) { return a.probability > b.probability; });
    // What it is taken for is decided by all readings of a kind together: several ways to find chords speak for chords.
    const auto ofKind = [&](Texture texture) {
        double probability = 0.0;
        for (const Reading& reading : readings) probability += reading.texture == texture ? reading.probability : 0.0;
        return probability;
    };
    const auto first = std::max_element(readings.begin(), readings.end(), [&](const Reading& a, const Reading& b) {
        return ofKind(a.texture) < ofKind(b.texture);
    });
    if (first != readings.end()) std::rotate(readings.begin(), first, first + 1);
    return readings;
}

} // namespace

std::vector<Reading> readingsOf(std::span<const float> mono48k, const Task& task) {
    announceHeavyWork("findNotes");
    const PitchTrack pitch = trackPitch(mono48k, {}, task);
    const HeardSound sound{mono48k, pitch, task};
    if (sound.loudest < silentDb) {
        Reading nothing;
        nothing.texture = Texture::noise;
        nothing.words = "silence";
        nothing.found.problem = "This recording is silent; choose another part of it.";
        return {nothing};
    }
    ChordNotes chords;
    const std::vector<Odds> odds = texturesOf(sound, chords);
    const std::vector<Stroke> strokes = strokesOf(sound);
    std::vector<Candidate> all;
    for (const auto& [texture, weight] : odds) {
        if (weight < odds.front().weight - tooUnlikely) break;
        task.check();
        Candidate candidate{notesAs(texture, sound, chords), texture, weight};
        if (texture == Texture::noise) {
            all.push_back(candidate);
            all.push_back({hitsOf(sound), texture, weight - noiseIsNoHits, true});
            continue;
        }
        if (texture == Texture::chords) addStruckChords(sound, strokes, candidate, all);
        if (texture == Texture::line) addOtherLines(sound, strokes, candidate, all);
        addWithoutRepeats(sound, candidate, all);
        addWithGates(sound, std::move(candidate), all);
    }
    std::erase_if(all, [](const Candidate& one) { return one.found.performance.notes.empty(); });
    // Where nothing else can be read there may still be hits.
    if (all.empty()) all.push_back({hitsOf(sound), Texture::noise, 0.0, true});
    return ranked(std::move(all));
}

FoundNotes findNotes(std::span<const float> mono48k, const Task& task) {
    return readingsOf(mono48k, task).front().found;
}

} // namespace facet
