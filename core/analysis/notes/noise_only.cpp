#include "core/analysis/notes/noise_only.h"

#include "core/audio/recording.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

constexpr int frameSize = 4096;
constexpr int bandBins = 16; ///< 190 Hz: narrower than a filter's peak, wider than a partial
constexpr int lowestBin = 4, highestBin = 1400;
constexpr int mostMoments = 200;
constexpr double silentShare = 1e-3; ///< of the power: bands below say nothing

double flatnessAt(RealFft& fft, const HeardSound& sound, double seconds) {
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - frameSize / 2, hannWindow(frameSize),
                  fft.time());
    fft.forward();
    std::vector<double> power;
    double total = 1e-20;
    for (int b = lowestBin; b < highestBin; ++b) {
        power.push_back(std::norm(fft.bins()[static_cast<std::size_t>(b)]) + 1e-20);
        total += power.back();
    }
    double flat = 0.0, weights = 0.0;
    for (std::size_t from = 0; from + bandBins <= power.size(); from += bandBins) {
        double sum = 0.0, logs = 0.0;
        for (std::size_t b = from; b < from + bandBins; ++b) {
            sum += power[b];
            logs += std::log(power[b]);
        }
        if (sum < silentShare * total) continue;
        flat += sum * std::exp(logs / bandBins) / (sum / bandBins);
        weights += sum;
    }
    return weights > 0.0 ? flat / weights : 0.0;
}

} // namespace

double bandFlatnessOf(const HeardSound& sound) {
    const double step = std::max(512.0 / analysisRateHz, sound.seconds() / mostMoments);
    RealFft fft(frameSize);
    std::vector<double> flat;
    for (double t = 0.5 * frameSize / analysisRateHz; t < sound.seconds(); t += step) {
        sound.task.check();
        if (sound.coarse.at(t) > sound.loudest - chordRangeDb) flat.push_back(flatnessAt(fft, sound, t));
    }
    if (flat.empty()) return 0.0;
    const auto quarter = flat.begin() + static_cast<std::ptrdiff_t>(flat.size() / 4);
    std::nth_element(flat.begin(), quarter, flat.end());
    return *quarter;
}

} // namespace facet
