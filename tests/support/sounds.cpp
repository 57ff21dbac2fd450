#include "tests/support/sounds.h"

#include "core/dsp/window.h"

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
