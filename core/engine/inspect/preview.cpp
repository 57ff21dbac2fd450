#include "core/engine/inspect/preview.h"

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/inspect/filter_response.h"
#include "core/engine/compile/graph.h"
#include "core/engine/kernels/wave_value.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double shownRateHz = 48000.0;
constexpr double randomCycles = 8.0;

/// Where a module of a layer stands: its layer among the layers, itself among those of its kind.
struct Place {
    std::size_t layer = 0;
    std::size_t module = 0;
};

Place placeOf(const Patch& patch, std::string_view path, ModuleKind kind) {
    const auto* found = patch.find(path);
    if (!found || found->kind != kind) throw Error(fmt::format("The patch has no {} “{}”.", wordOf(kind), path));
    Place place;
    const auto layer = layerOfPath(path);
    bool reached = false; // the layer stands before what it holds
    for (const auto& module : patch.modules()) {
        reached = reached || module.path == layer;
        if (module.kind == ModuleKind::layer && !reached) ++place.layer;
        if (module.kind == kind && layerOfPath(module.path) == layer && &module < found) ++place.module;
    }
    return place;
}

float sourceValue(const kernels::SourceShape& shape, double place) {
    const auto of = [&](Wave wave) {
        if (wave == Wave::harmonics || wave == Wave::wavetable)
            return shape.table ? shape.table->at(0, place, shape.position) : 0.0f;
        return waveValue(wave, place, shape.width, shape.clip);
    };
    return (1.0f - shape.blend) * of(shape.wave) + (shape.blend > 0.0f ? shape.blend * of(shape.blendWave) : 0.0f);
}

std::vector<float> courseOf(const std::vector<float>& sound, int points) {
    std::vector<float> values(static_cast<std::size_t>(points), 0.0f);
    for (std::size_t i = 0; i < values.size(); ++i) {
        const std::size_t begin = sound.size() * i / values.size(), end = sound.size() * (i + 1) / values.size();
        for (std::size_t k = begin; k < end; ++k)
            if (std::abs(sound[k]) > std::abs(values[i])) values[i] = std::clamp(sound[k], -1.0f, 1.0f);
    }
    return values;
}

} // namespace

std::vector<float> previewOfSource(const Patch& patch, std::string_view path, int points) {
    const Place place = placeOf(patch, path, ModuleKind::source);
    const Patch::Module& module = *patch.find(path);
    // Alone, so that it is the first of its layer, and on.
    Patch one = patch;
    for (const auto& other : patch.modules())
        if (other.kind == ModuleKind::source) one.set({other.path, "on"}, other.path == path ? 1.0 : 0.0);
    const Graph graph = compile(one);
    const kernels::SourceShape& shape = graph.layers[place.layer].sources.front().shape;
    if (shape.wave == Wave::sample) return courseOf(module.contents().sample, points);
    std::vector<float> values(static_cast<std::size_t>(points));
    for (std::size_t i = 0; i < values.size(); ++i)
        values[i] = shape.wave == Wave::noise
                        ? static_cast<float>(2.0 * unitFromBits(splitMix64(i)) - 1.0)
                        : std::clamp(sourceValue(shape, static_cast<double>(i) / points), -1.2f, 1.2f);
    return values;
}

std::vector<double> previewOfPartials(const Patch& patch, std::string_view path, int count) {
    const auto wave = static_cast<Wave>(patch.value({std::string(path), "wave"}));
    if (wave == Wave::noise || wave == Wave::sample) return {};
    constexpr int points = 512;
    constexpr double lowestDb = -80.0;
    const auto cycle = previewOfSource(patch, path, points);
    std::vector<double> magnitudes;
    for (int n = 1; n <= count; ++n) {
        std::complex<double> sum;
        for (int i = 0; i < points; ++i)
            sum += static_cast<double>(cycle[static_cast<std::size_t>(i)]) *
                   std::polar(1.0, -2.0 * std::numbers::pi * n * i / points);
        magnitudes.push_back(std::abs(sum));
    }
    const double most = std::max(1e-9, *std::max_element(magnitudes.begin(), magnitudes.end()));
    for (double& m : magnitudes) m = std::max(lowestDb, dbFromGain(m / most));
    return magnitudes;
}

std::vector<float> previewOfLfo(const Patch& patch, std::string_view path, int points) {
    const Place place = placeOf(patch, path, ModuleKind::lfo);
    const Graph graph = compile(patch);
    const LfoValues& lfo = graph.layers[place.layer].lfos[place.module];
    const bool random = lfo.shape == LfoShape::steps || lfo.shape == LfoShape::wander;
    std::vector<float> values(static_cast<std::size_t>(points));
    for (std::size_t i = 0; i < values.size(); ++i)
        values[i] = static_cast<float>(lfoValue(
            lfo, lfo.phase + (random ? randomCycles : 1.0) * static_cast<double>(i) / std::max(1, points - 1), 1));
    return values;
}

std::vector<double> previewOfFilter(const Patch& patch, std::string_view path, std::span<const double> hz,
                                    double octaves) {
    const Place place = placeOf(patch, path, ModuleKind::filter);
    const Graph graph = compile(patch);
    const FilterValues& filter = graph.layers[place.layer].filters[place.module];
    kernels::FilterTargets targets = filter.targets;
    targets.cutoffLog2 += static_cast<float>(octaves);
    std::vector<double> gains;
    for (double f : hz) gains.push_back(filterGainDb(filter.structure, targets, f, shownRateHz));
    return gains;
}

EnvelopeShape previewOfEnvelope(const Patch& patch, std::string_view path) {
    const Place place = placeOf(patch, path, ModuleKind::envelope);
    const Graph graph = compile(patch);
    const auto& envelopes = graph.layers[place.layer].envelopes;
    if (path.ends_with(":level")) return envelopes[levelEnvelope];
    if (path.ends_with(":filter")) return envelopes[filterEnvelope];
    std::size_t further = 0; // those that are not fixed
    for (const auto& module : patch.modules()) {
        if (module.path == path) break;
        if (module.kind == ModuleKind::envelope && layerOfPath(module.path) == layerOfPath(path) &&
            !Patch::isFixed(module.path))
            ++further;
    }
    return envelopes[2 + further];
}

} // namespace facet
