#include "core/analysis/notes/gate.h"

#include "core/analysis/facets/pitch.h"
#include "core/audio/recording.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <fmt/format.h>
#include <numbers>

namespace facet {

namespace {

constexpr std::size_t fewestBursts = 4;
constexpr double evenness = 0.06;      ///< share by which the distances may differ
constexpr double coherentLength = 0.9; ///< mean resultant length of the phases
constexpr double tuningReachHz = 0.4;  ///< around the measured pitch
constexpr double slowestGate = 1.5;    ///< Hz; slower bursts are notes to anybody

/// Phase of a frequency at the start of the sound, seen through the middle of a burst; whole periods are averaged.
std::complex<double> phasorOf(std::span<const float> mono, const Note& note, double hz) {
    const double middle = 0.5 * (note.start + note.end);
    const double half = std::max(1.0, std::floor(0.4 * (note.end - note.start) * hz)) * 0.5 / hz;
    const auto begin = static_cast<std::size_t>(std::max(0.0, (middle - half) * analysisRateHz));
    const auto end = std::min(mono.size(), static_cast<std::size_t>((middle + half) * analysisRateHz));
    std::complex<double> sum = 0.0;
    for (std::size_t i = begin; i < end; ++i)
        sum += static_cast<double>(mono[i]) *
               std::polar(1.0, -2.0 * std::numbers::pi * std::fmod(hz * static_cast<double>(i) / analysisRateHz, 1.0));
    return std::abs(sum) > 0.0 ? sum / std::abs(sum) : 0.0;
}

/// How well the phases of all bursts lie on one line, with the pitch free by a fraction of a hertz.
double coherence(std::span<const float> mono, std::span<const Note> run, double hz) {
    // The bursts' own spectra do not move within that fraction: their phasors are measured once and turned.
    std::vector<std::complex<double>> phasors;
    for (const Note& note : run) phasors.push_back(phasorOf(mono, note, hz));
    double best = 0.0;
    const double step = 0.1 / (run.back().end - run.front().start);
    for (double by = -tuningReachHz; by <= tuningReachHz; by += step) {
        std::complex<double> sum = 0.0;
        for (std::size_t i = 0; i < run.size(); ++i)
            sum += phasors[i] * std::polar(1.0, -2.0 * std::numbers::pi * by * 0.5 * (run[i].start + run[i].end));
        best = std::max(best, std::abs(sum) / static_cast<double>(run.size()));
    }
    return best;
}

} // namespace

std::string joinGatedNotes(std::vector<Note>& notes, std::span<const float> mono48k, double tuningCents) {
    std::string evidence;
    std::vector<Note> joined;
    for (std::size_t i = 0; i < notes.size();) {
        std::size_t end = i + 1;
        double distance = 0.0;
        while (end < notes.size() && notes[end].key == notes[i].key) {
            const double step = notes[end].start - notes[end - 1].start;
            if (distance > 0.0 && std::abs(step / distance - 1.0) > evenness) break;
            distance = distance > 0.0 ? (notes[end].start - notes[i].start) / static_cast<double>(end - i) : step;
            ++end;
        }
        const std::span<const Note> run(notes.data() + i, end - i);
        if (run.size() < fewestBursts || distance > 1.0 / slowestGate) {
            joined.push_back(notes[i++]);
            continue;
        }
        // The longest burst gives the pitch best.
        const Note& longest = *std::max_element(
            run.begin(), run.end(), [](const Note& a, const Note& b) { return a.end - a.start < b.end - b.start; });
        const double nominal = hzFromKey(longest.key + longest.cents / 100.0, tuningCents);
        const double phases = coherence(mono48k, run, nominal);
        if (phases < coherentLength) {
            joined.insert(joined.end(), run.begin(), run.end());
        } else {
            Note held = run.front();
            held.end = run.back().end;
            joined.push_back(held);
            evidence += fmt::format(
                "{}{} bursts of {} every {:.0f} ms run on in one phase ({:.0f} %): taken for one held "
                "note behind a gate.",
                evidence.empty() ? "" : " ", run.size(), nameOfKey(held.key), 1000.0 * distance, 100.0 * phases);
        }
        i = end;
    }
    notes = std::move(joined);
    return evidence;
}

} // namespace facet
