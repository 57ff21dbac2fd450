#include "core/match/evidence/partial_lines.h"

#include "core/base/units.h"
#include "core/dsp/window.h"
#include "core/match/evidence/isolated_notes.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <span>

namespace facet {

namespace {

constexpr float deepestDb = -60.0f;
constexpr float shortDeepestDb = -36.0f; ///< where a window is so short that what moves within it fills the gaps
constexpr double growth = 1.45;   ///< of the time from one instant of a note to the next
constexpr double farthest = 0.12; ///< seconds from one instant to the next, so that an LFO is followed

double pitchOf(const NoteProfile& each, const Profile& profile) {
    return isMeasured(each.f0Hz) ? each.f0Hz : hzFromKey(each.note.key + each.note.cents / 100.0, profile.tuningCents);
}

/// Magnitudes at every quarter multiple of the pitch from the second on, by a Hann window of so many samples.
std::vector<double> quarterMultiples(std::span<const float> mono, double seconds, int size, double hz) {
    const std::vector<float>& window = hannWindow(size);
    std::vector<float> frame(window.size());
    windowedFrame(mono, static_cast<int>(std::lround(seconds * analysisRateHz)) - size / 2, window, frame);
    std::vector<double> found;
    for (int quarter = 1; quarter <= 2 * lineCount + 1; ++quarter) {
        const double at = 0.25 * quarter * hz;
        if (at > 0.45 * analysisRateHz) {
            found.push_back(0.0);
            continue;
        }
        const std::complex<float> step(std::polar(1.0, -2.0 * std::numbers::pi * at / analysisRateHz));
        // Four sums at a time keep the rounding of the turning factor small.
        std::complex<double> sum = 0.0;
        for (std::size_t begin = 0; begin < frame.size(); begin += 256) {
            std::complex<float> part = 0.0f, turn = 1.0f;
            const std::size_t end = std::min(frame.size(), begin + 256);
            for (std::size_t i = begin; i < end; ++i) {
                part += turn * frame[i];
                turn *= step;
            }
            sum += std::complex<double>(part) *
                   std::polar(1.0, -2.0 * std::numbers::pi * at * static_cast<double>(begin) / analysisRateHz);
        }
        found.push_back(4.0 * std::abs(sum) / static_cast<double>(frame.size()));
    }
    return found;
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

LineInstant measureInstant(const Profile& profile, std::span<const float> mono, std::size_t note, double sinceNote,
                           double upperHz) {
    constexpr double outOfNoiseDb = 6.0, stillSoundingDb = 6.0;
    const NoteProfile& of = profile.notes[note];
    LineInstant instant;
    instant.note = note;
    instant.sinceNote = sinceNote;
    instant.at = of.note.start + sinceNote;
    instant.hz = pitchOf(of, profile);
    const double period = analysisRateHz / instant.hz;
    const int size = windowSize(std::clamp(2.0 * sinceNote * analysisRateHz, 4.0 * period, 8.0 * period));
    const bool halves = size >= 6.5 * period;
    const auto now = quarterMultiples(mono, instant.at, size, instant.hz);
    const auto before = quarterMultiples(mono, of.note.start - 0.5 * size / analysisRateHz, size, instant.hz);
    double strongest = 1e-9;
    for (int h = 1; h <= lineCount; ++h) strongest = std::max(strongest, now[static_cast<std::size_t>(2 * h - 1)]);
    for (int h = 1; h <= lineCount; ++h) {
        const auto at = static_cast<std::size_t>(2 * h - 1), i = static_cast<std::size_t>(h - 1);
        const double hz = 0.5 * h * instant.hz;
        const float deepest = halves ? deepestDb : shortDeepestDb;
        instant.levels[i] = std::max(deepest, static_cast<float>(dbFromGain(now[at] / strongest)));
        if (hz > upperHz || hz > 0.44 * analysisRateHz || (h % 2 == 1 && !halves)) continue;
        if (coveredByOthers(profile, note, instant.at, hz, static_cast<double>(analysisRateHz) / size)) continue;
        const double beside = std::min(now[at - 1], at + 1 < now.size() ? now[at + 1] : now[at - 1]);
        instant.heard[i] =
            instant.levels[i] > deepest + 0.1f && dbFromGain(now[at]) > dbFromGain(beside) + outOfNoiseDb;
        if (h % 2 == 0 && !halves) instant.heard[i] = instant.levels[i] > deepest + 0.1f;
        const bool sounded = dbFromGain(before[at]) > dbFromGain(now[at]) - stillSoundingDb;
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
    const std::vector<float> mono = monoMix(recording);
    std::vector<std::size_t> notes;
    for (const bool alone : {true, false}) {
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
    std::vector<std::pair<std::size_t, double>> places;
    for (const std::size_t n : notes) {
        const Note& note = profile.notes[n].note;
        const double half = 2.0 / pitchOf(profile.notes[n], profile); // of the shortest window
        for (double at = std::max(0.012, half); at < note.end - note.start - 0.5 * half;
             at = std::max(std::min(at * growth, at + farthest), at + half))
            places.emplace_back(n, at);
    }
    std::vector<LineInstant> instants;
    const std::size_t every = std::max<std::size_t>(1, (places.size() + most - 1) / most);
    for (std::size_t i = 0; i < places.size(); i += every)
        instants.push_back(measureInstant(profile, mono, places[i].first, places[i].second, upperHz));
    return instants;
}

} // namespace facet
