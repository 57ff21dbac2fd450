#include "core/analysis/notes/chord_notes.h"

#include "core/analysis/notes/chords.h"
#include "core/analysis/notes/key_releases.h"
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

constexpr double strictAperiodicity = 0.01;
constexpr double chordSalience = 0.6; ///< of another note, re the strongest
constexpr double chordShare = 0.5;    ///< of the sounding time in which several notes sound
constexpr int chordInstants = 24;

/// Whether a tone at this ratio to a lower one is more likely a partial of the same sound (a modulator's, a bell's)
/// than another key: at a ratio of small whole numbers that no two keys have.
bool isOvertone(double ratio) {
    constexpr double asTuned = 4.0, unlikeKeys = 10.0; // cents
    const double cents = 1200.0 * std::log2(ratio);
    for (int q = 1; q <= 4; ++q)
        for (int p = q + 1; p <= 9; ++p) {
            const double pure = 1200.0 * std::log2(static_cast<double>(p) / q);
            if (std::abs(pure - 100.0 * std::round(pure / 100.0)) < unlikeKeys) continue;
            if (std::abs(cents - pure) < asTuned) return true;
        }
    return false;
}

/// Whether the sound repeats exactly with the period of one of the keys: there is nothing else in it.
bool repeatsAtOneOf(const HeardSound& sound, const std::vector<double>& keys, double seconds) {
    const float hz = sound.pitch.hz.at(seconds);
    if (!isMeasured(hz) || sound.pitch.aperiodicity.at(seconds) > strictAperiodicity) return false;
    return std::any_of(keys.begin(), keys.end(), [key = keyFromHz(hz)](double k) { return std::abs(k - key) < 0.3; });
}

std::vector<double> keysSoundingAt(const HeardSound& sound, double seconds) {
    std::vector<double> keys;
    for (const SoundingNote& note : notesSoundingAt(sound.mono, seconds))
        if (note.salience >= chordSalience) keys.push_back(keyFromHz(note.hz));
    return keys;
}

/// Frequency of the strongest partial within a semitone of one, or notMeasurable: a parabola through the logarithms
/// of a Hann window's peak (J. O. Smith, X. Serra, "PARSHL", ICMC 1987).
double peakNear(const HeardSound& sound, double seconds, double hz) {
    constexpr int size = 8192;
    constexpr double binHz = static_cast<double>(analysisRateHz) / size;
    RealFft fft(size);
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - size / 2, hannWindow(size), fft.time());
    fft.forward();
    const auto power = [&](int bin) { return std::norm(fft.bins()[static_cast<std::size_t>(bin)]) + 1e-30; };
    const int last = std::min(fft.binCount() - 2, static_cast<int>(std::ceil(hz * 1.06 / binHz)));
    int top = std::max(1, static_cast<int>(hz / 1.06 / binHz));
    for (int bin = top; bin <= last; ++bin)
        if (power(bin) > power(top)) top = bin;
    const double before = std::log(power(top - 1)), here = std::log(power(top)), after = std::log(power(top + 1));
    if (here < before || here < after) return notMeasurable;
    return binHz * (top + 0.5 * (before - after) / (before - 2.0 * here + after));
}

} // namespace

bool holdsChords(const HeardSound& sound) {
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
    return chords > chordShare * sounding;
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

void proposeChords(const HeardSound& sound, const std::vector<NoteStart>& rises, Performance& performance) {
    const double total = static_cast<double>(sound.mono.size()) / analysisRateHz;
    std::vector<double> starts;
    for (const NoteStart& rise : rises) starts.push_back(rise.seconds);
    for (std::size_t s = 0; s < starts.size(); ++s) {
        const double next = s + 1 < starts.size() ? starts[s + 1] : total;
        double end = next;
        const float top = sound.highestBetween(starts[s], next);
        while (end > starts[s] + shortestNote && !(sound.coarse.at(end - 0.005) > top - 30.0f)) end -= 0.005;
        std::array<int, 128> heard{};
        constexpr int looks = 6;
        for (int i = 0; i < looks; ++i) {
            sound.task.check();
            const double at = starts[s] + (end - starts[s]) * (i + 1.0) / (looks + 1.0);
            for (double key : keysSoundingAt(sound, at))
                ++heard[static_cast<std::size_t>(std::clamp(std::lround(key), 0l, 127l))];
        }
        const double gate = gateOf(sound, starts[s], next);
        const double until = isMeasured(gate) ? std::clamp(gate, starts[s] + shortestNote, end) : end;
        for (int key = 0; key < 128; ++key)
            if (heard[static_cast<std::size_t>(key)] >= looks / 2)
                performance.notes.push_back({.start = starts[s], .end = until, .key = key, .velocity = 100.0});
    }
    performance.normalize();
    performance.tuningCents = tuningAgainst(sound.mono, performance);
}

std::vector<NoteSpan> spansOfSingleNotes(const HeardSound& sound, const Performance& chords) {
    std::vector<NoteSpan> spans;
    double lowestHz = 0.0;
    for (const Note& note : chords.notes) { // by start and key
        // Early on: overtones fade first.
        const double hz =
            peakNear(sound, note.start + 0.25 * (note.end - note.start), hzFromKey(note.key, chords.tuningCents));
        if (!isMeasured(hz)) return {};
        const bool another = spans.empty() || note.start > spans.back().start;
        if (!another && !isOvertone(hz / lowestHz)) return {};
        if (!another) continue;
        lowestHz = hz;
        spans.push_back({note.start, note.end, keyFromHz(hz), sound.highestBetween(note.start, note.end)});
    }
    return spans;
}

} // namespace facet
