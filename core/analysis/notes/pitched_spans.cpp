#include "core/analysis/notes/pitched_spans.h"

#include "core/analysis/notes/plateaus.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <span>
#include <vector>

namespace facet {

namespace {

constexpr double steadyRangeSemitones = 0.6;
constexpr double longestSweep = 0.2;     ///< seconds
constexpr double strikesWithinDb = 12.0; ///< of the loudest: what has no pitch there was struck, not let go

/// Distance of the quartiles.
double rangeSemitones(std::vector<float> values) {
    std::erase_if(values, [](float v) { return !isMeasured(v); });
    if (values.size() < 4) return 0.0;
    std::sort(values.begin(), values.end());
    return 12.0 * std::log2(values[values.size() * 3 / 4] / values[values.size() / 4]);
}

/// Whether any partial of a span's pitch stands out of the spectrum but the multiples of two of them; also where
/// the spectrum does not show.
bool soundsBesides(const HeardSound& sound, const NoteSpan& span, int one, int other) {
    constexpr int size = 8192, partials = 18;
    constexpr double binHz = static_cast<double>(analysisRateHz) / size;
    constexpr double heardDb = 15.0;
    const double hz = hzFromKey(span.pitch);
    if (hz < 8.0 * binHz) return true;
    RealFft fft(size);
    const double middle = 0.5 * (span.start + span.end);
    windowedFrame(sound.mono, static_cast<int>(middle * analysisRateHz) - size / 2, hannWindow(size), fft.time());
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
int timesAbove(double high, double low) {
    constexpr double near = 0.3; // semitones
    const double times = std::round(std::exp2((high - low) / 12.0));
    return times <= 9.0 && std::abs(high - low - 12.0 * std::log2(times)) < near ? static_cast<int>(times) : 0;
}

/// While one note rings on into the next, a tracker may hear the pitch that both are multiples of, where nothing
/// sounds: the next one has begun.
void joinCommonParts(const HeardSound& sound, std::vector<NoteSpan>& spans) {
    constexpr double nearby = 0.1; // seconds
    for (std::size_t i = 1; i + 1 < spans.size();) {
        const NoteSpan &before = spans[i - 1], &common = spans[i];
        NoteSpan& next = spans[i + 1];
        const int ofBefore = timesAbove(before.pitch, common.pitch), ofNext = timesAbove(next.pitch, common.pitch);
        const bool empty = ofBefore > 1 && ofNext > 1 && ofBefore != ofNext && common.start - before.end < nearby &&
                           next.start - common.end < nearby && !soundsBesides(sound, common, ofBefore, ofNext);
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

/// Where a pitch that falls all along would come to rest, were it to fall on as it does: the limit of an exponential
/// through three of its places (A. C. Aitken's extrapolation, 1926). notMeasurable where it does not fall that way.
double restOf(std::span<const float> hz) {
    constexpr double leastFall = 0.6; // semitones between the first and the last place
    constexpr std::size_t fewest = 12;
    while (!hz.empty() && !isMeasured(hz.back())) hz = hz.first(hz.size() - 1);
    if (hz.size() < fewest) return notMeasurable;
    const std::size_t third = hz.size() * 3 / 10;
    const auto near = [&](std::size_t i) {
        return static_cast<double>(medianOf(
            {hz.begin() + static_cast<std::ptrdiff_t>(i - 2), hz.begin() + static_cast<std::ptrdiff_t>(i + 1)}));
    };
    std::vector<double> places;
    for (std::size_t k = 0; k <= 6; ++k) places.push_back(near(hz.size() - 1 - (6 - k) * third / 3));
    // Nothing but falling: what swings falls now and then.
    for (std::size_t k = 1; k < places.size(); ++k)
        if (!(places[k] < places[k - 1] * 1.002)) return notMeasurable;
    const double first = places[0], second = places[3], last = places[6];
    const double early = first - second, late = second - last;
    if (keyFromHz(first) - keyFromHz(last) < leastFall || late <= 0.0 || late > 0.7 * early) return notMeasurable;
    return keyFromHz(last - late * late / (early - late));
}

/// Share of a span in which its pitch is heard clearly.
double clearShare(const HeardSound& sound, double from, double to, double key) {
    constexpr double near = 0.6; // semitones
    double looked = 0.0, clear = 0.0;
    for (double t = from + 0.01; t < to; t += sound.pitch.hz.stepSeconds) {
        ++looked;
        const float hz = sound.pitch.hz.at(t);
        if (isMeasured(hz) && std::abs(keyFromHz(hz) - key) < near) clear += 1.0 - sound.pitch.aperiodicity.at(t);
    }
    return looked > 0.0 ? std::clamp(clear / looked, 0.0, 1.0) : 0.0;
}

/// The pitch of a span: of its beginning where it stands still there, since what comes later is a bend; where the pitch
/// falls or rises all along, that at which it comes to rest; else the median.
double pitchOf(const HeardSound& sound, double from, double to, std::span<const float> hz) {
    constexpr double soon = 0.12, longEnough = 0.12; // seconds
    constexpr double another = 0.3;                  // semitones
    const std::vector<Plateau> plateaus = plateausBetween(sound, from, to);
    const double median = keyFromHz(medianOf({hz.begin(), hz.end()}));
    const double rest = restOf(hz);
    if (isMeasured(rest)) return rest;
    if (plateaus.empty()) return median;
    const Plateau &first = plateaus.front(), &last = plateaus.back();
    if (first.from - from < soon && first.to - first.from > longEnough) return first.key;
    if (plateaus.size() == 1 && std::abs(last.key - median) > another && last.to > to - soon) return last.key;
    return median;
}

} // namespace

std::vector<NoteSpan> spansBetween(const HeardSound& sound, const std::vector<NoteStart>& starts, bool unclear) {
    std::vector<NoteSpan> spans;
    const double total = static_cast<double>(sound.mono.size()) / analysisRateHz;
    double carried = notMeasurable; ///< start of a sweep that runs into the next span
    for (std::size_t i = 0; i < starts.size(); ++i) {
        const double start = starts[i].seconds;
        const double next = i + 1 < starts.size() ? starts[i + 1].seconds : total;
        const float top = sound.highestBetween(start, next);
        double end = start; // behind the top: a slow attack begins as low as a release ends
        while (end < next && sound.coarse.at(end) < top) end += 0.001;
        while (end < next && (end < start + 0.01 || sound.coarse.at(end) > top - 30.0f)) end += 0.001;
        std::vector<float> values;
        std::size_t clear = 0;
        for (double t = start + 0.01; t < end; t += sound.pitch.hz.stepSeconds)
            if (sound.sounds(t)) {
                values.push_back(sound.pitch.hz.at(t));
                clear += isMeasured(values.back()) && sound.pitch.aperiodicity.at(t) < 0.5;
            }
        const float hz = medianOf(values);
        // What hardly sounds is the noise between two notes.
        const bool heard = 3.0 * static_cast<double>(values.size()) * sound.pitch.hz.stepSeconds >= end - start - 0.01;
        const bool pitched = isMeasured(hz) && heard && 3 * clear >= values.size() && end - start >= shortestFoundNote;
        // A short way to the pitch of what follows without a new rise is a sweep, not a note.
        if (i + 1 < starts.size() && !starts[i + 1].rise && end - start < longestSweep &&
            (!pitched || rangeSemitones(values) > steadyRangeSemitones)) {
            if (!isMeasured(carried)) carried = start;
            continue;
        }
        const double from = isMeasured(carried) ? carried : start;
        carried = notMeasurable;
        if (!pitched) {
            // Its own level: that of what comes next reaches back a little.
            const double own = std::max(start, std::min(end, next - 2.0 * sound.smoothing - 0.01));
            const bool struck = starts[i].rise && end - start >= shortestFoundNote &&
                                sound.highestBetween(start, own) > sound.loudest - strikesWithinDb;
            if (unclear && struck) spans.push_back({from, std::min(end, next), notMeasurable, top, true, 0.0});
            continue;
        }
        const double pitch = pitchOf(sound, start, end, values);
        spans.push_back({from, std::min(end, next), pitch, top, starts[i].rise, clearShare(sound, start, end, pitch)});
    }
    joinCommonParts(sound, spans);
    keepNotesOnly(spans);
    return spans;
}

} // namespace facet
