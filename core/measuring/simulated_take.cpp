#include "core/measuring/simulated_take.h"

#include "core/engine/render.h"

#include <cmath>

namespace facet {

double simulatedValue(const InstrumentControl& control, double position) {
    constexpr double bend = 1.3; // the described way, gone along more slowly at first
    const auto [first, last] = control.scale->positions();
    return control.scale->valueAt(first + (last - first) * std::pow((position - first) / (last - first), bend));
}

Recording simulatedTake(const MeasuringSetup& setup, const InstrumentControl& control,
                        const std::vector<double>& positions, int key, const Task& task) {
    constexpr double before = 0.3, after = 0.8; // seconds around each note
    Recording all;
    all.channels.resize(2);
    for (const double position : positions) {
        Patch patch = setup.patch;
        patch.setNearest(control.address, simulatedValue(control, position));
        Performance performance;
        performance.notes.push_back({before, before + setup.holdSeconds, key});
        performance.frames = static_cast<int>(std::lround((before + setup.holdSeconds + after) * analysisRateHz));
        performance.rateHz = analysisRateHz;
        Recording sound = renderToSilence(patch, performance, 10.0, task);
        const auto pause = static_cast<std::size_t>(after * analysisRateHz);
        for (std::size_t c = 0; c < 2; ++c) {
            auto& to = all.channels[c];
            to.insert(to.end(), sound.channels[c].begin(), sound.channels[c].end());
            to.insert(to.end(), pause, 0.0f);
        }
    }
    return all;
}

} // namespace facet
