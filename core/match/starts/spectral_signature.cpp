#include "core/match/starts/spectral_signature.h"

#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace facet {

namespace {

constexpr int windowSize = 2048, hop = 512;
constexpr double bandsPerOctave = 4.0, octavesBelow = 1.25;
/// Seconds from the note's beginning, and from its end.
constexpr double sinceStart[] = {0.0, 0.02, 0.05, 0.1, 0.2, 0.35, 0.6, 1.0};
constexpr double sinceEnd[] = {0.0, 0.06, 0.16, 0.4};
constexpr int startSlices = 7, endSlices = 3;
static_assert(startSlices + endSlices == signatureSlices);

struct Slice {
    double begin, end;
};

std::array<Slice, signatureSlices> slicesOf(double start, double end, double until) {
    std::array<Slice, signatureSlices> slices{};
    for (int i = 0; i < startSlices; ++i)
        slices[static_cast<std::size_t>(i)] = {start + sinceStart[i], std::min(end, start + sinceStart[i + 1])};
    for (int i = 0; i < endSlices; ++i)
        slices[static_cast<std::size_t>(startSlices + i)] = {end + sinceEnd[i], end + sinceEnd[i + 1]};
    for (Slice& slice : slices) slice.end = slice.begin < until - 0.01 ? std::min(slice.end, until) : slice.begin;
    return slices;
}

} // namespace

double Signature::distanceTo(const Signature& other) const {
    int sum = 0, count = 0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i] == unknown || other.levels[i] == unknown) continue;
        sum += std::abs(static_cast<int>(levels[i]) - static_cast<int>(other.levels[i]));
        ++count;
    }
    if (count < static_cast<int>(levels.size()) / 8) return std::numeric_limits<double>::infinity();
    return 0.5 * sum / count;
}

std::optional<Signature> signatureOf(const Recording& recording48k, double start, double end, double until, double hz,
                                     double upperHz) {
    const double rate = recording48k.rateHz;
    const auto& window = hannWindow(windowSize);
    RealFft fft(windowSize);
    std::array<double, static_cast<std::size_t>(signatureBands * signatureSlices)> power{};
    std::array<bool, static_cast<std::size_t>(signatureSlices)> filled{};
    // Bins of each band; a band too narrow for one takes the nearest.
    std::array<std::pair<int, int>, static_cast<std::size_t>(signatureBands)> bins{};
    for (int band = 0; band < signatureBands; ++band) {
        const double low = hz * std::exp2(band / bandsPerOctave - octavesBelow);
        const double high = low * std::exp2(1.0 / bandsPerOctave);
        if (high > std::min(upperHz, 0.5 * rate)) continue;
        const int first = static_cast<int>(std::ceil(low * windowSize / rate));
        const int last = static_cast<int>(std::ceil(high * windowSize / rate));
        const int nearest = static_cast<int>(std::lround(std::sqrt(low * high) * windowSize / rate));
        bins[static_cast<std::size_t>(band)] = last > first ? std::pair{first, last} : std::pair{nearest, nearest + 1};
    }
    const auto slices = slicesOf(start, end, until);
    for (int s = 0; s < signatureSlices; ++s) {
        const Slice& slice = slices[static_cast<std::size_t>(s)];
        if (slice.end - slice.begin < 0.005) continue;
        const int frames = std::max(1, static_cast<int>((slice.end - slice.begin) * rate / hop));
        for (int f = 0; f < frames; ++f) {
            const double middle = slice.begin + (slice.end - slice.begin) * (f + 0.5) / frames;
            const int from = static_cast<int>(std::lround(middle * rate)) - windowSize / 2;
            if (from + windowSize / 2 >= recording48k.frameCount()) break;
            filled[static_cast<std::size_t>(s)] = true;
            for (const auto& channel : recording48k.channels) {
                windowedFrame(channel, from, window, fft.time());
                fft.forward();
                const auto spectrum = fft.bins();
                for (int band = 0; band < signatureBands; ++band) {
                    const auto [first, last] = bins[static_cast<std::size_t>(band)];
                    double sum = 0.0;
                    for (int bin = first; bin < last; ++bin)
                        sum += static_cast<double>(std::norm(spectrum[static_cast<std::size_t>(bin)]));
                    power[static_cast<std::size_t>(s * signatureBands + band)] += sum / frames;
                }
            }
        }
    }
    const double most = *std::max_element(power.begin(), power.end());
    if (most <= 0.0) return std::nullopt;
    Signature signature;
    for (int s = 0; s < signatureSlices; ++s)
        for (int band = 0; band < signatureBands; ++band) {
            const auto at = static_cast<std::size_t>(s * signatureBands + band);
            const bool seen = filled[static_cast<std::size_t>(s)] && bins[static_cast<std::size_t>(band)].second > 0;
            const double below = -20.0 * std::log10(std::max(power[at] / most, 1e-12)); // half decibels
            signature.levels[at] =
                seen ? static_cast<std::uint8_t>(std::min<double>(Signature::floor, std::round(below)))
                     : Signature::unknown;
        }
    return signature;
}

} // namespace facet
