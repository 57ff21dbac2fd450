#include "core/recipe/sheet_plots.h"

#include "core/base/error.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/engine/inspect/preview.h"
#include "core/parameters/relevance.h"
#include "core/parameters/signal_parts.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

using Points = std::vector<std::pair<double, double>>;

constexpr double lowestHz = 30.0, highestHz = 16000.0;

Plot wavePlot(const Patch& patch, const Patch::Module& source) {
    constexpr int points = 240;
    const std::vector<float> cycle = previewOfSource(patch, source.path, points);
    Points line;
    for (std::size_t i = 0; i < cycle.size(); ++i)
        line.emplace_back(static_cast<double>(i) / static_cast<double>(cycle.size()), cycle[i]);
    return {patch.labelOf(source), {"one cycle", 0.0, 1.0}, {"", -1.05, 1.05}, {{"", std::move(line)}}};
}

Plot filterPlot(const Patch& patch, const Patch::Module& filter) {
    constexpr int points = 200;
    std::vector<double> hz;
    for (int i = 0; i < points; ++i)
        hz.push_back(lowestHz * std::pow(highestHz / lowestHz, static_cast<double>(i) / (points - 1)));
    const std::vector<double> gains = previewOfFilter(patch, filter.path, hz);
    constexpr double lowest = -48.0, highest = 24.0; // dB
    Points line;
    for (std::size_t i = 0; i < hz.size(); ++i) line.emplace_back(hz[i], std::clamp(gains[i], lowest, highest));
    return {patch.labelOf(filter), {"Hz", lowestHz, highestHz, true}, {"dB", lowest, highest}, {{"", std::move(line)}}};
}

/// A key held for a while, then let go.
Plot envelopePlot(const Patch& patch, const Patch::Module& envelope) {
    const EnvelopeShape shape = previewOfEnvelope(patch, envelope.path);
    const double way = shape.delay + shape.attack + shape.hold + (shape.sustain < 0.99 ? shape.decay : 0.0);
    const double held = std::max(0.05, 1.25 * way), whole = held + std::max(0.02, 1.1 * shape.release);
    constexpr int points = 300;
    const double step = whole / points;
    Envelope running;
    running.start();
    Points line;
    bool released = false;
    for (int i = 0; i < points; ++i) {
        if (!released && step * i >= held) {
            running.release();
            released = true;
        }
        line.emplace_back(1000.0 * step * i, running.active() ? 100.0 * running.value() : 0.0);
        running.advance(shape, step, 1, nullptr);
    }
    return {patch.labelOf(envelope), {"ms", 0.0, 1000.0 * whole}, {"%", 0.0, 105.0}, {{"", std::move(line)}}};
}

/// Levels of stretches of a sound in dB re the loudest.
Points levelsOf(const Recording& sound) {
    constexpr double lowest = -60.0; // dB
    constexpr int most = 400;
    const std::vector<float> mono = monoMix(sound);
    const auto frames = static_cast<int>(mono.size());
    const int stretch = std::max(sound.rateHz / 50, frames / most);
    Points line;
    double loudest = 1e-12;
    for (int begin = 0; begin + stretch <= frames; begin += stretch) {
        double power = 1e-12;
        for (int i = begin; i < begin + stretch; ++i)
            power += static_cast<double>(mono[static_cast<std::size_t>(i)]) * mono[static_cast<std::size_t>(i)];
        power /= stretch;
        loudest = std::max(loudest, power);
        line.emplace_back((begin + 0.5 * stretch) / sound.rateHz, power);
    }
    for (auto& point : line) point.second = std::max(lowest, 10.0 * std::log10(point.second / loudest));
    return line;
}

/// Mean power in bands of a sixth octave, in dB re the strongest band.
Points spectrumOf(const Recording& sound) {
    constexpr int size = 8192;
    constexpr double lowest = -72.0; // dB
    const std::vector<float> mono = monoMix(sound);
    const std::vector<float>& window = hannWindow(size);
    RealFft fft(size);
    std::vector<double> power(static_cast<std::size_t>(fft.binCount()), 0.0);
    for (int begin = 0; begin < static_cast<int>(mono.size()); begin += size / 2) {
        windowedFrame(mono, begin, window, fft.time());
        fft.forward();
        for (std::size_t i = 0; i < power.size(); ++i) power[i] += std::norm(fft.bins()[i]);
    }
    const double binHz = static_cast<double>(sound.rateHz) / size;
    Points line;
    double strongest = 1e-20;
    const double ratio = std::exp2(1.0 / 6.0);
    for (double low = lowestHz; low * ratio <= std::min(highestHz, 0.45 * sound.rateHz); low *= ratio) {
        const auto begin = static_cast<std::size_t>(low / binHz), end = static_cast<std::size_t>(low * ratio / binHz);
        double sum = 1e-20;
        for (std::size_t i = begin; i <= end && i < power.size(); ++i) sum += power[i];
        strongest = std::max(strongest, sum);
        line.emplace_back(low * std::sqrt(ratio), sum);
    }
    for (auto& point : line) point.second = std::max(lowest, 10.0 * std::log10(point.second / strongest));
    return line;
}

} // namespace

std::vector<Plot> patchPlots(const Patch& patch) {
    std::vector<Plot> waves, filters, envelopes;
    const auto movesFilter = [&](const Patch::Module& envelope) {
        return takesPart(patch, envelope) &&
               std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& other) {
                   return other.kind == ModuleKind::filter && layerOfPath(other.path) == layerOfPath(envelope.path) &&
                          takesPart(patch, other) && std::abs(patch.value({other.path, "envelope"})) >= 1.0;
               });
    };
    for (const auto& module : patch.modules()) {
        if (module.kind == ModuleKind::source && takesPart(patch, module) &&
            patch.value({module.path, "level"}) > silentSourceDb)
            waves.push_back(wavePlot(patch, module));
        if (module.kind == ModuleKind::filter && takesPart(patch, module)) filters.push_back(filterPlot(patch, module));
        if (module.kind != ModuleKind::envelope) continue;
        const bool level = module.path.ends_with("/envelope:level");
        if (level || (module.path.ends_with("/envelope:filter") && movesFilter(module)))
            envelopes.push_back(envelopePlot(patch, module));
    }
    std::vector<Plot> all = std::move(waves);
    all.insert(all.end(), filters.begin(), filters.end());
    all.insert(all.end(), envelopes.begin(), envelopes.end());
    return all;
}

std::vector<Plot> soundPlots(const Recording& reference, const Recording& render) {
    const double seconds = std::max(reference.seconds(), render.seconds());
    return {{"Level over time",
             {"s", 0.0, seconds},
             {"dB", -60.0, 0.0},
             {{"recording", levelsOf(reference)}, {"rebuilt", levelsOf(render), true}}},
            {"Mean spectrum",
             {"Hz", lowestHz, highestHz, true},
             {"dB", -72.0, 0.0},
             {{"recording", spectrumOf(reference)}, {"rebuilt", spectrumOf(render), true}}}};
}

} // namespace facet
