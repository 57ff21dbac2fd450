#include "core/analysis/notes/chord_notes.h"

#include "core/analysis/notes/chords.h"
#include "core/analysis/notes/key_releases.h"
#include "core/analysis/notes/polyphony.h"
#include "core/analysis/notes/tuning.h"
#include "core/analysis/notes/velocity.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace facet {

namespace {

constexpr double chordSalience = 0.6; ///< of another note, re the strongest
constexpr int chordInstants = 24;

/// Whether the sound repeats exactly with the period of one of the keys: there is nothing else in it.
bool repeatsAtOneOf(const HeardSound& sound, const std::vector<double>& keys, double seconds) {
    if (!sound.repeatsAt(seconds)) return false;
    const float hz = sound.pitch.hz.at(seconds);
    return std::any_of(keys.begin(), keys.end(), [key = keyFromHz(hz)](double k) { return std::abs(k - key) < 0.3; });
}

std::vector<double> keysSoundingAt(const HeardSound& sound, double seconds) {
    std::vector<double> keys;
    for (const SoundingNote& note : notesSoundingAt(sound.mono, seconds))
        if (note.salience >= chordSalience) keys.push_back(keyFromHz(note.hz));
    return keys;
}

} // namespace

double chordShareOf(const HeardSound& sound) {
    const double seconds = static_cast<double>(sound.mono.size()) / analysisRateHz;
    int sounding = 0;
    int chords = 0;
    for (int i = 0; i < chordInstants; ++i) {
        sound.task.check();
        const double at = (i + 0.5) / chordInstants * seconds;
        if (sound.coarse.at(at) < sound.loudest - chordRangeDb) continue;
        ++sounding;
        const std::vector<double> keys = keysSoundingAt(sound, at);
        chords += keys.size() > 1 && !repeatsAtOneOf(sound, keys, at);
    }
    return sounding > 0 ? static_cast<double>(chords) / sounding : 0.0;
}

void proposeHits(const HeardSound& sound, const std::vector<NoteStart>& starts, Performance& performance) {
    constexpr int size = 8192;
    constexpr double shortestHit = 0.02;
    RealFft fft(size);
    const double total = static_cast<double>(sound.mono.size()) / analysisRateHz;
    for (std::size_t i = 0; i < starts.size(); ++i) {
        if (!starts[i].rise) continue;
        const double start = starts[i].seconds;
        const double next = i + 1 < starts.size() ? starts[i + 1].seconds : total;
        const float top = sound.highestBetween(start, next);
        if (top < sound.loudest - chordRangeDb) continue;
        double end = start + shortestHit;
        while (end < next && sound.coarse.at(end) > top - 20.0f) end += 0.001;
        windowedFrame(sound.mono, static_cast<int>(start * analysisRateHz) - size / 8, hannWindow(size), fft.time());
        fft.forward();
        constexpr double binHz = static_cast<double>(analysisRateHz) / size;
        const auto first = static_cast<std::size_t>(std::ceil(30.0 / binHz));
        const auto last = static_cast<std::size_t>(2000.0 / binHz);
        std::size_t strongest = first;
        for (std::size_t b = first; b <= last; ++b)
            if (std::norm(fft.bins()[b]) > std::norm(fft.bins()[strongest])) strongest = b;
        const int key = static_cast<int>(std::lround(keyFromHz(static_cast<double>(strongest) * binHz)));
        performance.notes.push_back({start, std::min(end, next), std::clamp(key, 0, 127), 0.0,
                                     std::clamp(100.0 + velocityPerDb * (top - sound.loudest), 20.0, 127.0)});
    }
    performance.normalize();
}

namespace {

constexpr double halfWindow = 0.085; ///< seconds, half of what a spectrum sees
constexpr double shortestStep = 0.1; ///< seconds from look to look
constexpr double mostLooks = 150.0;  ///< in a long recording they lie farther apart

/// Sound between two rises, and when it is looked at.
struct Stretch {
    double start, next, until; ///< until: where its keys were let go
    std::size_t firstLook, looks;
};

double stepOf(const HeardSound& sound) { return std::max(shortestStep, sound.seconds() / mostLooks); }

std::vector<Stretch> stretchesBetween(const HeardSound& sound, const std::vector<NoteStart>& rises,
                                      std::vector<double>& instants) {
    std::vector<Stretch> stretches;
    for (std::size_t s = 0; s < rises.size(); ++s) {
        const double start = rises[s].seconds, next = s + 1 < rises.size() ? rises[s + 1].seconds : sound.seconds();
        const float top = sound.highestBetween(start, next);
        if (top < sound.loudest - chordRangeDb) continue;
        const double until = heldUntil(sound, start, next);
        stretches.push_back({start, next, until, instants.size(), 0});
        for (double t = std::min(start + halfWindow, 0.5 * (start + until)); t < until; t += stepOf(sound))
            instants.push_back(t);
        stretches.back().looks = instants.size() - stretches.back().firstLook;
        if (stretches.back().looks == 0) stretches.pop_back();
    }
    return stretches;
}

/// Where a key sets in, and by how much its lowest partials rise there.
struct KeyOnset {
    double seconds, riseDb;
};

/// The steepest rise between two looks.
KeyOnset onsetOf(const HeardSound& sound, int key, double from, double to) {
    constexpr int size = 2048;
    constexpr double step = 0.005, apart = 0.03; // seconds
    RealFft fft(size);
    const double hz = hzFromKey(key);
    std::vector<double> levels;
    for (double t = from - apart; t <= to + apart; t += step) {
        windowedFrame(sound.mono, static_cast<int>(t * analysisRateHz) - size / 2, hannWindow(size), fft.time());
        fft.forward();
        double power = 1e-12;
        for (int n = 1; n <= 4; ++n) {
            const auto bin = static_cast<std::size_t>(std::lround(n * hz * size / analysisRateHz));
            if (bin < static_cast<std::size_t>(fft.binCount())) power += std::norm(fft.bins()[bin]);
        }
        levels.push_back(power);
    }
    const auto reach = static_cast<std::size_t>(2.0 * apart / step);
    std::size_t steepest = 0;
    double most = -1.0;
    for (std::size_t i = 0; i + reach < levels.size(); ++i)
        if (const double rise = levels[i + reach] - levels[i]; rise > most) {
            most = rise;
            steepest = i;
        }
    return {from - apart + step * (static_cast<double>(steepest) + 0.5 * static_cast<double>(reach)),
            10.0 * std::log10(levels[steepest + reach] / levels[steepest])};
}

/// Whether a rise is only the louder part of a swell: nothing dips before it, and what came before was short and soft.
bool swellsOn(const HeardSound& sound, const Stretch& before, const Stretch& stretch) {
    constexpr double longest = 0.4; // seconds
    constexpr float softerDb = 6.0f, dipDb = 3.0f;
    const float soft = sound.highestBetween(before.start, stretch.start - 0.01);
    return stretch.start - before.start < longest && before.next > stretch.start - togetherWithin &&
           soft < sound.highestBetween(stretch.start, stretch.next) - softerDb &&
           sound.lowestBetween(sound.coarse, stretch.start - 0.03, stretch.start) > soft - dipDb;
}

/// The notes of one key: from look to look, until it falls silent or is struck again.
class KeyNotes {
public:
    KeyNotes(const HeardSound& sound, const KeyLevels& keys, std::size_t key, std::vector<Note>& notes)
        : sound_(sound), keys_(keys), key_(key), notes_(notes) {}

    void read(const std::vector<Stretch>& stretches) {
        for (std::size_t s = 0; s < stretches.size(); ++s) {
            const bool joined = s > 0 && stretches[s - 1].until > stretches[s].start - 2.0 * togetherWithin &&
                                (shareOfBandsRising(sound_, stretches[s].start) < strikesAll ||
                                 swellsOn(sound_, stretches[s - 1], stretches[s]));
            readStretch(stretches[s], joined);
        }
    }

private:
    void readStretch(const Stretch& stretch, bool joined) {
        constexpr double leastRiseDb = 6.0;
        const auto levelAt = [&](std::size_t look) { return keys_.levels[stretch.firstLook + look][key_]; };
        bool here = false; // sounded in this stretch
        for (std::size_t look = 0; look < stretch.looks; ++look) {
            const double now = levelAt(look), after = look + 1 < stretch.looks ? levelAt(look + 1) : now;
            const double at = keys_.instants[stretch.firstLook + look];
            if (now <= 0.0) {
                // A single look that misses it is a lapse.
                const bool silent = look == 0 ? after <= 0.0 || stretch.looks == 1 : after <= 0.0;
                if (sounds_ && silent) end(look == 0 ? stretch.start : at - 0.5 * stepOf(sound_));
                continue;
            }
            if (look == 0) {
                if (!sounds_ || !joined) begin(stretch.start, stretch.until, now);
            } else if (!sounds_ && after > 0.0) {
                const KeyOnset onset =
                    onsetOf(sound_, keys_.lowestKey + static_cast<int>(key_), at - stepOf(sound_), at);
                if (onset.riseDb > leastRiseDb)
                    begin(onset.seconds, stretch.until, now);
                else if (here)
                    sounds_ = true; // it had not gone
            }
            here = here || sounds_;
        }
        if (sounds_) notes_.back().end = stretch.until;
    }

    void begin(double start, double until, double level) {
        if (sounds_) notes_.back().end = std::min(notes_.back().end, start);
        notes_.push_back({.start = start,
                          .end = until,
                          .key = keys_.lowestKey + static_cast<int>(key_),
                          .velocity = velocityOfLevel(level)});
        sounds_ = true;
    }

    void end(double seconds) {
        notes_.back().end = std::max(notes_.back().start + shortestFoundNote, seconds);
        sounds_ = false;
    }

    const HeardSound& sound_;
    const KeyLevels& keys_;
    std::size_t key_;
    std::vector<Note>& notes_;
    bool sounds_ = false;
};

} // namespace

ChordNotes chordsIn(const HeardSound& sound, const std::vector<NoteStart>& rises) {
    ChordNotes found;
    std::vector<double> instants;
    const std::vector<Stretch> stretches = stretchesBetween(sound, rises, instants);
    if (instants.empty()) return found;
    const KeyLevels keys = keysTogether(sound, instants, 0.0);
    for (const Stretch& stretch : stretches) found.starts.push_back(stretch.start);
    found.explained = keys.explained;
    found.overtones = keys.overtones;
    double several = 0.0;
    for (std::size_t i = 0; i < instants.size(); ++i)
        several += !sound.repeatsAt(instants[i]) && std::count_if(keys.levels[i].begin(), keys.levels[i].end(),
                                                                  [](double level) { return level > 0.0; }) > 1;
    found.several = several / static_cast<double>(keys.levels.size());
    for (std::size_t key = 0; key < keys.levels.front().size(); ++key)
        KeyNotes(sound, keys, key, found.performance.notes).read(stretches);
    found.performance.normalize();
    found.performance.tuningCents = tuningAgainst(sound.mono, found.performance);
    return found;
}

} // namespace facet
