#include "core/analysis/notes/chords.h"

#include "core/audio/recording.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

// A longer window than the paper's 93 ms: synthesizer chords last, and their lowest notes lie closer.
constexpr int windowFrames = 8192;
constexpr int transformFrames = 16384;
constexpr double binHz = static_cast<double>(analysisRateHz) / transformFrames;
constexpr double windowSeconds = static_cast<double>(windowFrames) / analysisRateHz;
// The paper's values, from memory.
constexpr double whitening = 0.33;
constexpr double weightNear = 52.0;
constexpr double weightFar = 320.0;
constexpr double growth = 0.7;
constexpr int partialsSummed = 20;
constexpr int stepsPerOctave = 60;
constexpr double noiseFlatness = 0.3; // tones in noise lie far below

struct Spectrometer {
    RealFft fft{transformFrames};
    std::vector<float> window = hannWindow(windowFrames);
};

double bandCenter(int band) { return 229.0 * (std::pow(10.0, (band + 1) / 21.4) - 1.0); }

/// Magnitudes with the coarse spectral shape taken out.
std::vector<float> whitenedSpectrum(std::span<const float> mono48k, double seconds) {
    static thread_local Spectrometer meter;
    const int begin = static_cast<int>(std::lround(seconds * analysisRateHz)) - windowFrames / 2;
    windowedFrame(mono48k, begin, meter.window, meter.fft.time());
    meter.fft.forward();
    const auto bins = meter.fft.bins();
    std::vector<float> spectrum(bins.size());
    for (std::size_t k = 0; k < bins.size(); ++k) spectrum[k] = std::abs(bins[k]);

    // Gain at the center of each critical band, in between a straight line (section 2.1).
    constexpr int bands = 30;
    std::array<double, bands + 2> gain{};
    for (int b = 1; b <= bands; ++b) {
        const double low = bandCenter(b - 1);
        const double center = bandCenter(b);
        const double high = bandCenter(b + 1);
        double power = 0.0;
        for (auto k = static_cast<std::size_t>(low / binHz);
             k < spectrum.size() && static_cast<double>(k) * binHz < high; ++k) {
            const double hz = static_cast<double>(k) * binHz;
            const double weight = hz < center ? (hz - low) / (center - low) : (high - hz) / (high - center);
            power += std::max(0.0, weight) * spectrum[k] * spectrum[k];
        }
        gain[static_cast<std::size_t>(b)] = std::pow(std::sqrt(power / transformFrames) + 1e-9, whitening - 1.0);
    }
    gain[0] = gain[1];
    gain[bands + 1] = gain[bands];
    int band = 0;
    for (std::size_t k = 0; k < spectrum.size(); ++k) {
        const double hz = static_cast<double>(k) * binHz;
        while (band < bands && bandCenter(band + 1) < hz) ++band;
        const double share = std::clamp((hz - bandCenter(band)) / (bandCenter(band + 1) - bandCenter(band)), 0.0, 1.0);
        const auto b = static_cast<std::size_t>(band);
        spectrum[k] *= static_cast<float>(gain[b] + share * (gain[b + 1] - gain[b]));
    }
    return spectrum;
}

/// Geometric over arithmetic mean of the power up to 5 kHz: 0.56 in expectation for white noise (e to the −γ, the means
/// of an exponential distribution), near 0 for partials.
double flatness(const std::vector<float>& spectrum) {
    double logs = 0.0;
    double sum = 0.0;
    const auto count = static_cast<std::size_t>(5000.0 / binHz);
    for (std::size_t k = 1; k <= count; ++k) {
        const double power = static_cast<double>(spectrum[k]) * spectrum[k] + 1e-20;
        logs += std::log(power);
        sum += power;
    }
    return std::exp(logs / static_cast<double>(count)) / (sum / static_cast<double>(count));
}

double partialWeight(double hz, int n) { return (hz + weightNear) / (n * hz + weightFar); }

/// Strongest bin where partial n of a fundamental lies, within half a step of the grid.
std::size_t partialBin(const std::vector<float>& spectrum, double hz, int n) {
    const double spread = std::exp2(0.5 / stepsPerOctave);
    const auto low = static_cast<std::size_t>(std::max(1.0, std::floor(n * hz / spread / binHz)));
    const auto high = std::min(spectrum.size() - 1, static_cast<std::size_t>(std::ceil(n * hz * spread / binHz)));
    return static_cast<std::size_t>(
        std::max_element(spectrum.begin() + static_cast<std::ptrdiff_t>(low),
                         spectrum.begin() + static_cast<std::ptrdiff_t>(std::max(low, high)) + 1) -
        spectrum.begin());
}

int partialsOf(double hz) { return std::min(partialsSummed, static_cast<int>(0.4 * analysisRateHz / hz)); }

double salienceOf(const std::vector<float>& spectrum, double hz) {
    double sum = 0.0;
    for (int n = 1; n <= partialsOf(hz); ++n) sum += partialWeight(hz, n) * spectrum[partialBin(spectrum, hz, n)];
    return sum;
}

/// Takes the partials of a found note out of what remains, each by its weight, so that notes in simple ratios to it
/// lose only what a single note's partials would give them.
void cancel(std::vector<float>& rest, double hz) {
    const auto lobe = static_cast<int>(std::ceil(2.0 * transformFrames / windowFrames));
    for (int n = 1; n <= partialsOf(hz); ++n) {
        const auto peak = static_cast<int>(partialBin(rest, hz, n));
        const float amplitude = rest[static_cast<std::size_t>(peak)];
        const auto weight = static_cast<float>(partialWeight(hz, n));
        for (int k = std::max(0, peak - lobe); k <= std::min(static_cast<int>(rest.size()) - 1, peak + lobe); ++k) {
            // Shape of a Hann window's main lobe, a cosine in good approximation.
            const float shape =
                std::cos(0.5f * 3.14159265f * static_cast<float>(k - peak) / static_cast<float>(lobe + 1));
            float& value = rest[static_cast<std::size_t>(k)];
            value = std::max(0.0f, value - std::min(1.0f, 2.0f * weight) * amplitude * shape);
        }
    }
}

} // namespace

std::vector<SoundingNote> notesSoundingAt(std::span<const float> mono48k, double seconds,
                                          const ChordSettings& settings) {
    std::vector<float> rest = whitenedSpectrum(mono48k, seconds);
    std::vector<SoundingNote> found;
    if (flatness(rest) > noiseFlatness) return found;
    double sum = 0.0;
    double best = 0.0;
    const int steps = static_cast<int>(stepsPerOctave * std::log2(settings.highestHz / settings.lowestHz));
    for (int count = 1; count <= settings.mostNotes; ++count) {
        SoundingNote strongest{0.0, 0.0};
        for (int i = 0; i <= steps; ++i) {
            const double hz = settings.lowestHz * std::exp2(static_cast<double>(i) / stepsPerOctave);
            const double salience = salienceOf(rest, hz);
            if (salience > strongest.salience) strongest = {hz, salience};
        }
        sum += strongest.salience;
        const double score = sum / std::pow(count, growth);
        if (strongest.salience < 1e-4 || score <= best) break;
        best = score;
        // What cancelation left of a note is not another one.
        const auto same = [&](const SoundingNote& n) { return std::abs(std::log2(n.hz / strongest.hz)) < 0.5 / 12.0; };
        if (std::none_of(found.begin(), found.end(), same)) found.push_back(strongest);
        cancel(rest, strongest.hz);
    }
    const double top = found.empty() ? 1.0 : found.front().salience;
    for (auto& note : found) note.salience /= top;
    return found;
}

} // namespace facet
