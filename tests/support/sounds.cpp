#include "tests/support/sounds.h"

#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace facet::testing {

Recording soundOf(double seconds, int rateHz, const std::function<double(double)>& value) {
    Recording recording{rateHz, {{}}};
    const int frames = static_cast<int>(std::lround(seconds * rateHz));
    for (int i = 0; i < frames; ++i)
        recording.channels[0].push_back(static_cast<float>(value(static_cast<double>(i) / rateHz)));
    return recording;
}

double sawAt(double hz, double seconds) {
    double sum = 0.0;
    for (int n = 1; n * hz < 20000.0; ++n) sum += std::sin(2.0 * std::numbers::pi * n * hz * seconds) / n;
    return sum * 2.0 / std::numbers::pi;
}

Recording later(const Recording& sound, double samples) {
    constexpr int reach = 24;
    Recording moved = sound;
    for (std::size_t c = 0; c < sound.channels.size(); ++c)
        for (int i = 0; i < sound.frameCount(); ++i) {
            double sum = 0.0;
            for (int k = std::max(0, i - reach); k <= std::min(sound.frameCount() - 1, i + reach); ++k) {
                const double x = i - k - samples;
                const double sinc = std::abs(x) < 1e-9 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x);
                const double window = 0.5 + 0.5 * std::cos(std::numbers::pi * x / (reach + 1));
                sum += sinc * window * static_cast<double>(sound.channels[c][static_cast<std::size_t>(k)]);
            }
            moved.channels[c][static_cast<std::size_t>(i)] = static_cast<float>(sum);
        }
    return moved;
}

Performance oneNote(int key, double start, double end, double seconds, int rateHz, int channels) {
    Performance performance;
    performance.notes.push_back({start, end, key, 0.0, 100.0});
    performance.frames = static_cast<int>(std::lround(seconds * rateHz));
    performance.rateHz = rateHz;
    performance.channelCount = channels;
    return performance;
}

double componentDb(const std::vector<float>& x, int begin, int size, double hz, double rateHz) {
    const auto window = blackmanHarrisWindow(size);
    std::complex<double> sum = 0.0;
    double weight = 0.0;
    for (int i = 0; i < size; ++i) {
        const double w = window[static_cast<std::size_t>(i)];
        sum += w * x[static_cast<std::size_t>(begin + i)] * std::polar(1.0, -2.0 * std::numbers::pi * hz * i / rateHz);
        weight += w;
    }
    return 20.0 * std::log10(2.0 * std::abs(sum) / weight + 1e-15);
}

} // namespace facet::testing
