#include "core/match/evidence/line_width.h"

#include "core/analysis/series/track.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

namespace {

/// Second moment in Hz² of a window's own line.
double spreadOfWindow(std::span<const float> window, double rateHz) {
    double slopes = 0.0, power = 0.0;
    for (std::size_t i = 1; i < window.size(); ++i) {
        const double slope = (window[i] - window[i - 1]) * rateHz / (2.0 * std::numbers::pi);
        slopes += slope * slope;
        power += static_cast<double>(window[i]) * window[i];
    }
    return slopes / power;
}

} // namespace

double lineWidthCents(const Recording& recording, double start, double end, double hz) {
    constexpr double strike = 0.05, shortest = 0.3, longest = 1.2; // seconds
    constexpr double reach = 0.35;                                 // of the distance of two partials
    constexpr double highestHz = 10000.0, standsOut = 16.0;        // 12 dB
    constexpr int lowest = 3, highest = 20;
    const std::vector<float> sound = monoMix(recording);
    const double rate = recording.rateHz;
    const double first = std::max(0.0, start) + strike;
    const double seconds = std::min({end - first, longest, static_cast<double>(sound.size()) / rate - first});
    if (!(hz > 0.0) || seconds < shortest - strike) return notMeasurable;
    const auto length = static_cast<int>(seconds * rate);
    int size = 2;
    while (size < 2 * length) size *= 2;
    RealFft fft(size);
    const std::vector<float>& window = hannWindow(length);
    windowedFrame(sound, static_cast<int>(first * rate), window, fft.time());
    fft.forward();
    const auto bins = fft.bins();
    const double binHz = rate / size, windowSpread = spreadOfWindow(window, rate);
    std::vector<float> cents;
    for (int n = lowest; n <= highest && n * hz < std::min(highestHz, 0.45 * rate); ++n) {
        const auto from = static_cast<std::size_t>((n - reach) * hz / binHz);
        const auto to = std::min(bins.size(), static_cast<std::size_t>((n + reach) * hz / binHz) + 1);
        std::vector<double> power;
        for (std::size_t i = from; i < to; ++i) power.push_back(std::norm(bins[i]));
        if (power.size() < 8) continue;
        // What lies at both ends is noise, or what the neighbors leave there.
        const std::size_t edge = power.size() / 8;
        double floor = 0.0, strongest = 0.0;
        for (std::size_t i = 0; i < power.size(); ++i) {
            strongest = std::max(strongest, power[i]);
            if (i < edge || i >= power.size() - edge) floor += power[i] / static_cast<double>(2 * edge);
        }
        if (strongest < standsOut * floor) continue;
        double sum = 0.0, moment = 0.0, square = 0.0;
        for (std::size_t i = 0; i < power.size(); ++i) {
            const double above = std::max(0.0, power[i] - 2.0 * floor), at = binHz * static_cast<double>(from + i);
            sum += above;
            moment += above * at;
            square += above * at * at;
        }
        if (sum <= 0.0) continue;
        const double mean = moment / sum, variance = std::max(0.0, square / sum - mean * mean - windowSpread);
        cents.push_back(static_cast<float>(1200.0 / std::numbers::ln2 * std::sqrt(variance) / mean));
    }
    return cents.size() < 3 ? notMeasurable : medianOf(cents);
}

double detuneFromLineWidth(double spreadCents, int voices) {
    return spreadCents * std::sqrt(3.0 * (voices - 1) / (voices + 1));
}

} // namespace facet
