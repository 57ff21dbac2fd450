#include "core/analysis/separation.h"

#include "core/base/heavy_work.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

namespace facet {

namespace {

constexpr int medianLength = 17;

/// Median of up to medianLength values around `at` of a line of `count`, `stride` apart.
float medianAround(const float* line, int at, int count, int stride) {
    std::array<float, medianLength> values{};
    const int from = std::max(0, at - medianLength / 2);
    const int to = std::min(count, at + medianLength / 2 + 1);
    const int held = to - from;
    for (int i = 0; i < held; ++i)
        values[static_cast<std::size_t>(i)] = line[static_cast<std::ptrdiff_t>(from + i) * stride];
    const auto middle = values.begin() + held / 2;
    std::nth_element(values.begin(), middle, values.begin() + held);
    return *middle;
}

/// The tonal part of one channel.
std::vector<float> tonalPart(const std::vector<float>& sound, int size, const Task& task) {
    const int hop = size / 4;
    RealFft fft(size);
    const auto& window = hannWindow(size);
    const int bins = fft.binCount();
    const int frames = static_cast<int>(sound.size()) / hop + 5;
    std::vector<std::complex<float>> spectra(static_cast<std::size_t>(frames) * static_cast<std::size_t>(bins));
    std::vector<float> magnitude(spectra.size());
    const auto begin = [&](int frame) { return frame * hop - size + hop; };
    for (int f = 0; f < frames; ++f) {
        task.check();
        windowedFrame(sound, begin(f), window, fft.time());
        fft.forward();
        for (int b = 0; b < bins; ++b) {
            const auto at = static_cast<std::size_t>(f) * static_cast<std::size_t>(bins) + static_cast<std::size_t>(b);
            spectra[at] = fft.bins()[static_cast<std::size_t>(b)];
            magnitude[at] = std::abs(spectra[at]);
        }
    }
    std::vector<float> result(sound.size() + static_cast<std::size_t>(2 * size));
    // Squared Hann windows a quarter apart add up to 1.5; the inverse transform is not scaled.
    const float scale = 1.0f / (1.5f * static_cast<float>(size));
    for (int f = 0; f < frames; ++f) {
        task.check();
        const auto row = static_cast<std::size_t>(f) * static_cast<std::size_t>(bins);
        for (int b = 0; b < bins; ++b) {
            const float lasting = medianAround(magnitude.data() + b, f, frames, bins);
            const float brief = medianAround(magnitude.data() + row, b, bins, 1);
            const float total = lasting * lasting + brief * brief;
            const float mask = total > 0.0f ? lasting * lasting / total : 0.5f;
            fft.bins()[static_cast<std::size_t>(b)] = mask * spectra[row + static_cast<std::size_t>(b)];
        }
        fft.inverse();
        for (int i = 0; i < size; ++i) {
            const int to = begin(f) + i;
            if (to >= 0 && to < static_cast<int>(sound.size()))
                result[static_cast<std::size_t>(to)] +=
                    scale * window[static_cast<std::size_t>(i)] * fft.time()[static_cast<std::size_t>(i)];
        }
    }
    result.resize(sound.size());
    return result;
}

} // namespace

SeparatedSound separated(const Recording& recording, const Task& task) {
    announceHeavyWork("separated");
    int size = 1024;
    while (size < recording.rateHz * 0.06) size *= 2; // 4096 at 44.1 and 48 kHz
    SeparatedSound parts{{recording.rateHz, {}}, recording};
    for (std::size_t c = 0; c < recording.channels.size(); ++c) {
        parts.tonal.channels.push_back(tonalPart(recording.channels[c], size, task));
        for (std::size_t i = 0; i < recording.channels[c].size(); ++i)
            parts.struck.channels[c][i] -= parts.tonal.channels[c][i];
    }
    return parts;
}

} // namespace facet
