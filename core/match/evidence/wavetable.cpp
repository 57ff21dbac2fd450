#include "core/match/evidence/wavetable.h"

#include "core/analysis/facets/harmonics.h"
#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/parameters/module_data.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <fmt/format.h>
#include <numbers>

namespace facet {

namespace {

constexpr double turn = 2.0 * std::numbers::pi;
constexpr float silent = 1e-6f;

float peakOf(const std::vector<float>& x) {
    float peak = 0.0f;
    for (float v : x) peak = std::max(peak, std::abs(v));
    return peak;
}

/// One cycle of a frame's length by the Fourier series of one of another.
void appendCycle(const std::vector<float>& cycle, std::vector<float>& frames) {
    const auto n = static_cast<int>(cycle.size());
    const int partials = std::min((n - 1) / 2, tableFrameSamples / 2 - 1);
    std::vector<std::complex<double>> series(static_cast<std::size_t>(partials + 1));
    for (int k = 0; k <= partials; ++k)
        for (int i = 0; i < n; ++i)
            series[static_cast<std::size_t>(k)] +=
                static_cast<double>(cycle[static_cast<std::size_t>(i)]) * std::polar(1.0 / n, -turn * k * i / n);
    for (int i = 0; i < tableFrameSamples; ++i) {
        double sum = series[0].real();
        for (int k = 1; k <= partials; ++k)
            sum +=
                2.0 * (series[static_cast<std::size_t>(k)] * std::polar(1.0, turn * k * i / tableFrameSamples)).real();
        frames.push_back(static_cast<float>(sum));
    }
}

/// No sample of a table goes beyond full scale.
void tame(std::vector<float>& frames) {
    const float peak = peakOf(frames);
    if (peak > 1.0f)
        for (float& v : frames) v /= peak;
}

/// Cosine and sine of an angle that grows by equal steps.
struct Turned {
    double cosine, sine, stepCosine, stepSine;
    Turned(double angle, double step)
        : cosine(std::cos(angle)), sine(std::sin(angle)), stepCosine(std::cos(step)), stepSine(std::sin(step)) {}
    void advance() {
        const double next = cosine * stepCosine - sine * stepSine;
        sine = cosine * stepSine + sine * stepCosine;
        cosine = next;
    }
};

/// Complex amplitude of a frequency about an instant, in samples, by a Hann window of so many samples.
std::complex<double> amplitudeAt(const std::vector<float>& x, double center, double length, double perSample) {
    const int first = std::max(0, static_cast<int>(std::ceil(center - 0.5 * length)));
    const int last = std::min(static_cast<int>(std::floor(center + 0.5 * length)), static_cast<int>(x.size()) - 1);
    double real = 0.0, imaginary = 0.0, weights = 0.0;
    // Both turn by equal steps: a multiplication each. Over some thousand steps they lose 1e-12 at most.
    Turned window(turn * (first - center) / length, turn / length);
    Turned carrier(-turn * perSample * (first - center), -turn * perSample);
    for (int i = first; i <= last; ++i) {
        const double weight = 0.5 + 0.5 * window.cosine;
        const double weighted = weight * static_cast<double>(x[static_cast<std::size_t>(i)]);
        real += weighted * carrier.cosine;
        imaginary += weighted * carrier.sine;
        weights += weight;
        window.advance();
        carrier.advance();
    }
    return weights > 0.0 ? 2.0 / weights * std::complex<double>(real, imaginary) : 0.0;
}

} // namespace

std::vector<float> wavetableFromFile(const Recording& recording) {
    const std::vector<float>& x = recording.channels.at(0);
    if (peakOf(x) < silent) throw Error("This sound is silent; choose one that holds cycles of a wave.");
    std::vector<float> frames;
    if (x.size() % tableFrameSamples == 0 && x.size() / tableFrameSamples <= mostTableFrames)
        frames = x;
    else if (x.size() >= 4 && x.size() <= 2 * tableFrameSamples)
        appendCycle(x, frames);
    else
        throw Error(
            fmt::format("This sound of {} samples is no wavetable: one has cycles of {} samples each, {} at most, "
                        "or is a single cycle; take cycles out of a note instead.",
                        x.size(), tableFrameSamples, mostTableFrames));
    tame(frames);
    return frames;
}

std::vector<float> wavetableFromNote(const Recording& recording, double start, double end, double hz, int frames) {
    const std::vector<float> x = monoMix(recording);
    const double rate = recording.rateHz;
    const double length = 6.0 * rate / hz;
    const double first = std::max(0.0, start * rate) + 0.5 * length;
    const double last = std::min(end * rate, static_cast<double>(x.size())) - 0.5 * length;
    if (!(last >= first + 2.0 * rate / hz))
        throw Error("The note is too short for cycles to be taken out of it: it must last eight periods.");
    frames = std::clamp(frames, 1, mostTableFrames);
    const int partials = std::min(static_cast<int>(0.45 * rate / hz), tableFrameSamples / 2 - 1);
    std::vector<float> table;
    for (int f = 0; f < frames; ++f) {
        const double center = frames == 1 ? 0.5 * (first + last) : first + (last - first) * f / (frames - 1);
        // The pitch here: how far the first partial turns in a tenth of the window.
        const double hop = 0.1 * length;
        const auto before = amplitudeAt(x, center - 0.5 * hop, length, hz / rate);
        const auto after = amplitudeAt(x, center + 0.5 * hop, length, hz / rate);
        const double drift = std::abs(before) * std::abs(after) > 0.0
                                 ? std::remainder(std::arg(after / before) - turn * hz / rate * hop, turn) / turn / hop
                                 : 0.0;
        const double perSample = hz / rate + std::clamp(drift, -0.03 * hz / rate, 0.03 * hz / rate);
        const double origin = std::arg(amplitudeAt(x, center, length, perSample));
        std::vector<std::complex<double>> series;
        for (int k = 1; k <= partials; ++k)
            series.push_back(amplitudeAt(x, center, length, k * perSample) * std::polar(1.0, -k * origin));
        // The first partial is a sine from 0 on; what follows keeps its place beside it.
        for (int i = 0; i < tableFrameSamples; ++i) {
            const std::complex<double> step = std::polar(1.0, turn * i / tableFrameSamples - turn / 4.0);
            std::complex<double> place = step;
            double sum = 0.0;
            for (const auto& partial : series) {
                sum += (partial * place).real();
                place *= step;
            }
            table.push_back(static_cast<float>(sum));
        }
    }
    if (peakOf(table) < silent) throw Error("The note is silent; choose another part of the recording.");
    tame(table);
    return table;
}

PartialLevels partialsFromNote(const Recording& recording, double start, double end, double hz) {
    const Recording at48k = atRate(recording, analysisRateHz);
    const auto mono = monoMix(at48k);
    PartialMeter meter;
    constexpr int instants = 10;
    constexpr double standsOutDb = 6.0;
    std::array<double, partialCount> power{}, noise{};
    for (int i = 0; i < instants; ++i) {
        Partials between;
        const double at = start + (end - start) * (0.1 + 0.8 * i / (instants - 1.0));
        const Partials levels = meter.measure(mono, at, hz, &between);
        for (std::size_t n = 0; n < power.size(); ++n) {
            power[n] += std::pow(10.0, static_cast<double>(levels[n]) / 10.0) / instants;
            noise[n] += std::pow(10.0, static_cast<double>(between[n]) / 10.0) / instants;
        }
    }
    const double strongest = dbFromPower(*std::max_element(power.begin(), power.end()));
    if (strongest <= silenceDb + 1.0) throw Error("No partial is heard in that note; choose another one.");
    PartialLevels levels;
    for (std::size_t n = 0; n < power.size(); ++n) {
        const double db = dbFromPower(power[n]) - strongest;
        const bool heard = db > -80.0 && dbFromPower(power[n]) > dbFromPower(noise[n]) + standsOutDb;
        levels = withPartial(levels, static_cast<int>(n) + 1, heard ? std::round(10.0 * db) / 10.0 : absentPartialDb);
    }
    return levels;
}

} // namespace facet
