#include "core/analysis/notes/one_sound.h"

#include "core/analysis/notes/shifted_spectra.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

namespace facet {

namespace {

constexpr double samePlace = 0.35; ///< semitones
constexpr double tunedSources[] = {7.0, 12.0, 19.0, 24.0};
constexpr int momentFrames = 8192;
constexpr double momentBinHz = static_cast<double>(analysisRateHz) / momentFrames;

/// Keys that begin together, as fractional keys in order.
struct Event {
    double start = 0.0;
    double end = 0.0;
    std::vector<double> keys;
};

/// Power of one moment, with the strongest partials in it.
class Moment {
public:
    Moment(const HeardSound& sound, double seconds) : fft_(momentFrames) {
        windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - momentFrames / 2,
                      hannWindow(momentFrames), fft_.time());
        fft_.forward();
        for (const std::complex<float>& bin : fft_.bins()) power_.push_back(std::norm(bin) + 1e-20);
    }

    double power(int bin) const {
        return power_[static_cast<std::size_t>(std::clamp(bin, 0, static_cast<int>(power_.size()) - 1))];
    }

    /// Frequency of the strongest partial within a semitone of one, or notMeasurable: a parabola through the logarithms
    /// of a Hann window's peak (J. O. Smith, X. Serra, "PARSHL", ICMC 1987).
    double peakNear(double hz) const {
        const int last = std::min(fft_.binCount() - 2, static_cast<int>(std::ceil(hz * 1.06 / momentBinHz)));
        int top = std::max(1, static_cast<int>(hz / 1.06 / momentBinHz));
        for (int bin = top; bin <= last; ++bin)
            if (power(bin) > power(top)) top = bin;
        const double before = std::log(power(top - 1)), here = std::log(power(top)), after = std::log(power(top + 1));
        if (here < before || here < after) return notMeasurable;
        return momentBinHz * (top + 0.5 * (before - after) / (before - 2.0 * here + after));
    }

private:
    RealFft fft_;
    std::vector<double> power_;
};

/// What begins at the rises; what sets in between is no key of such a sound.
std::vector<Event> eventsOf(const ChordNotes& chords) {
    std::vector<Event> events;
    for (double start : chords.starts) {
        Event event{start, start, {}};
        for (const Note& note : chords.performance.notes)
            if (std::abs(note.start - start) < togetherWithin) {
                event.end = std::max(event.end, note.end);
                event.keys.push_back(note.key);
            }
        if (!event.keys.empty()) events.push_back(std::move(event));
    }
    return events;
}

/// Early on: overtones fade first.
Moment momentOf(const HeardSound& sound, const Event& event) {
    return {sound, event.start + std::max(0.03, 0.25 * (event.end - event.start))};
}

void measureKeys(const HeardSound& sound, Event& event, double tuningCents) {
    const Moment moment = momentOf(sound, event);
    for (double& key : event.keys) {
        const double hz = moment.peakNear(hzFromKey(key, tuningCents));
        if (isMeasured(hz)) key = keyFromHz(hz);
    }
    std::sort(event.keys.begin(), event.keys.end());
}

struct Alignment {
    double shift = 0.0; ///< semitones from the model to the event
    int matched = 0;
};

/// The shift of a model's keys at which most of them meet an event's.
Alignment aligned(const Event& model, const Event& event) {
    Alignment best;
    double bestError = 1e9;
    for (double from : model.keys)
        for (double to : event.keys) {
            const double shift = to - from;
            int matched = 0;
            double error = 0.0;
            for (double key : model.keys)
                for (double other : event.keys)
                    if (std::abs(other - key - shift) < samePlace) {
                        ++matched;
                        error += std::abs(other - key - shift);
                        break;
                    }
            if (matched > best.matched || (matched == best.matched && error < bestError)) {
                best = {shift, matched};
                bestError = error;
            }
        }
    return best;
}

const Event& modelOf(const std::vector<Event>& events) {
    return *std::max_element(events.begin(), events.end(),
                             [](const Event& a, const Event& b) { return a.keys.size() < b.keys.size(); });
}

/// Whether a second source is often tuned so many semitones above the first.
bool isTunedSource(double semitones) {
    constexpr double asTuned = 0.3;
    return std::any_of(std::begin(tunedSources), std::end(tunedSources),
                       [semitones](double tuned) { return std::abs(semitones - tuned) < asTuned; });
}

/// How much more likely a distance in semitones is between two keys than between two partials of one sound, which lie
/// anywhere: natural logarithm. Voices that beat, and a filter's phase, move keys by some cents; some are no keys.
double oddsOfKeys(double semitones) {
    constexpr double deviation = 0.07, stray = 0.15;
    const double off = (semitones - std::round(semitones)) / deviation;
    return std::log(stray +
                    (1.0 - stray) * std::exp(-0.5 * off * off) / (deviation * std::sqrt(2.0 * std::numbers::pi)));
}

/// Whether a tone at this ratio to a lower one is more likely a partial of the same sound (a modulator's, a bell's)
/// than another key: at a ratio of small whole numbers that no two keys have.
bool isOvertone(double semitones) {
    constexpr double asTuned = 0.04, unlikeKeys = 0.1; // semitones
    for (int q = 1; q <= 4; ++q)
        for (int p = q + 1; p <= 9; ++p) {
            const double pure = 12.0 * std::log2(static_cast<double>(p) / q);
            if (std::abs(pure - std::round(pure)) < unlikeKeys) continue;
            if (std::abs(semitones - pure) < asTuned) return true;
        }
    return false;
}

} // namespace

double OneSound::logOdds() const {
    // Chosen by hand on tones and chords of known making; no source.
    const double byShape = places > 1 ? 2.5 * (alike - 0.7) : 0.0;
    const double byShift =
        keys > 1 ? std::min(1.0, 0.4 + 0.2 * (keys - 1)) * std::clamp(12.0 * (shifted - 0.68), -3.0, 3.0) : 0.0;
    const double byTuning = places > 1 ? octaves * std::min(4.0, 1.5 * (places - 1)) : 0.0;
    // What is tuned in octaves and fifths is harmonic, however well keys explain it.
    const double bySpectrum =
        events == 0 ? 0.0 : (1.0 - octaves) * std::clamp(60.0 * (0.855 - explained), -2.5, 1.5) - octaves;
    constexpr double seldom = 1.5; // there are more chords than bells
    // Voices far apart stand where no key does.
    const double byKeys = std::clamp(0.7 * tempered, -0.5, 3.0);
    return byShape + byShift + byTuning + bySpectrum + 6.0 * overtones - byKeys - seldom;
}

OneSound oneSoundIn(const HeardSound& sound, const ChordNotes& chords) {
    OneSound found;
    found.explained = chords.explained;
    if (const std::vector<NoteSpan> spans = lineOfOneSound(sound, chords); spans.size() > 1) {
        const ShiftedKeys shifted = keysByShift(sound, spans);
        std::set<long> keys;
        for (double key : shifted.keys) keys.insert(std::lround(key));
        found.keys = static_cast<int>(keys.size());
        found.shifted = shifted.alike;
    }
    std::vector<Event> events = eventsOf(chords);
    std::erase_if(events, [](const Event& event) { return event.keys.size() < 2; });
    if (events.empty()) return found;
    for (Event& event : events) measureKeys(sound, event, chords.performance.tuningCents);
    found.events = static_cast<int>(events.size());
    const Event& model = modelOf(events);
    std::set<long> places;
    std::vector<double> distances; // each once
    double others = 0.0;
    for (const Event& event : events) {
        sound.task.check();
        const Alignment place = aligned(model, event);
        places.insert(std::lround(place.shift));
        found.alike += 2.0 * place.matched / static_cast<double>(model.keys.size() + event.keys.size()) / found.events;
        for (std::size_t k = 1; k < event.keys.size(); ++k) {
            const double above = event.keys[k] - event.keys[0];
            ++others;
            if (std::none_of(distances.begin(), distances.end(),
                             [above](double known) { return std::abs(known - above) < samePlace; }))
                distances.push_back(above);
            found.overtones += isOvertone(above);
            found.octaves += isTunedSource(above);
        }
    }
    found.places = static_cast<int>(places.size());
    found.overtones /= others;
    found.octaves /= others;
    for (const double each : distances)
        if (!isTunedSource(each)) found.tempered += oddsOfKeys(each);
    return found;
}

std::vector<NoteSpan> lineOfOneSound(const HeardSound& sound, const ChordNotes& chords) {
    constexpr double trusted = 0.3;  // of the partial that all have in common
    constexpr double leastFit = 0.4; // of what has no such partial
    constexpr double same = 0.7;     // semitones
    constexpr float fadedDb = 30.0f;
    std::vector<Event> events = eventsOf(chords);
    for (Event& event : events) measureKeys(sound, event, chords.performance.tuningCents);
    std::vector<double> starts;
    for (const NoteStart& rise : struckRises(sound, risesOf(sound))) starts.push_back(rise.seconds);
    for (const Event& event : events)
        if (std::none_of(starts.begin(), starts.end(),
                         [&](double start) { return std::abs(start - event.start) < togetherWithin; }))
            starts.push_back(event.start);
    std::sort(starts.begin(), starts.end());
    std::vector<NoteSpan> spans;
    for (std::size_t i = 0; i < starts.size(); ++i) {
        const double next = i + 1 < starts.size() ? starts[i + 1] : sound.seconds();
        const float top = sound.highestBetween(starts[i], next);
        double end = starts[i] + shortestFoundNote;
        while (end < next && sound.coarse.at(end) > top - fadedDb) end += sound.coarse.stepSeconds;
        NoteSpan span{starts[i], std::min(end, next), notMeasurable, top, true, 0.0};
        for (const Event& event : events) {
            if (std::abs(event.start - starts[i]) >= togetherWithin) continue;
            const Event& model = modelOf(events);
            span.pitch = model.keys.front() + aligned(model, event).shift;
            span.clear = trusted;
            for (double key : event.keys)
                if (std::abs(key - span.pitch) < samePlace) span.pitch = key;
        }
        if (top > sound.loudest - static_cast<float>(chordRangeDb)) spans.push_back(span);
    }
    if (spans.size() > 1 && spans.size() <= mostShiftedSpans) {
        const ShiftedKeys shifted = keysByShift(sound, spans);
        for (std::size_t i = 0; i < spans.size(); ++i)
            if (isMeasured(spans[i].pitch) ? std::abs(spans[i].pitch - shifted.keys[i]) > same
                                           : shifted.fits[i] > leastFit)
                spans[i].pitch = shifted.keys[i];
    }
    std::erase_if(spans, [](const NoteSpan& span) { return !isMeasured(span.pitch); });
    return spans;
}

} // namespace facet
