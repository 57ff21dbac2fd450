#include "core/match/evidence/partial_lines.h"

#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/match/evidence/isolated_notes.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <map>
#include <numbers>
#include <numeric>

namespace facet {

namespace {

constexpr float deepestDb = -60.0f;
constexpr float shortDeepestDb = -36.0f; ///< where a window is so short that what moves within it fills the gaps
constexpr double growth = 1.45;          ///< of the time from one instant of a note to the next
constexpr double farthest = 0.12;        ///< seconds from one instant to the next, so that an LFO is followed

double pitchOf(const NoteProfile& each, const Profile& profile) {
    return isMeasured(each.f0Hz) ? each.f0Hz : hzFromKey(each.note.key + each.note.cents / 100.0, profile.tuningCents);
}

/// Power spectrum of all channels together about an instant, by a Hann window that the transform is twice as long as,
/// at least.
class Spectrum {
public:
    Spectrum(const Recording& recording, double seconds, int size) {
        const int length = static_cast<int>(std::bit_ceil(static_cast<unsigned>(2 * size)));
        binHz_ = static_cast<double>(analysisRateHz) / length;
        const std::vector<float>& window = hannWindow(size);
        static thread_local std::map<int, RealFft> transforms;
        RealFft& fft = transforms.try_emplace(length, length).first->second;
        power_.assign(static_cast<std::size_t>(fft.binCount()), 0.0f);
        const int begin = static_cast<int>(std::lround(seconds * analysisRateHz)) - size / 2;
        for (const auto& channel : recording.channels) {
            windowedFrame(channel, begin, window, fft.time());
            fft.forward();
            const auto bins = fft.bins();
            for (std::size_t b = 0; b < power_.size(); ++b) power_[b] += std::norm(bins[b]) / static_cast<float>(size);
        }
    }

    double at(double hz) const {
        const auto bin = static_cast<std::size_t>(std::lround(hz / binHz_));
        return bin < power_.size() ? static_cast<double>(power_[bin]) : 0.0;
    }
    /// Sum from hz − half to hz + half.
    double about(double hz, double half) const {
        const auto first = static_cast<std::size_t>(std::max(0.0, std::ceil((hz - half) / binHz_))),
                   last = std::min(power_.size(), static_cast<std::size_t>(std::floor((hz + half) / binHz_)) + 1);
        if (last <= first) return at(hz);
        double sum = 0.0;
        for (std::size_t b = first; b < last; ++b) sum += static_cast<double>(power_[b]);
        return sum;
    }
    double binHz() const { return binHz_; }

private:
    double binHz_ = 0.0;
    std::vector<float> power_;
};

/// The pitch near an expected one whose partials are strongest: notes glide and tremble, and the higher a partial, the
/// farther it goes.
double strongestNear(const Spectrum& spectrum, double expectedHz) {
    constexpr double farthestCents = 70.0, stepCents = 5.0;
    double best = 0.0, strongest = expectedHz;
    for (double cents = -farthestCents; cents <= farthestCents; cents += stepCents) {
        const double hz = expectedHz * std::exp2(cents / 1200.0);
        double sum = 0.0;
        for (int p = 1; p <= 14 && p * hz < 0.45 * analysisRateHz; ++p) sum += std::sqrt(spectrum.at(p * hz));
        // Where none stands out the expected one is as good.
        sum *= 1.0 - 0.02 * std::abs(cents) / farthestCents;
        if (sum > best) {
            best = sum;
            strongest = hz;
        }
    }
    return strongest;
}

/// Which share of a sine's power a Hann window leaves within so many of its bins (of 1 / length) to either side:
/// the integral of the square of its transform sin(πx) / (πx (1 − x²)).
double shareWithin(double bins) {
    constexpr int steps = 64;
    constexpr double all = 0.75; // from 0 to infinity
    double sum = 0.0;
    for (int i = 0; i < steps; ++i) {
        const double x = bins * (i + 0.5) / steps, y = std::numbers::pi * x;
        const double below = y * (1.0 - x * x);
        const double value = std::abs(below) < 1e-6 ? (x < 0.5 ? 1.0 : 0.5) : std::sin(y) / below;
        sum += value * value * bins / steps;
    }
    return sum / all;
}

/// Power about every half multiple of a pitch, and of as much half way between them.
struct LinePowers {
    std::array<double, lineCount> line{}, beside{};
};

/// Detuned voices, vibrato and chorus widen a line the more the higher it is. What widens nothing is read closely,
/// since there the window lets nothing of its neighbors through.
void addLinePowers(LinePowers& sum, const Spectrum& spectrum, double hz, bool halves, int size) {
    const double binsPerHz = static_cast<double>(size) / analysisRateHz;
    for (int h = 1; h <= lineCount; ++h) {
        const double at = 0.5 * h * hz;
        if (at > 0.45 * analysisRateHz) break;
        const auto i = static_cast<std::size_t>(h - 1);
        const double half = std::max(0.6 * spectrum.binHz(), hz * std::min(0.03 + 0.006 * h, halves ? 0.2 : 0.3));
        sum.line[i] += spectrum.about(at, half) / shareWithin(half * binsPerHz);
        const double off = halves ? 0.25 : 0.5;
        const double lower = spectrum.at(at - off * hz), upper = spectrum.at(at + off * hz);
        // Between two strong partials the window leaves something everywhere: there a line must stand out of both
        // sides.
        sum.beside[i] += (h % 2 == 1 ? std::max(lower, upper) : std::min(lower, upper)) * 2.0 * half /
                         spectrum.binHz() / shareWithin(half * binsPerHz);
    }
}

/// Window lengths are rounded, so that few are kept.
int windowSize(double samples) { return std::clamp(static_cast<int>(std::lround(samples / 64.0)) * 64, 512, 6144); }

/// Whether a line lies within the lines of another note that sounds then.
bool coveredByOthers(const Profile& profile, std::size_t note, double seconds, double hz, double binHz) {
    for (std::size_t k = 0; k < profile.notes.size(); ++k) {
        const Note& other = profile.notes[k].note;
        if (k == note || other.start > seconds + 0.02 || other.end + 0.05 < seconds) continue;
        const double otherHz = pitchOf(profile.notes[k], profile);
        if (std::abs(hz - std::max(1.0, std::round(hz / otherHz)) * otherHz) < 2.5 * binHz) return true;
    }
    return false;
}

/// One instant of a note, or the mean of what sounds from it until the next one, where a window is shorter than that.
/// `power`: of all lines.
LineInstant measureInstant(const Profile& profile, const Recording& recording, std::size_t note, double sinceNote,
                           double untilNext, bool alone, double upperHz, double& power) {
    constexpr double outOfNoiseDb = 6.0, stillSoundingDb = 6.0;
    constexpr int mostFrames = 4;
    const NoteProfile& of = profile.notes[note];
    const double expected = pitchOf(of, profile), period = analysisRateHz / expected;
    const int size = windowSize(std::clamp(2.0 * sinceNote * analysisRateHz, 4.0 * period, 8.0 * period));
    const bool halves = size >= 6.5 * period;
    const double windowSeconds = static_cast<double>(size) / analysisRateHz;
    const int frames = std::clamp(static_cast<int>((untilNext - sinceNote) / (0.5 * windowSeconds)), 1, mostFrames);
    LinePowers now{}, before{};
    LineInstant instant;
    instant.note = note;
    instant.frames = frames;
    instant.frameStep = (untilNext - sinceNote) / frames;
    for (int f = 0; f < frames; ++f) {
        const double since = sinceNote + instant.frameStep * f;
        const Spectrum spectrum(recording, of.note.start + since, size);
        const double hz = alone ? strongestNear(spectrum, expected) : expected;
        addLinePowers(now, spectrum, hz, halves, size);
        instant.sinceNote += since / frames;
        instant.hz += hz / frames;
    }
    for (std::size_t i = 0; i < now.line.size(); ++i) {
        now.line[i] /= frames;
        now.beside[i] /= frames;
    }
    instant.at = of.note.start + instant.sinceNote;
    addLinePowers(before, Spectrum(recording, of.note.start - 0.5 * windowSeconds, size), instant.hz, halves, size);
    double strongest = 1e-18;
    power = std::accumulate(now.line.begin(), now.line.end(), 1e-18);
    for (int h = 1; h <= lineCount; ++h) strongest = std::max(strongest, now.line[static_cast<std::size_t>(h - 1)]);
    for (int h = 1; h <= lineCount; ++h) {
        const auto i = static_cast<std::size_t>(h - 1);
        const double hz = 0.5 * h * instant.hz;
        const float deepest = halves ? deepestDb : shortDeepestDb;
        instant.levels[i] = std::max(deepest, static_cast<float>(dbFromPower(now.line[i] / strongest)));
        if (hz > upperHz || hz > 0.44 * analysisRateHz || (h % 2 == 1 && !halves)) continue;
        if (coveredByOthers(profile, note, instant.at, hz, static_cast<double>(analysisRateHz) / size)) continue;
        instant.heard[i] = instant.levels[i] > deepest + 0.1f &&
                           (!halves || dbFromPower(now.line[i]) > dbFromPower(now.beside[i]) + outOfNoiseDb);
        const bool sounded = dbFromPower(before.line[i]) > dbFromPower(now.line[i]) - stillSoundingDb;
        // High partials are many, and each tells little.
        const float audible = std::clamp(1.0f + instant.levels[i] / 60.0f, 0.25f, 1.0f);
        instant.weights[i] =
            sounded ? 0.0f : audible * static_cast<float>(std::pow(0.5 * h, -0.35)) * (h % 2 == 1 ? 0.4f : 1.0f);
    }
    return instant;
}

} // namespace

std::vector<LineInstant> lineInstantsOf(const Profile& profile, const Recording& recording, double upperHz,
                                        std::size_t most) {
    constexpr std::size_t mostNotes = 12;
    constexpr double shortest = 0.05;
    std::vector<std::size_t> notes;
    bool isolated = true;
    for (const bool alone : {true, false}) {
        isolated = alone;
        for (std::size_t n = 0; n < profile.notes.size(); ++n) {
            const NoteProfile& each = profile.notes[n];
            if (each.note.end - each.note.start >= shortest && (!alone || isIsolated(each, profile)))
                notes.push_back(n);
        }
        if (!notes.empty()) break;
    }
    if (notes.size() > mostNotes) { // evenly through the phrase
        std::vector<std::size_t> some;
        for (std::size_t i = 0; i < mostNotes; ++i) some.push_back(notes[i * notes.size() / mostNotes]);
        notes = some;
    }
    struct Place {
        std::size_t note;
        double since, until;
    };
    std::vector<Place> places;
    for (const std::size_t n : notes) {
        const Note& note = profile.notes[n].note;
        const double half = 2.0 / pitchOf(profile.notes[n], profile); // of the shortest window
        const double last = note.end - note.start - 0.5 * half;
        for (double at = std::max(0.012, half); at < last;) {
            const double next = std::max(std::min(at * growth, at + farthest), at + half);
            places.push_back({n, at, std::min(next, std::max(at, last))});
            at = next;
        }
    }
    std::vector<LineInstant> instants;
    std::vector<double> powers;
    std::map<std::size_t, double> loudest; // of each note
    const std::size_t every = std::max<std::size_t>(1, (places.size() + most - 1) / most);
    for (std::size_t i = 0; i < places.size(); i += every) {
        double power = 0.0;
        instants.push_back(measureInstant(profile, recording, places[i].note, places[i].since, places[i].until,
                                          isolated, upperHz, power));
        powers.push_back(power);
        loudest[places[i].note] = std::max(loudest[places[i].note], power);
    }
    constexpr double fullDb = -10.0, nothingDb = -32.0, least = 0.03;
    for (std::size_t i = 0; i < instants.size(); ++i) {
        const double below = dbFromPower(powers[i] / loudest[instants[i].note]);
        instants[i].worth = std::clamp((below - nothingDb) / (fullDb - nothingDb), least, 1.0);
    }
    return instants;
}

void takeOut(const SideComb& comb, std::vector<LineInstant>& instants) {
    for (LineInstant& each : instants) {
        float strongest = -200.0f;
        for (std::size_t i = 0; i < each.levels.size(); ++i) {
            double power = 0.0;
            for (int f = 0; f < each.frames; ++f)
                power += comb.powerAt(0.5 * static_cast<double>(i + 1) * each.hz,
                                      each.at + each.frameStep * (f - 0.5 * (each.frames - 1))) /
                         each.frames;
            constexpr double deepest = 0.02; // in a notch nothing is left to be made louder
            if (each.levels[i] > deepestDb) each.levels[i] -= static_cast<float>(dbFromPower(std::max(deepest, power)));
            strongest = std::max(strongest, each.levels[i]);
        }
        for (float& level : each.levels) level = std::max(deepestDb, level - strongest);
    }
}

} // namespace facet
