#include "core/compare/loss.h"

#include "core/analysis/facets/onset_sweep.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/analysis/series/track.h"
#include "core/base/heavy_work.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/mel.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace mel_spectra {

struct Resolution {
    int size; ///< samples
    int hop;
    int bands;
};
using Resolutions = std::array<Resolution, 3>;
constexpr Resolutions at48k{{{4096, 2048, 128}, {1024, 512, 64}, {256, 128, 24}}};
constexpr Resolutions at24k{{{2048, 1024, 128}, {512, 256, 64}, {128, 64, 24}}};
const Resolutions& resolutionsAt(int rateHz) { return rateHz == analysisRateHz ? at48k : at24k; }

} // namespace mel_spectra

using namespace mel_spectra;

namespace {

constexpr float floorPower = 1e-7f; ///< −70 dB
constexpr float sideShare = 0.07f;
constexpr float levelShare = 0.2f;                     ///< dB of loss per dB of mean deviation
constexpr std::size_t leveled = 1;                     ///< the resolution whose frames give the level over time
constexpr float quietLow = 1e-6f, quietHigh = 3.2e-5f; ///< −60 and −45 dB re the highest level: silence is between
constexpr float pitchShare = 0.1f;                     ///< dB of loss per cent of mean deviation
constexpr double mostCents =
    40.0; ///< beyond it the spectra differ anyway; nor may a pitch that is hard to read outweigh them
constexpr int pitchedNotes = 4;
constexpr float sweepShare = 0.03f; ///< dB of loss per cent of mean deviation on the way of a fast sweep
constexpr double mostSweptCents = 200.0;

double energyOf(const Recording& recording) {
    constexpr std::size_t piece = 4096; // short enough for single precision within
    double energy = 0.0;
    for (const auto& channel : recording.channels)
        for (std::size_t i = 0; i < channel.size(); i += piece) {
            const float* x = channel.data() + i;
            energy += static_cast<double>(dotProduct(x, x, static_cast<int>(std::min(piece, channel.size() - i))));
        }
    return energy;
}

} // namespace

struct Loss::Impl {
    /// One thread's transforms.
    struct Workspace {
        std::vector<RealFft> ffts;
        std::vector<float> power;
        explicit Workspace(const Resolutions& resolutions) {
            power.resize(static_cast<std::size_t>(resolutions.front().size / 2 + 1));
            for (const auto& r : resolutions) ffts.emplace_back(r.size);
        }
    };
    Workspace& workspace() const {
        static thread_local Workspace space48k(at48k), space24k(at24k);
        return &resolutions == &at48k ? space48k : space24k;
    }

    struct PitchPoint {
        double seconds;
        double hz;
    };
    /// Notes that begin off their pitch: the cycles on the way to it.
    struct SweptNote {
        double start, end, hz;
        std::vector<OnsetCycle> cycles;
    };

    int rateHz;
    const Resolutions& resolutions;
    std::vector<MelBank> banks;
    std::array<std::vector<float>, 3> windows;
    std::array<Eigen::VectorXf, 3> perFloor; ///< 1 / the power below which a band counts as silent, by resolution
    std::array<Eigen::VectorXf, 3> mid;
    Eigen::VectorXf side;
    Eigen::VectorXf levels;
    float quietestEnergy = 0.0f;
    std::vector<PitchPoint> pitchPoints;
    std::vector<SweptNote> sweptNotes;
    Eigen::Index sweptCycles = 0; ///< of all of them
    Attention attention;
    int frames;
    bool stereo;
    double referenceEnergy;

    Impl(const Recording& reference, const Performance& performance, double lowerHz, double upperHz)
        : rateHz(reference.rateHz), resolutions(resolutionsAt(rateHz)), frames(reference.frameCount()),
          stereo(reference.channelCount() == 2), referenceEnergy(energyOf(reference)) {
        upperHz = std::min(upperHz, 0.45 * rateHz);
        for (std::size_t r = 0; r < resolutions.size(); ++r) {
            banks.emplace_back(resolutions[r].bands, std::min(lowerHz, 0.5 * upperHz), upperHz, resolutions[r].size,
                               rateHz);
            windows[r] = hannWindow(resolutions[r].size);
        }
        const auto mono = monoMix(reference);
        for (std::size_t r = 0; r < resolutions.size(); ++r) {
            perFloor[r] = Eigen::VectorXf::Ones(resolutions[r].bands);
            const Eigen::VectorXf power = melPower(mono, r, 1.0f);
            perFloor[r] = floorsOf(power, banks[r]).cwiseInverse();
            mid[r] = toDb(melPower(mono, r, 1.0f));
        }
        const Eigen::VectorXf energies = frameEnergies(mono);
        quietestEnergy = silenceOf(energies);
        levels = levelsOf(energies, 1.0f);
        if (stereo) side = toDb(melPower(sideOf(reference), 1, 1.0f));
        findPitchPoints(mono, performance);
    }

    /// All of it, or what is attended to, which `kept` then holds.
    const Recording& heardOf(const Recording& whole, Recording& kept) const {
        if (attention.everything()) return whole; // saves a copy of each candidate
        kept = attended(whole, attention);
        return kept;
    }

    /// Power by which a candidate comes to the reference's energy.
    float gainFor(const Recording& candidate) const {
        const double energy = energyOf(candidate);
        return static_cast<float>(energy > 1e-12 ? referenceEnergy / energy : 0.0);
    }

    /// Of the windowed frames.
    Eigen::VectorXf frameEnergies(const std::vector<float>& mono) const {
        const Resolution& res = resolutions[leveled];
        Eigen::VectorXf energies(std::max(1, frames / res.hop + 1));
        const auto windowed = workspace().ffts[leveled].time();
        for (int f = 0; f < static_cast<int>(energies.size()); ++f) {
            const int begin = f * res.hop - res.size / 2;
            const int from = std::clamp(-begin, 0, res.size);
            const int to = std::clamp(frames - begin, from, res.size);
            energies(f) = multiplyByWindow(mono.data() + begin + from, windows[leveled].data() + from,
                                           windowed.data() + from, to - from);
        }
        return energies;
    }

    /// Below this a level is silence: what steady noise hardly exceeds; a tail that falls through the quiet moments is
    /// none.
    static float silenceOf(const Eigen::VectorXf& energies) {
        std::vector<float> sorted(energies.begin(), energies.end());
        std::sort(sorted.begin(), sorted.end());
        const float p10 = sorted[sorted.size() / 10], p25 = sorted[sorted.size() / 4];
        const float highest = std::max(1e-7f, sorted.back());
        const float noise = p25 < 2.0f * p10 ? 2.0f * p10 : 0.0f;
        return std::clamp(noise, quietLow * highest, quietHigh * highest);
    }

    /// In dB above silence.
    Eigen::VectorXf levelsOf(const Eigen::VectorXf& energies, float powerGain) const {
        return toDb(energies * (powerGain / quietestEnergy));
    }

    static std::vector<float> sideOf(const Recording& recording) {
        std::vector<float> difference(static_cast<std::size_t>(recording.frameCount()));
        for (std::size_t i = 0; i < difference.size(); ++i)
            difference[i] = 0.5f * (recording.channels[0][i] - recording.channels[1][i]);
        return difference;
    }

    /// `power` in units of the floors.
    static Eigen::VectorXf toDb(const Eigen::VectorXf& power) {
        Eigen::VectorXf levels(power.size());
        decibelsAbove(power.data(), 1.0f, levels.data(), static_cast<int>(power.size()));
        return levels;
    }

    /// 70 dB below the highest band, or what the noise that a band never falls below hardly ever exceeds: the
    /// recording's own noise, which is not for a patch to rebuild. Nothing louder than 60 dB below the highest band is
    /// taken for it.
    static Eigen::VectorXf floorsOf(const Eigen::VectorXf& power, const MelBank& bank) {
        constexpr float loudestNoise = 1e-6f; // −60 dB
        const int bands = bank.bandCount();
        const float highest = std::max(1e-13f, power.maxCoeff());
        const auto count = static_cast<std::size_t>(power.size() / bands);
        Eigen::VectorXf floors(bands);
        std::vector<float> levels(count);
        for (int b = 0; b < bands; ++b) {
            for (std::size_t t = 0; t < count; ++t) levels[t] = power(static_cast<Eigen::Index>(t) * bands + b);
            const auto percentile = [&](double share) {
                const auto at = levels.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(count));
                std::nth_element(levels.begin(), at, levels.end());
                return *at;
            };
            constexpr float fallsThrough = 1.5f; // what quiet moments differ by beyond chance is a tail, no noise
            const auto noise = NoiseQuantiles::inBand(bank.binsOf(b));
            const float quiet = percentile(0.1);
            const bool steady = percentile(0.25) < fallsThrough * noise.p25 / noise.p10 * quiet;
            const float range = steady ? noise.p99 / noise.p10 : 2.0f;
            floors(b) = std::clamp(range * quiet, floorPower * highest, loudestNoise * highest);
        }
        return floors;
    }

    /// The power of steady noise in a band of so many bins, re its mean: a χ² of twice as many degrees of freedom, by
    /// the cube-root approximation (E. B. Wilson, M. M. Hilferty, "The distribution of chi-square", PNAS 17, 1931);
    /// Hann's window lets two thirds of the bins be independent.
    struct NoiseQuantiles {
        float p10, p25, p99;
        static NoiseQuantiles inBand(double bins) {
            const double spread = 2.0 / (9.0 * std::max(2.0, 2.0 * bins / 1.5));
            const auto quantile = [spread](double deviations) {
                return static_cast<float>(std::pow(1.0 - spread + deviations * std::sqrt(spread), 3.0));
            };
            return {quantile(-1.282), quantile(-0.674), quantile(2.326)};
        }
    };

    /// Mel power of all frames, bands running fastest, scaled by a power gain.
    Eigen::VectorXf melPower(const std::vector<float>& mono, std::size_t r, float powerGain) const {
        const Resolution& res = resolutions[r];
        Workspace& space = workspace();
        RealFft& fft = space.ffts[r];
        const int count = std::max(1, frames / res.hop + 1);
        Eigen::VectorXf out(count * res.bands);
        const auto time = fft.time();
        const auto bins = fft.bins();
        const float scale = powerGain / (0.25f * static_cast<float>(res.size) * static_cast<float>(res.size) * 0.25f);
        for (int f = 0; f < count; ++f) {
            const int begin = f * res.hop - res.size / 2;
            const int from = std::clamp(-begin, 0, res.size);
            const int to = std::clamp(frames - begin, from, res.size);
            std::fill(time.begin(), time.begin() + from, 0.0f);
            const float* in = mono.data() + begin + from;
            const float* w = windows[r].data() + from;
            float* t = time.data() + from;
            const float energy = multiplyByWindow(in, w, t, to - from);
            std::fill(time.begin() + to, time.end(), 0.0f);
            auto bands = out.segment(f * res.bands, res.bands);
            if (energy < 1e-16f) { // silence needs no transform
                bands.setZero();
                continue;
            }
            fft.forward();
            squaredMagnitudes(bins.data(), space.power.data(), fft.binCount());
            banks[r].apply(std::span(space.power).first(bins.size()),
                           std::span(bands.data(), static_cast<std::size_t>(res.bands)));
            bands.array() *= scale * perFloor[r].array();
        }
        return out;
    }

    /// Well into a note, but while it still sounds.
    double wherePitchIsHeard(const std::vector<float>& mono, const Note& note) const {
        constexpr double faded = 0.1; // of its highest level
        constexpr int places = 7;     // tenths of the note
        std::array<double, places> energies{};
        const double tenth = 0.1 * (note.end - note.start);
        for (int i = 0; i < places; ++i) {
            const auto from = static_cast<std::size_t>(std::max(0.0, (note.start + tenth * i) * rateHz));
            const auto to = std::min(mono.size(), from + static_cast<std::size_t>(tenth * rateHz) + 1);
            for (std::size_t k = std::min(from, to); k < to; ++k)
                energies[static_cast<std::size_t>(i)] += static_cast<double>(mono[k] * mono[k]);
        }
        const double heard = faded * faded * *std::max_element(energies.begin(), energies.end());
        int last = places;
        while (last > 1 && energies[static_cast<std::size_t>(last - 1)] < heard) --last;
        return note.start + tenth * last;
    }

    void findPitchPoints(const std::vector<float>& mono, const Performance& performance) {
        std::vector<const Note*> longest;
        for (const Note& note : performance.notes) longest.push_back(&note);
        std::stable_sort(longest.begin(), longest.end(),
                         [](const Note* a, const Note* b) { return a->end - a->start > b->end - b->start; });
        for (const Note* note : longest) {
            if (pitchPoints.size() >= pitchedNotes) break;
            const double expected = hzFromKey(note->key + note->cents / 100.0, performance.tuningCents);
            const double at = wherePitchIsHeard(mono, *note);
            const double hz = refinePitch(mono, at, expected, allPartials, rateHz);
            if (!isMeasured(hz) || std::abs(centsBetween(expected, hz)) > 100.0) continue;
            // What reads otherwise a moment later is noise, or on its way.
            const double again = refinePitch(mono, at - 0.02, expected, allPartials, rateHz);
            if (!isMeasured(again) || std::abs(centsBetween(hz, again)) >= mostCents / 2.0) continue;
            pitchPoints.push_back({at, hz});
            findSweep(mono, *note, hz);
        }
    }

    void findSweep(const std::vector<float>& mono, const Note& note, double hz) {
        constexpr double arrived = 20.0; // cents
        std::vector<OnsetCycle> cycles = onsetCycles(mono, note.start, note.end, hz, rateHz);
        const OnsetSweep sweep = sweepOf(cycles, note.start);
        if (!isMeasured(sweep.cents)) return;
        std::erase_if(cycles, [&](const OnsetCycle& cycle) {
            const double way = sweptCents(sweep, cycle.seconds - note.start);
            return std::abs(way) < arrived || std::abs(cycle.cents - way) > strayCents;
        });
        sweptCycles += static_cast<Eigen::Index>(cycles.size());
        sweptNotes.push_back({note.start, note.end, hz, std::move(cycles)});
    }

    /// By how many cents a candidate is off at each cycle of the reference's sweep, within what counts.
    std::vector<double> sweptApart(const SweptNote& note, const std::vector<float>& mono) const {
        const std::vector<OnsetCycle> found = onsetCycles(mono, note.start, note.end, note.hz, rateHz);
        std::vector<double> apart;
        std::size_t next = 0;
        for (const OnsetCycle& cycle : note.cycles) {
            if (found.empty()) {
                apart.push_back(mostSweptCents);
                continue;
            }
            while (next + 1 < found.size() && found[next].seconds < cycle.seconds) ++next;
            double cents = found[next].cents;
            if (next > 0 && found[next].seconds > cycle.seconds) {
                const OnsetCycle& before = found[next - 1];
                cents = std::lerp(before.cents, cents,
                                  (cycle.seconds - before.seconds) / (found[next].seconds - before.seconds));
            }
            apart.push_back(std::clamp(cents - cycle.cents, -mostSweptCents, mostSweptCents));
        }
        return apart;
    }
};

Loss::Loss(const Recording& reference, const Performance& performance, double lowerHz, double upperHz,
           Attention attention)
    : impl_(std::make_unique<Impl>(attended(reference, attention), attendedNotes(performance, attention.leftOut),
                                   lowerHz, upperHz)) {
    impl_->attention = std::move(attention);
}
Loss::~Loss() = default;
Loss::Loss(Loss&&) noexcept = default;

Eigen::VectorXf Loss::levelDifference(const Recording& whole) const {
    const Impl& m = *impl_;
    Recording attendedTo;
    const Recording& candidate = m.heardOf(whole, attendedTo);
    return m.levelsOf(m.frameEnergies(monoMix(candidate)), m.gainFor(candidate)) - m.levels;
}

Eigen::VectorXf Loss::residual(const Recording& whole) const {
    announceHeavyWork("residual");
    const Impl& m = *impl_;
    Recording attendedTo;
    const Recording& candidate = m.heardOf(whole, attendedTo);
    const float gain = m.gainFor(candidate);
    const auto mono = monoMix(candidate);
    Eigen::Index total =
        m.levels.size() + m.side.size() + static_cast<Eigen::Index>(m.pitchPoints.size()) + m.sweptCycles;
    for (const auto& part : m.mid) total += part.size();
    Eigen::VectorXf residual(total);
    Eigen::Index at = 0;
    const auto parts = static_cast<float>(m.mid.size());
    const auto all = static_cast<float>(total);
    // Each part weighs by its share, not by how many numbers it happens to have.
    for (std::size_t r = 0; r < m.mid.size(); ++r) {
        const float weight = all / (parts * static_cast<float>(m.mid[r].size()));
        residual.segment(at, m.mid[r].size()) = weight * (Impl::toDb(m.melPower(mono, r, gain)) - m.mid[r]);
        at += m.mid[r].size();
    }
    residual.segment(at, m.levels.size()) =
        levelShare * all / static_cast<float>(m.levels.size()) * (m.levelsOf(m.frameEnergies(mono), gain) - m.levels);
    at += m.levels.size();
    if (m.stereo) {
        const float weight = sideShare * all / static_cast<float>(m.side.size());
        residual.segment(at, m.side.size()) =
            weight * (Impl::toDb(m.melPower(Impl::sideOf(candidate), 1, gain)) - m.side);
        at += m.side.size();
    }
    for (const auto& point : m.pitchPoints) {
        const double hz = refinePitch(mono, point.seconds, point.hz, allPartials, m.rateHz);
        const double cents =
            isMeasured(hz) && hz > 0.0 ? std::clamp(centsBetween(point.hz, hz), -mostCents, mostCents) : mostCents;
        residual(at++) = pitchShare * all / static_cast<float>(m.pitchPoints.size()) * static_cast<float>(cents);
    }
    for (const auto& note : m.sweptNotes)
        for (const double cents : m.sweptApart(note, mono))
            residual(at++) = sweepShare * all / static_cast<float>(m.sweptCycles) * static_cast<float>(cents);
    return residual;
}

double Loss::value(const Eigen::VectorXf& residual) { return residual.cwiseAbs().cast<double>().mean(); }

double upperCutoffHz(const Recording& recording48k, int originalRateHz) {
    constexpr int size = 4096;
    const auto mono = monoMix(recording48k);
    RealFft fft(size);
    const auto& window = blackmanHarrisWindow(size);
    std::vector<double> power(static_cast<std::size_t>(fft.binCount()));
    for (std::size_t begin = 0; begin + size <= mono.size(); begin += size / 2) {
        for (std::size_t i = 0; i < size; ++i) fft.time()[i] = window[i] * mono[begin + i];
        fft.forward();
        for (std::size_t b = 0; b < power.size(); ++b)
            power[b] = std::max(power[b], static_cast<double>(std::norm(fft.bins()[b])));
    }
    const double highest = std::min(20000.0, 0.45 * originalRateHz);
    const double loudest = *std::max_element(power.begin(), power.end());
    if (loudest <= 0.0) return highest;
    for (std::size_t b = power.size(); b-- > 0;)
        if (power[b] > 3e-9 * loudest) // −85 dB, above the window's own side lobes
            return std::clamp(static_cast<double>(b) * analysisRateHz / size, 2000.0, highest);
    return highest;
}

} // namespace facet
