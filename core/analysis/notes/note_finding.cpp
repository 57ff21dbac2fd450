#include "core/analysis/notes/note_finding.h"

#include "core/analysis/notes/bends.h"
#include "core/analysis/notes/chords.h"
#include "core/analysis/notes/gate.h"
#include "core/analysis/facets/glide.h"
#include "core/analysis/facets/level.h"
#include "core/analysis/notes/note_ends.h"
#include "core/analysis/notes/note_spans.h"
#include "core/analysis/facets/space.h"
#include "core/analysis/notes/tempo.h"
#include "core/audio/recording.h"
#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <utility>
#include <vector>

namespace facet {

namespace {

constexpr double soundingRangeDb = 45.0; ///< below the loudest a frame does not sound
constexpr double aboveNoiseDb = 6.0;     ///< a sound stands out of the recording's noise
constexpr double onsetRiseDb = 4.0;      ///< rise within onsetSeconds that makes a new note
constexpr double onsetSeconds = 0.02;
constexpr double shortestNote = 0.04;
constexpr double steadyRangeSemitones = 0.6;
constexpr double longestSweep = 0.2; ///< seconds
constexpr double clearAperiodicity = 0.3;
constexpr double strictAperiodicity = 0.01;
constexpr double trustedShare = 0.55;
constexpr double chordSalience = 0.6; ///< of another note, re the strongest
constexpr double chordShare = 0.5;    ///< of the sounding time in which several notes sound
constexpr double chordRangeDb = 25.0; ///< below the loudest an instant tells nothing about chords
constexpr int chordInstants = 24;
constexpr double trustedTempo = 0.9;
/// As hard notes of the Downloadable Sounds standard (MIDI Manufacturers Association, 1997; from memory): it softens by
/// 40 log10(127/v) dB.
constexpr double velocityPerDb = 5.0;
constexpr double velocityPerOctave = 8.0; ///< of brightness; common practice, no source
constexpr double overlapSeconds = 0.02;   ///< notes this close are held into each other
constexpr double leastGlide = 0.012;      ///< seconds
constexpr double intendedCents = 8.0;     ///< smaller deviations are the filter's and the measurement's

/// Where a note may begin: at a rise of the level, or where only the pitch changes.
struct Start {
    double seconds;
    bool rise;
};

/// The tuning that fractional keys agree on, weighted by the square of their spans' lengths.
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

class Finder {
public:
    Finder(std::span<const float> sound, const PitchTrack& track, const Task& work)
        : mono(sound), pitch(track), task(work) {
        const double f0 = medianOf(pitch.hz.values);
        smoothing = isMeasured(f0) ? std::clamp(2.0 / f0, 0.004, 0.05) : 0.01;
        coarse = levelTrack(mono, smoothing);
        fine = levelTrack(mono, 0.004);
        loudest = *std::max_element(coarse.values.begin(), coarse.values.end());
        // Noise that lies below everything does not sound; without a quiet moment there is nothing to tell it by.
        std::vector<float> sorted = coarse.values;
        const auto low = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 20);
        std::nth_element(sorted.begin(), low, sorted.end());
        quietest = std::max(loudest - soundingRangeDb, std::min<double>(*low + aboveNoiseDb, loudest - 25.0));
    }

    FoundNotes find() {
        FoundNotes found;
        std::vector<Start> starts;
        for (double seconds : onsets()) starts.push_back({seconds, true});
        addSlowBeginnings(starts);
        if (holdsChords()) {
            found.problem = "This recording seems to hold several notes at once: the notes shown are a proposal; "
                            "check them, or import or draw the right ones.";
            proposeChords(starts, found.performance);
            std::vector<NoteSpan> single = spansOfSingleNotes(found.performance);
            if (single.empty() || pitchedShare() < trustedShare) return found;
            // One note at a time after all, of partials that are no multiples of one frequency.
            found.problem.clear();
            found.confidence = pitchedShare();
            found.performance = {};
            toNotes(single, found.performance);
            return found;
        }
        addPitchChanges(starts);
        addFastSlides(starts);
        std::sort(starts.begin(), starts.end(), [](const Start& a, const Start& b) { return a.seconds < b.seconds; });
        std::vector<NoteSpan> spans = spansBetween(starts);
        found.confidence = pitchedShare();
        if (spans.empty() || found.confidence < trustedShare) {
            found.problem = "No single clear pitch was found in most of this recording: it may hold chords, noise or "
                            "several sounds; import or draw its notes.";
            if (spans.empty()) proposeHits(starts, found.performance);
            if (spans.empty()) return found;
        }
        toNotes(spans, found.performance);
        found.gateEvidence = joinGatedNotes(found.performance.notes, mono, found.performance.tuningCents);
        beginSwells(found.performance.notes);
        found.glides = joinSlidNotes(found.performance);
        found.performance.bends = findBends(pitch.hz, found.performance);
        return found;
    }

private:
    bool sounds(double seconds) const { return coarse.at(seconds) > quietest; }

    float lowestBetween(const Track& track, double from, double to) const {
        float lowest = 1e9f;
        for (int i = std::max(0, track.indexAt(from));
             i <= track.indexAt(to) && i < static_cast<int>(track.values.size()); ++i)
            lowest = std::min(lowest, track.values[static_cast<std::size_t>(i)]);
        return lowest;
    }

    /// Instants where the level rises anew: local maxima of the rise, walked back to where it begins.
    std::vector<double> onsets() const {
        const int reach = static_cast<int>(std::max(onsetSeconds, smoothing) / coarse.stepSeconds);
        const int count = static_cast<int>(coarse.values.size());
        std::vector<float> rise(coarse.values.size(), 0.0f);
        std::vector<double> gain(coarse.values.size(),
                                 0.0); // as amplitude: of two close rises the louder is the note's
        const auto floored = [&](int i) {
            return std::max(coarse.values[static_cast<std::size_t>(std::max(0, i))], static_cast<float>(quietest));
        };
        for (int i = 0; i < count; ++i) {
            const float after = floored(std::min(count - 1, i + reach / 2));
            const float before = i < reach ? static_cast<float>(quietest) : floored(i - reach / 2);
            rise[static_cast<std::size_t>(i)] = after - before;
            gain[static_cast<std::size_t>(i)] = gainFromDb(after) - gainFromDb(before);
        }
        std::vector<double> found;
        for (int i = 0; i < count; ++i) {
            const float here = rise[static_cast<std::size_t>(i)];
            if (here < onsetRiseDb) continue;
            const auto from = gain.begin() + std::max(0, i - 2 * reach);
            const auto to = gain.begin() + std::min(count, i + 2 * reach + 1);
            if (std::max_element(from, to) != gain.begin() + i) continue;
            const double at = exactOnset(i * coarse.stepSeconds);
            if (found.empty() || at - found.back() >= shortestNote) found.push_back(at);
        }
        return found;
    }

    /// Where sound comes out of silence too slowly for a rise.
    void addSlowBeginnings(std::vector<Start>& starts) const {
        constexpr double nearby = 0.1, leastSeconds = 0.15;
        double silentSince = -1.0;
        for (std::size_t i = 0; i < coarse.values.size(); ++i) {
            if (!(coarse.values[i] > quietest)) continue;
            const double begun = static_cast<double>(i) * coarse.stepSeconds, silence = begun - silentSince;
            float top = coarse.values[i];
            for (; i < coarse.values.size() && coarse.values[i] > quietest; ++i) top = std::max(top, coarse.values[i]);
            silentSince = static_cast<double>(i) * coarse.stepSeconds;
            const bool known = std::any_of(starts.begin(), starts.end(), [&](const Start& start) {
                return std::abs(start.seconds - begun) < nearby;
            });
            if (!known && silence > nearby && silentSince - begun > leastSeconds && top > loudest - chordRangeDb)
                starts.push_back({begun, true});
        }
        std::sort(starts.begin(), starts.end(), [](const Start& a, const Start& b) { return a.seconds < b.seconds; });
    }

    /// Where the fine level begins to rise towards an onset: within 20 dB of its top, or at the lowest
    /// point before it, whichever is later.
    double exactOnset(double around) const {
        const double from = std::max(0.0, around - 1.5 * std::max(onsetSeconds, smoothing));
        const double to = around + std::max(onsetSeconds, smoothing);
        // From the quietest moment on, so that the note before is not taken for the top.
        int low = fine.indexAt(from);
        for (int i = low; i <= fine.indexAt(around) && i < static_cast<int>(fine.values.size()); ++i)
            if (fine.values[static_cast<std::size_t>(i)] < fine.values[static_cast<std::size_t>(low)]) low = i;
        int top = low;
        for (int i = top; i <= fine.indexAt(to) && i < static_cast<int>(fine.values.size()); ++i)
            if (fine.values[static_cast<std::size_t>(i)] > fine.values[static_cast<std::size_t>(top)]) top = i;
        const float bottom = lowestBetween(fine, from, top * fine.stepSeconds);
        const float topLevel = fine.values[static_cast<std::size_t>(top)];
        const float threshold = std::max(bottom + 0.15f * (topLevel - bottom), topLevel - 22.0f);
        int i = top;
        while (i > 0 && i > fine.indexAt(from) && fine.values[static_cast<std::size_t>(i - 1)] > threshold) --i;
        if (from == 0.0 && fine.values.front() > topLevel - 22.0f) return 0.0; // begins with the recording
        return i * fine.stepSeconds;
    }

    /// Key changes without a rise in level: legato notes.
    void addPitchChanges(std::vector<Start>& starts) const {
        constexpr int hold = 6; // 30 ms on either side
        const auto& hz = pitch.hz.values;
        for (int i = hold; i + hold < static_cast<int>(hz.size()); ++i) {
            const auto at = static_cast<std::size_t>(i);
            const float before = medianOf({hz.begin() + i - hold, hz.begin() + i});
            const float after = medianOf({hz.begin() + i, hz.begin() + i + hold});
            if (!isMeasured(before) || !isMeasured(after) || !isMeasured(hz[at])) continue;
            if (std::abs(12.0 * std::log2(after / before)) < 0.8) continue;
            // The change itself: the step nearest to half-way.
            const double middle = std::sqrt(static_cast<double>(before) * after);
            if ((hz[at] > middle) == (hz[at - 1] > middle)) continue;
            const double seconds = i * pitch.hz.stepSeconds;
            const auto near = [seconds](const Start& start) { return std::abs(start.seconds - seconds) < 0.06; };
            if (std::none_of(starts.begin(), starts.end(), near)) starts.push_back({seconds, false});
        }
    }

    /// Slides too fast for the tracker, which hears no pitch for some frames while the level holds.
    void addFastSlides(std::vector<Start>& starts) const {
        constexpr std::size_t longest = 16; // frames, 80 ms
        constexpr std::ptrdiff_t side = 6;  // 30 ms
        constexpr float holdsDb = 6.0f;
        const auto& hz = pitch.hz.values;
        std::size_t heard = hz.size(); ///< last frame with a pitch
        for (std::size_t i = 0; i + side < hz.size(); ++i) {
            if (!isMeasured(hz[i])) continue;
            const std::size_t last = std::exchange(heard, i);
            if (last + 1 >= i || i - last > longest || last < side) continue;
            const double from = static_cast<double>(last) * pitch.hz.stepSeconds;
            const double to = static_cast<double>(i) * pitch.hz.stepSeconds;
            if (lowestBetween(coarse, from, to) < std::max(coarse.at(from), coarse.at(to)) - holdsDb) continue;
            const float before = medianOf({hz.begin() + last - side, hz.begin() + last + 1});
            const float after = medianOf({hz.begin() + i, hz.begin() + i + side});
            if (!isMeasured(before) || !isMeasured(after) || std::abs(12.0 * std::log2(after / before)) < 0.8) continue;
            const auto near = [&](const Start& start) {
                return start.seconds > from - 0.06 && start.seconds < to + 0.06;
            };
            if (std::any_of(starts.begin(), starts.end(), near)) continue;
            const Glide glide = fitGlide(mono, pitch.hz, 0.5 * (from + to), before, after, from - 0.3, to + 0.3);
            if (glide.found()) starts.push_back({glide.start + 0.5 * glide.seconds, false});
        }
    }

    std::vector<NoteSpan> spansBetween(const std::vector<Start>& starts) const {
        std::vector<NoteSpan> spans;
        const double total = static_cast<double>(mono.size()) / analysisRateHz;
        double carried = notMeasurable; ///< start of a sweep that runs into the next span
        for (std::size_t i = 0; i < starts.size(); ++i) {
            const double start = starts[i].seconds;
            const double next = i + 1 < starts.size() ? starts[i + 1].seconds : total;
            const float top = highestBetween(start, next);
            double end = start; // behind the top: a slow attack begins as low as a release ends
            while (end < next && coarse.at(end) < top) end += 0.001;
            while (end < next && (end < start + 0.01 || coarse.at(end) > top - 30.0f)) end += 0.001;
            std::vector<float> values;
            std::size_t clear = 0;
            for (double t = start + 0.01; t < end; t += pitch.hz.stepSeconds)
                if (sounds(t)) {
                    values.push_back(pitch.hz.at(t));
                    clear += isMeasured(values.back()) && pitch.aperiodicity.at(t) < 0.5;
                }
            const float hz = medianOf(values);
            // What hardly sounds is the noise between two notes.
            const bool heard = 3.0 * static_cast<double>(values.size()) * pitch.hz.stepSeconds >= end - start - 0.01;
            const bool pitched = isMeasured(hz) && heard && 3 * clear >= values.size() && end - start >= shortestNote;
            // A short way to the pitch of what follows without a new rise is a sweep, not a note.
            if (i + 1 < starts.size() && !starts[i + 1].rise && end - start < longestSweep &&
                (!pitched || rangeSemitones(values) > steadyRangeSemitones)) {
                if (!isMeasured(carried)) carried = start;
                continue;
            }
            const double from = isMeasured(carried) ? carried : start;
            carried = notMeasurable;
            if (pitched) spans.push_back({from, std::min(end, next), keyFromHz(hz), top, starts[i].rise});
        }
        joinCommonParts(spans);
        keepNotesOnly(spans);
        return spans;
    }

    /// Whether any partial of a span's pitch stands out of the spectrum but the multiples of two of them; also where
    /// the spectrum does not tell.
    bool soundsBesides(const NoteSpan& span, int one, int other) const {
        constexpr int size = 8192, partials = 18;
        constexpr double binHz = static_cast<double>(analysisRateHz) / size;
        constexpr double heardDb = 15.0;
        const double hz = hzFromKey(span.pitch);
        if (hz < 8.0 * binHz) return true;
        RealFft fft(size);
        const double middle = 0.5 * (span.start + span.end);
        windowedFrame(mono, static_cast<int>(middle * analysisRateHz) - size / 2, hannWindow(size), fft.time());
        fft.forward();
        const auto highest = [&](double from, double to) { // as multiples of the pitch
            double power = 1e-20;
            const int last = std::min(fft.binCount() - 1, static_cast<int>(to * hz / binHz));
            for (int b = std::max(1, static_cast<int>(from * hz / binHz)); b <= last; ++b)
                power = std::max<double>(power, std::norm(fft.bins()[static_cast<std::size_t>(b)]));
            return power;
        };
        for (int n = 1; n <= partials; ++n) {
            if (n % one == 0 || n % other == 0) continue;
            const double beside = 0.5 * (highest(n - 0.6, n - 0.4) + highest(n + 0.4, n + 0.6));
            if (10.0 * std::log10(highest(n - 0.1, n + 0.1) / beside) > heardDb) return true;
        }
        return false;
    }

    /// How many times as high one pitch is as another, where that is a whole number; else 0.
    static int timesAbove(double high, double low) {
        constexpr double near = 0.3; // semitones
        const double times = std::round(std::exp2((high - low) / 12.0));
        return times <= 9.0 && std::abs(high - low - 12.0 * std::log2(times)) < near ? static_cast<int>(times) : 0;
    }

    /// While one note rings on into the next, a tracker may hear the pitch that both are multiples of, where nothing
    /// sounds: the next one has begun.
    void joinCommonParts(std::vector<NoteSpan>& spans) const {
        constexpr double nearby = 0.1; // seconds
        for (std::size_t i = 1; i + 1 < spans.size();) {
            const NoteSpan &before = spans[i - 1], &common = spans[i];
            NoteSpan& next = spans[i + 1];
            const int ofBefore = timesAbove(before.pitch, common.pitch), ofNext = timesAbove(next.pitch, common.pitch);
            const bool empty = ofBefore > 1 && ofNext > 1 && ofBefore != ofNext && common.start - before.end < nearby &&
                               next.start - common.end < nearby && !soundsBesides(common, ofBefore, ofNext);
            if (!empty) {
                ++i;
                continue;
            }
            next.start = common.start;
            next.topDb = std::max(next.topDb, common.topDb);
            next.rises = next.rises || common.rises;
            spans.erase(spans.begin() + static_cast<std::ptrdiff_t>(i));
        }
    }

    /// Distance of the quartiles.
    static double rangeSemitones(std::vector<float> values) {
        std::erase_if(values, [](float v) { return !isMeasured(v); });
        if (values.size() < 4) return 0.0;
        std::sort(values.begin(), values.end());
        return 12.0 * std::log2(values[values.size() * 3 / 4] / values[values.size() / 4]);
    }

    float highestBetween(double from, double to) const {
        float highest = -1e9f;
        for (int i = coarse.indexAt(from); i <= coarse.indexAt(to) && i < static_cast<int>(coarse.values.size()); ++i)
            highest = std::max(highest, coarse.values[static_cast<std::size_t>(i)]);
        return highest;
    }

    /// Whether several notes sound at once most of the time.
    bool holdsChords() const {
        const double seconds = static_cast<double>(mono.size()) / analysisRateHz;
        int sounding = 0;
        int chords = 0;
        for (int i = 0; i < chordInstants; ++i) {
            task.check();
            const double at = (i + 0.5) / chordInstants * seconds;
            if (coarse.at(at) < loudest - chordRangeDb) continue;
            ++sounding;
            const std::vector<double> keys = keysSoundingAt(at);
            chords += keys.size() > 1 && !repeatsAtOneOf(keys, at);
        }
        return chords > chordShare * sounding;
    }

    /// Whether the sound repeats exactly with the period of one of the keys: there is nothing else in it.
    bool repeatsAtOneOf(const std::vector<double>& keys, double seconds) const {
        const float hz = pitch.hz.at(seconds);
        if (!isMeasured(hz) || pitch.aperiodicity.at(seconds) > strictAperiodicity) return false;
        return std::any_of(keys.begin(), keys.end(),
                           [key = keyFromHz(hz)](double k) { return std::abs(k - key) < 0.3; });
    }

    std::vector<double> keysSoundingAt(double seconds) const {
        std::vector<double> keys;
        for (const SoundingNote& note : notesSoundingAt(mono, seconds))
            if (note.salience >= chordSalience) keys.push_back(keyFromHz(note.hz));
        return keys;
    }

    /// Where nothing has a pitch, each hit becomes a note at its strongest frequency below 2 kHz.
    void proposeHits(const std::vector<Start>& starts, Performance& performance) const {
        constexpr int size = 8192;
        constexpr double shortestHit = 0.02;
        RealFft fft(size);
        const double total = static_cast<double>(mono.size()) / analysisRateHz;
        for (std::size_t i = 0; i < starts.size(); ++i) {
            if (!starts[i].rise) continue;
            const double start = starts[i].seconds;
            const double next = i + 1 < starts.size() ? starts[i + 1].seconds : total;
            const float top = highestBetween(start, next);
            if (top < loudest - chordRangeDb) continue;
            double end = start + shortestHit;
            while (end < next && coarse.at(end) > top - 20.0f) end += 0.001;
            windowedFrame(mono, static_cast<int>(start * analysisRateHz) - size / 8, hannWindow(size), fft.time());
            fft.forward();
            constexpr double binHz = static_cast<double>(analysisRateHz) / size;
            const auto first = static_cast<std::size_t>(std::ceil(30.0 / binHz));
            const auto last = static_cast<std::size_t>(2000.0 / binHz);
            std::size_t strongest = first;
            for (std::size_t b = first; b <= last; ++b)
                if (std::norm(fft.bins()[b]) > std::norm(fft.bins()[strongest])) strongest = b;
            const int key = static_cast<int>(std::lround(keyFromHz(static_cast<double>(strongest) * binHz)));
            performance.notes.push_back({start, std::min(end, next), std::clamp(key, 0, 127), 0.0,
                                         std::clamp(100.0 + velocityPerDb * (top - loudest), 20.0, 127.0)});
        }
        performance.normalize();
    }

    /// Between two onsets, every key that sounds at least half of the time becomes a note.
    void proposeChords(const std::vector<Start>& rises, Performance& performance) const {
        const double total = static_cast<double>(mono.size()) / analysisRateHz;
        std::vector<double> starts;
        for (const Start& rise : rises) starts.push_back(rise.seconds);
        for (std::size_t s = 0; s < starts.size(); ++s) {
            const double next = s + 1 < starts.size() ? starts[s + 1] : total;
            double end = next;
            const float top = highestBetween(starts[s], next);
            while (end > starts[s] + shortestNote && !(coarse.at(end - 0.005) > top - 30.0f)) end -= 0.005;
            std::array<int, 128> heard{};
            constexpr int looks = 6;
            for (int i = 0; i < looks; ++i) {
                task.check();
                const double at = starts[s] + (end - starts[s]) * (i + 1.0) / (looks + 1.0);
                for (double key : keysSoundingAt(at))
                    ++heard[static_cast<std::size_t>(std::clamp(std::lround(key), 0l, 127l))];
            }
            const double gate = gateOf(starts[s], next);
            const double until = isMeasured(gate) ? std::clamp(gate, starts[s] + shortestNote, end) : end;
            for (int key = 0; key < 128; ++key)
                if (heard[static_cast<std::size_t>(key)] >= looks / 2)
                    performance.notes.push_back({.start = starts[s], .end = until, .key = key, .velocity = 100.0});
        }
        performance.normalize();
        performance.tuningCents = tuningAgainst(mono, performance);
    }

    /// Frequency of the strongest partial within a semitone of one, or notMeasurable: a parabola through the logarithms
    /// of a Hann window's peak (J. O. Smith, X. Serra, "PARSHL", ICMC 1987).
    double peakNear(double seconds, double hz) const {
        constexpr int size = 8192;
        constexpr double binHz = static_cast<double>(analysisRateHz) / size;
        RealFft fft(size);
        windowedFrame(mono, static_cast<int>(seconds * analysisRateHz) - size / 2, hannWindow(size), fft.time());
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

    /// The lowest notes of the proposed chords, when all else in each is a partial of its lowest; else nothing.
    std::vector<NoteSpan> spansOfSingleNotes(const Performance& chords) const {
        std::vector<NoteSpan> spans;
        double lowestHz = 0.0;
        for (const Note& note : chords.notes) { // by start and key
            // Early on: overtones fade first.
            const double hz =
                peakNear(note.start + 0.25 * (note.end - note.start), hzFromKey(note.key, chords.tuningCents));
            if (!isMeasured(hz)) return {};
            const bool another = spans.empty() || note.start > spans.back().start;
            if (!another && !isOvertone(hz / lowestHz)) return {};
            if (!another) continue;
            lowestHz = hz;
            spans.push_back({note.start, note.end, keyFromHz(hz), highestBetween(note.start, note.end)});
        }
        return spans;
    }

    double pitchedShare() const {
        int sounding = 0;
        int clear = 0;
        for (std::size_t i = 0; i < pitch.hz.values.size(); ++i) {
            if (!(coarse.at(static_cast<double>(i) * pitch.hz.stepSeconds) > loudest - 25.0)) continue;
            ++sounding;
            if (isMeasured(pitch.hz.values[i]) && pitch.aperiodicity.values[i] < clearAperiodicity) ++clear;
        }
        return sounding == 0 ? 0.0 : static_cast<double>(clear) / sounding;
    }

    /// Exact fundamental of a span as a fractional key.
    double exactPitch(const NoteSpan& span) const {
        const double hz = restingPitch(mono, span.start, span.end, hzFromKey(span.pitch));
        return isMeasured(hz) ? keyFromHz(hz) : span.pitch;
    }

    /// How bright each note begins, in octaves of its spectral centroid, with what follows the key taken out.
    std::vector<double> brightnessOf(const std::vector<NoteSpan>& spans) const {
        constexpr int size = 2048;
        RealFft fft(size);
        std::vector<double> octaves;
        double mean = 0.0;
        double keys = 0.0;
        for (const NoteSpan& span : spans) {
            double weighted = 0.0;
            double power = 0.0;
            // Four looks at the first 60 ms, where an envelope has the filter open.
            for (int look = 0; look < 4; ++look) {
                const double at = span.start + 0.015 * (look + 1);
                windowedFrame(mono, static_cast<int>(at * analysisRateHz) - size / 2, hannWindow(size), fft.time());
                fft.forward();
                for (int b = 1; b < fft.binCount(); ++b) {
                    const double p = std::norm(fft.bins()[static_cast<std::size_t>(b)]);
                    weighted += p * b;
                    power += p;
                }
            }
            octaves.push_back(std::log2(weighted / std::max(power, 1e-20) + 1e-3));
            mean += octaves.back() / static_cast<double>(spans.size());
            keys += span.pitch / static_cast<double>(spans.size());
        }
        double xx = 0.0;
        double xy = 0.0;
        for (std::size_t i = 0; i < spans.size(); ++i) {
            xx += (spans[i].pitch - keys) * (spans[i].pitch - keys);
            xy += (spans[i].pitch - keys) * (octaves[i] - mean);
        }
        // Between none and all of the key, whatever a few notes seem to say.
        const double slope = xx > 0.0 ? std::clamp(xy / xx, 0.0, 1.0 / 12.0) : 0.0;
        for (std::size_t i = 0; i < spans.size(); ++i) octaves[i] -= slope * (spans[i].pitch - keys);
        return octaves;
    }

    /// A release in two parts, sharp and then slow, as of a pipe and its room, has its one curve begin early: before
    /// anything falls.
    double sharpEnd(double end, double next) const {
        constexpr double farthest = 0.03, least = 0.008, look = 0.015; // seconds
        constexpr float unchangedDb = 0.5f, sharpDb = 6.0f;
        if (!isMeasured(end)) return end;
        double later = end;
        while (later < std::min(end + farthest, next) && coarse.at(later) > coarse.at(end) - unchangedDb)
            later += coarse.stepSeconds;
        const bool sharp = coarse.at(later) - coarse.at(later + look) > sharpDb;
        return sharp && later - end > least ? later : end;
    }

    /// When a key that was struck at `start` was let go, by the level alone.
    double gateOf(double start, double next) const {
        return kneeOf(start + fitLevel(coarse, smoothing, start, notMeasurable, next, task).gate, start, next, coarse);
    }

    std::vector<NoteEnd> endsOf(const std::vector<NoteSpan>& spans) const {
        std::vector<NoteEnd> ends;
        for (std::size_t i = 0; i < spans.size(); ++i) {
            task.check();
            const double next =
                i + 1 < spans.size() ? spans[i + 1].start : static_cast<double>(mono.size()) / analysisRateHz;
            ends.push_back({gateOf(spans[i].start, next), next});
        }
        agreeOnEnds(ends, coarse);
        for (NoteEnd& end : ends) end.seconds = sharpEnd(end.seconds, end.next);
        return ends;
    }

    void toNotes(const std::vector<NoteSpan>& spans, Performance& performance) const {
        std::vector<double> pitches;
        std::vector<double> levels;
        for (const NoteSpan& span : spans) {
            pitches.push_back(exactPitch(span));
            levels.push_back(span.topDb);
        }
        performance.tuningCents = tuningOf(spans, pitches);
        const auto loudestSpan =
            static_cast<std::size_t>(std::max_element(levels.begin(), levels.end()) - levels.begin());
        const double top = levels[loudestSpan];
        const std::vector<double> brightness = brightnessOf(spans);
        const std::vector<NoteEnd> ends = endsOf(spans);
        for (std::size_t i = 0; i < spans.size(); ++i) {
            task.check();
            Note note;
            note.start = spans[i].start;
            const double inTune = pitches[i] - performance.tuningCents / 100.0;
            note.key = std::clamp(static_cast<int>(std::lround(inTune)), 0, 127);
            const double cents = 100.0 * (inTune - note.key);
            note.cents = std::abs(cents) < intendedCents ? 0.0 : cents;
            const double end = isMeasured(ends[i].seconds) ? ends[i].seconds : spans[i].end;
            note.end = std::min(std::max(end, note.start + 0.02), ends[i].next);
            const double byBrightness =
                std::clamp(velocityPerOctave * (brightness[i] - brightness[loudestSpan]), -15.0, 15.0);
            note.velocity = std::clamp(100.0 + velocityPerDb * (levels[i] - top) + byBrightness, 20.0, 127.0);
            performance.notes.push_back(note);
        }
        performance.normalize();
    }

    /// Notes that swell out of silence, as breath and bow let them, begin where the swell does.
    void beginSwells(std::vector<Note>& notes) const {
        constexpr double longest = 0.12, leastLead = 0.02; // seconds
        constexpr float heardDb = 38.0f, leastSwellDb = 6.0f, waverDb = 2.0f;
        for (std::size_t i = 0; i < notes.size(); ++i) {
            Note& note = notes[i];
            float top = silenceDb;
            for (double t = note.start; t < note.end; t += coarse.stepSeconds) top = std::max(top, coarse.at(t));
            const double earliest = std::max(i > 0 ? notes[i - 1].start + shortestNote : 0.0, note.start - longest);
            double foot = note.start;
            float lowest = coarse.at(note.start);
            for (double t = note.start; t >= earliest; t -= coarse.stepSeconds) {
                const float level = coarse.at(t);
                if (level < std::max<float>(top - heardDb, static_cast<float>(quietest)) || level > lowest + waverDb)
                    break;
                if (level > lowest) continue;
                lowest = level;
                foot = t;
            }
            foot += 0.5 * smoothing; // the level is smoothed
            if (note.start - foot < leastLead || coarse.at(note.start) < lowest + leastSwellDb) continue;
            note.start = std::max(0.0, foot);
            if (i > 0) notes[i - 1].end = std::min(notes[i - 1].end, note.start);
        }
    }

    /// Notes that the pitch slides into begin where the way to them does, and the note before is held until then: an
    /// overlap, which is what a glide is played by. Returns how many there are.
    int joinSlidNotes(Performance& performance) const {
        int glides = 0;
        auto& notes = performance.notes;
        const auto hzOf = [&](const Note& n) { return hzFromKey(n.key + n.cents / 100.0, performance.tuningCents); };
        for (std::size_t i = 1; i < notes.size(); ++i) {
            Note& before = notes[i - 1];
            if (before.end < notes[i].start - overlapSeconds) continue;
            task.check();
            const Glide glide = fitGlide(mono, pitch.hz, notes[i].start, hzOf(before), hzOf(notes[i]),
                                         std::max(before.start, notes[i].start - 0.5), notes[i].end);
            if (!glide.found() || glide.seconds < leastGlide || glide.start < before.start + shortestNote) continue;
            notes[i].start = glide.start;
            before.end = glide.start + overlapSeconds;
            ++glides;
        }
        return glides;
    }

    std::span<const float> mono;
    const PitchTrack& pitch;
    const Task& task;
    double smoothing;
    Track coarse;
    Track fine;
    double loudest;
    double quietest; ///< level above which something sounds
};

} // namespace

std::string FoundNotes::evidence() const {
    std::string text = gateEvidence;
    const auto add = [&](const std::string& sentence) { text += (text.empty() ? "" : " ") + sentence; };
    if (repeatsLeftOut > 0)
        add(fmt::format("{} repeat{} of an echo of {:.0f} ms {} left out.", repeatsLeftOut,
                        repeatsLeftOut == 1 ? "" : "s", 1000.0 * echoSeconds, repeatsLeftOut == 1 ? "was" : "were"));
    if (glides > 0)
        add(fmt::format("The pitch slides into {} note{}: drawn as overlaps.", glides, glides == 1 ? "" : "s"));
    if (!performance.bends.empty()) add("Held notes change their pitch: drawn as bends.");
    return text;
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

namespace {

/// Whether a note is what an echo leaves of an earlier one: as late as the echo or a multiple, and softer.
bool isRepeat(const Note& note, const std::vector<Note>& notes, double echoSeconds) {
    return std::any_of(notes.begin(), notes.end(), [&](const Note& earlier) {
        const double turns = std::round((note.start - earlier.start) / echoSeconds);
        constexpr double softer = 5.0; // dB
        return turns >= 1.0 && std::abs(note.start - earlier.start - turns * echoSeconds) < 0.03 &&
               note.velocity < earlier.velocity - softer * velocityPerDb;
    });
}

FoundNotes findUnderEchoes(std::span<const float> mono48k, const Task& task) {
    FoundNotes found = findNotes(mono48k, trackPitch(mono48k, {}, task), task);
    if (found.performance.notes.size() < 3 || !found.problem.empty()) return found;
    const Recording recording{analysisRateHz, {{mono48k.begin(), mono48k.end()}}};
    const Echo echo = findEcho(recording, found.performance, task);
    if (!echo.found() || echo.confidence < 0.5 || echo.levelDb > -1.5) return found;
    // The echo is taken out and the notes are found anew: under it a fast phrase blurs.
    const std::vector<float> dry = withoutEcho(mono48k, echo);
    FoundNotes again = findNotes(dry, trackPitch(dry, {}, task), task);
    if (!again.problem.empty()) return found;
    // What noise or another effect looked like an echo for falls into pieces without it.
    constexpr std::size_t mostTimes = 2;
    if (again.performance.notes.size() > mostTimes * found.performance.notes.size()) return found;
    auto& notes = again.performance.notes;
    const std::vector<Note> all = notes;
    std::erase_if(notes, [&](const Note& note) { return isRepeat(note, all, echo.seconds); });
    again.echoSeconds = echo.seconds;
    again.repeatsLeftOut = static_cast<int>(std::max<std::ptrdiff_t>(
        0, static_cast<std::ptrdiff_t>(found.performance.notes.size()) - static_cast<std::ptrdiff_t>(notes.size())));
    return again;
}

} // namespace

FoundNotes findNotes(std::span<const float> mono48k, const Task& task) {
    FoundNotes found = findUnderEchoes(mono48k, task);
    const TempoEstimate tempo = estimateTempo(found.performance.notes);
    found.tempoConfidence = tempo.confidence;
    if (tempo.confidence >= trustedTempo) found.performance.tempo = tempo.beatsPerMinute;
    return found;
}

FoundNotes findNotes(std::span<const float> mono48k, const PitchTrack& pitch, const Task& task) {
    announceHeavyWork("findNotes");
    return Finder(mono48k, pitch, task).find();
}

} // namespace facet
