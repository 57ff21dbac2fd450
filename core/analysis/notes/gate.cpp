#include "core/analysis/notes/gate.h"

#include "core/analysis/facets/pitch.h"
#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <fmt/format.h>
#include <numbers>
#include <set>

namespace facet {

namespace {

constexpr std::size_t fewestBursts = 4, fewestUneven = 3;
constexpr double evenness = 0.12, lateness = 0.18; ///< share of a step by which a burst may lie beside the grid
constexpr double tuningReachHz = 0.4;              ///< around the measured pitch
constexpr double coherent = 0.9;                   ///< mean resultant length from which phases lie on one line
constexpr double slowestGate = 1.5;                ///< Hz; slower bursts are notes to anybody

/// Notes that begin together.
struct Burst {
    std::size_t first = 0, count = 0;
    double start = 0.0, end = 0.0;
    std::set<int> keys;
};

std::vector<Burst> burstsOf(const std::vector<Note>& notes) {
    std::vector<Burst> bursts;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        if (bursts.empty() || notes[i].start > bursts.back().start + togetherWithin)
            bursts.push_back({i, 0, notes[i].start, notes[i].end, {}});
        ++bursts.back().count;
        bursts.back().end = std::max(bursts.back().end, notes[i].end);
        bursts.back().keys.insert(notes[i].key);
    }
    return bursts;
}

/// The bursts from one on that have the same keys.
std::span<const Burst> sameKeysRun(std::span<const Burst> bursts) {
    std::size_t count = 1;
    while (count < bursts.size() && bursts[count].keys == bursts[0].keys) ++count;
    return bursts.first(count);
}

/// The longest run of bursts from one on with the same keys, each a whole number of the shortest steps after the last.
std::span<const Burst> evenRun(std::span<const Burst> bursts) {
    const std::size_t count = sameKeysRun(bursts).size();
    if (count < fewestBursts) return bursts.first(1);
    std::vector<double> steps;
    for (std::size_t i = 1; i < count; ++i) steps.push_back(bursts[i].start - bursts[i - 1].start);
    std::vector<double> sorted = steps;
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2), sorted.end());
    const double step = sorted[sorted.size() / 2];
    // Against the grid so far, which each burst makes more certain: a slow rise is found late now and then.
    std::size_t even = 1;
    double places = 0.0;
    while (even < count) {
        const double grid = places >= 4.0 ? (bursts[even - 1].start - bursts[0].start) / places : step;
        const double times = (bursts[even].start - bursts[0].start) / grid - places;
        const double beside = std::abs(times - std::round(times));
        if (std::round(times) < 1.0 || std::round(times) > 3.0 || beside > (places >= 4.0 ? lateness : evenness)) break;
        places += std::round(times);
        ++even;
    }
    return bursts.first(even);
}

/// Distance of the bursts that fits their starts best, and the first start on that grid: a line through them.
struct Grid {
    double origin, step;
};

Grid gridOf(std::span<const Burst> run) {
    double shortest = 1e9;
    for (std::size_t i = 1; i < run.size(); ++i) shortest = std::min(shortest, run[i].start - run[i - 1].start);
    double place = 0.0, n = 0.0, sp = 0.0, st = 0.0, spp = 0.0, spt = 0.0;
    for (std::size_t i = 0; i < run.size(); ++i) {
        if (i > 0) place += std::round((run[i].start - run[i - 1].start) / shortest);
        n += 1.0;
        sp += place;
        st += run[i].start;
        spp += place * place;
        spt += place * run[i].start;
    }
    const double step = (n * spt - sp * st) / (n * spp - sp * sp);
    return {(st - step * sp) / n, step};
}

/// Phase of a frequency at the start of the sound, seen through the middle of a burst; whole periods are averaged.
std::complex<double> phasorOf(std::span<const float> mono, const Burst& burst, double hz) {
    const double middle = 0.5 * (burst.start + burst.end);
    const double half = std::max(1.0, std::floor(0.4 * (burst.end - burst.start) * hz)) * 0.5 / hz;
    const auto begin = static_cast<std::size_t>(std::max(0.0, (middle - half) * analysisRateHz));
    const auto end = std::min(mono.size(), static_cast<std::size_t>((middle + half) * analysisRateHz));
    std::complex<double> sum = 0.0;
    for (std::size_t i = begin; i < end; ++i)
        sum += static_cast<double>(mono[i]) *
               std::polar(1.0, -2.0 * std::numbers::pi * std::fmod(hz * static_cast<double>(i) / analysisRateHz, 1.0));
    return std::abs(sum) > 0.0 ? sum / std::abs(sum) : 0.0;
}

struct Coherence {
    double length = 0.0; ///< mean resultant
    double hz = 0.0;     ///< where it is highest
};

/// How well the phases of all bursts lie on one line, with the pitch free by a fraction of a hertz.
Coherence coherenceOf(std::span<const float> mono, std::span<const Burst> run, double hz) {
    // The bursts' own spectra do not move within that fraction: their phasors are measured once and turned.
    std::vector<std::complex<double>> phasors;
    for (const Burst& burst : run) phasors.push_back(phasorOf(mono, burst, hz));
    Coherence best;
    const double step = 0.1 / (run.back().end - run.front().start);
    for (double by = -tuningReachHz; by <= tuningReachHz; by += step) {
        std::complex<double> sum = 0.0;
        for (std::size_t i = 0; i < run.size(); ++i)
            sum += phasors[i] * std::polar(1.0, -2.0 * std::numbers::pi * by * 0.5 * (run[i].start + run[i].end));
        const double length = std::abs(sum) / static_cast<double>(run.size());
        if (length > best.length) best = {length, hz + by};
    }
    return best;
}

constexpr int bandCount = 20;
using Bands = std::array<double, bandCount>; // dB re their sum

/// Spectrum of a few milliseconds in bands of equal ratio from 80 Hz to 12 kHz.
Bands bandsAt(const HeardSound& sound, double seconds) {
    constexpr int size = 1024;
    constexpr double binHz = static_cast<double>(analysisRateHz) / size;
    RealFft fft(size);
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - size / 2, hannWindow(size), fft.time());
    fft.forward();
    Bands bands{};
    double sum = 1e-15;
    for (int b = 2; b < fft.binCount(); ++b) {
        const int band = static_cast<int>(bandCount * std::log(b * binHz / 80.0) / std::log(150.0));
        if (band < 0 || band >= bandCount) continue;
        const double power = std::norm(fft.bins()[static_cast<std::size_t>(b)]);
        bands[static_cast<std::size_t>(band)] += power;
        sum += power;
    }
    for (double& band : bands) band = 10.0 * std::log10(band / sum + 1e-4);
    return bands;
}

double distanceOf(const Bands& a, const Bands& b) {
    double sum = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += std::abs(a[i] - b[i]) / bandCount;
    return sum;
}

double restartOf(const HeardSound& sound, std::span<const Burst> run) {
    constexpr double leastDb = 0.7;
    std::vector<Bands> begins, ends;
    for (const Burst& burst : run) {
        const double length = burst.end - burst.start;
        begins.push_back(bandsAt(sound, burst.start + std::min(0.012, 0.3 * length)));
        ends.push_back(bandsAt(sound, burst.start + std::max(0.8 * length - 0.005, 0.5 * length)));
    }
    std::vector<double> across, between;
    for (std::size_t i = 1; i < run.size(); ++i) {
        across.push_back(distanceOf(ends[i - 1], begins[i]));
        between.push_back(distanceOf(begins[i - 1], begins[i]));
    }
    const auto middle = [](std::vector<double>& values) {
        std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2), values.end());
        return values[values.size() / 2];
    };
    return std::log((middle(across) + leastDb) / (middle(between) + leastDb));
}

/// Median of the second differences of the bursts' levels, as the deviation of one.
double unevennessOf(const HeardSound& sound, std::span<const Burst> run) {
    std::vector<double> levels, bends;
    for (const Burst& burst : run) levels.push_back(sound.highestBetween(burst.start, burst.end));
    for (std::size_t i = 2; i < levels.size(); ++i)
        bends.push_back(std::abs(levels[i] - 2.0 * levels[i - 1] + levels[i - 2]) / std::sqrt(6.0));
    std::nth_element(bends.begin(), bends.begin() + static_cast<std::ptrdiff_t>(bends.size() / 2), bends.end());
    return bends[bends.size() / 2];
}

/// How near the bursts' starts lie to whole cycles of a frequency from each other, 0 … 1.
double wholeCycles(std::span<const Burst> run, double hz) {
    std::complex<double> sum = 0.0;
    for (const Burst& burst : run) sum += std::polar(1.0, 2.0 * std::numbers::pi * hz * (burst.start - run[0].start));
    return std::abs(sum) / static_cast<double>(run.size());
}

double meanStepOf(std::span<const Burst> run) {
    return (run.back().start - run.front().start) / static_cast<double>(run.size() - 1);
}

BurstRun measured(const HeardSound& sound, std::span<const Burst> run, bool even, double tuningCents) {
    BurstRun found;
    found.even = even;
    found.first = run.front().first;
    found.count = run.back().first + run.back().count - run.front().first;
    found.bursts = static_cast<int>(run.size());
    const double step = even ? gridOf(run).step : meanStepOf(run);
    found.rateHz = 1.0 / step;
    const double span = run.back().end - run.front().start;
    for (int key : run.front().keys) {
        sound.task.check();
        const Coherence phases = coherenceOf(sound.mono, run, hzFromKey(key, tuningCents));
        const double share = 1.0 / static_cast<double>(run.front().keys.size());
        found.coherence += share * phases.length;
        // Notes that begin at one phase seem to run on at the nearest whole number of cycles in a step.
        const double alias = std::round(phases.hz * step) / step;
        if (even ? std::abs(alias - phases.hz) < 0.6 / span : wholeCycles(run, phases.hz) > coherent)
            found.likeRestarts = true;
    }
    found.restart = restartOf(sound, run);
    found.unevenDb = unevennessOf(sound, run);
    return found;
}

} // namespace

double BurstRun::logOdds() const {
    // Chosen by hand on gated and struck tones of known making; no source. Stacked voices beat: that they do not run on
    // in one phase, and are not equally loud, says little of them.
    constexpr double beatingDb = 0.6;
    const double weight = unevenDb < beatingDb ? 6.0 : 2.0;
    const double byPhase = coherence > coherent ? (likeRestarts ? -0.5 : 4.0) : weight * (coherence - coherent);
    const double bySpectrum = std::clamp(6.0 * (0.35 - restart), -4.0, 3.0);
    const double byLevel = std::clamp(0.4 - unevenDb, -0.7, 0.4);
    const double byRhythm = even ? 0.0 : -1.0; // what is played has one more often than a gate has
    return byPhase + bySpectrum + byLevel + byRhythm;
}

std::string BurstRun::words(const std::vector<Note>& notes) const {
    std::string what =
        even ? fmt::format("{} bursts of {} every {:.0f} ms", bursts, nameOfKey(notes[first].key), 1000.0 / rateHz)
             : fmt::format("{} uneven bursts of {}", bursts, nameOfKey(notes[first].key));
    what += coherence > coherent ? fmt::format(" run on in one phase ({:.0f} %)", 100.0 * coherence)
                                 : fmt::format(" do not run on in one phase ({:.0f} %)", 100.0 * coherence);
    what += restart > 0.2 ? ", and each begins anew" : restart < -0.1 ? ", and go on where they left off" : "";
    return what + ".";
}

std::vector<BurstRun> burstRunsOf(const HeardSound& sound, const std::vector<Note>& notes, double tuningCents) {
    const std::vector<Burst> bursts = burstsOf(notes);
    std::vector<BurstRun> found;
    for (std::size_t i = 0; i < bursts.size();) {
        const auto rest = std::span(bursts).subspan(i);
        std::span<const Burst> run = sameKeysRun(rest);
        const std::span<const Burst> evenOnes = evenRun(rest);
        const bool even = evenOnes.size() >= fewestBursts && 3 * evenOnes.size() > 2 * run.size();
        if (even) run = evenOnes;
        i += run.size();
        if (run.size() < (even ? fewestBursts : fewestUneven)) continue;
        if ((even ? gridOf(run).step : meanStepOf(run)) > 1.0 / slowestGate) continue;
        found.push_back(measured(sound, run, even, tuningCents));
    }
    // Three bursts alone say little.
    const bool enough = std::any_of(found.begin(), found.end(),
                                    [](const BurstRun& run) { return run.bursts >= static_cast<int>(fewestBursts); });
    if (!enough) found.clear();
    return found;
}

std::vector<Note> held(const std::vector<Note>& notes, std::span<const BurstRun> runs) {
    std::vector<Note> kept;
    std::size_t at = 0;
    for (const BurstRun& run : runs) {
        kept.insert(kept.end(), notes.begin() + static_cast<std::ptrdiff_t>(at),
                    notes.begin() + static_cast<std::ptrdiff_t>(run.first));
        at = run.first + run.count;
        double end = 0.0;
        for (std::size_t i = run.first; i < at; ++i) end = std::max(end, notes[i].end);
        for (std::size_t i = run.first; i < at && notes[i].start < notes[run.first].start + togetherWithin; ++i) {
            kept.push_back(notes[i]);
            kept.back().end = end;
        }
    }
    kept.insert(kept.end(), notes.begin() + static_cast<std::ptrdiff_t>(at), notes.end());
    return kept;
}

} // namespace facet
