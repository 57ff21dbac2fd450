#include "core/engine/inspect/stage.h"

#include "core/base/units.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "core/parameters/audition.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace facet {

namespace {

constexpr int mostPartials = 10;
constexpr double faintestDb = -100.0;

bool holdsDown(ModuleKind kind) {
    return kind == ModuleKind::compressor || kind == ModuleKind::bandCompressor || kind == ModuleKind::limiter;
}

bool saturates(ModuleKind kind) {
    return kind == ModuleKind::saturation || kind == ModuleKind::folding || kind == ModuleKind::limiter ||
           kind == ModuleKind::filter;
}

/// The sound as it comes to an effect, at the output's place.
Patch upToEffect(const Patch& patch, const std::string& path) {
    Patch before = withoutEffectsFrom(patch, path);
    before.set({"output", "level"}, 0.0);
    if (static_cast<Chain>(patch.value({path, "chain"})) != Chain::send) return before;
    // Beside the main chain: what the layers send, through what stands there before it.
    const Patch as = before;
    for (const auto& module : as.modules()) {
        if (module.kind == ModuleKind::layer)
            before.set({module.path, "level"},
                       std::clamp(as.value({module.path, "level"}) + as.value({module.path, "send"}), -60.0, 12.0));
        if (!isEffect(module.kind)) continue;
        const bool beside = static_cast<Chain>(as.value({module.path, "chain"})) == Chain::send;
        before.set({module.path, beside ? "chain" : "on"}, beside ? static_cast<double>(Chain::main) : 0.0);
    }
    return before;
}

/// The sources as they come to a filter: no effects, no envelope, nothing that passes it by.
Patch upToFilter(const Patch& patch, const std::string& path) {
    const std::string layer(layerOfPath(path));
    Patch before = alone(patch, layer);
    const auto first = std::find_if(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        return m.kind == ModuleKind::filter && layerOfPath(m.path) == layer;
    });
    const bool second = first->path != path;
    const bool serial = patch.value({layer, "routing"}) == 0.0;
    const Patch as = before;
    for (const auto& module : as.modules()) {
        if (isEffect(module.kind)) before.set({module.path, "on"}, 0.0);
        if (layerOfPath(module.path) != layer) continue;
        const bool earlier = second && serial && module.path != path;
        if (module.kind == ModuleKind::filter && !earlier) before.set({module.path, "on"}, 0.0);
        if (module.kind != ModuleKind::source) continue;
        const auto route = static_cast<Route>(as.value({module.path, "route"}));
        const bool comes = route == Route::both || route == (second ? Route::filter2 : Route::filter1) ||
                           (second && serial && route == Route::filter1);
        if (!comes) before.set({module.path, "level"}, -60.0);
    }
    before = without(before, layer + "/envelope:level");
    for (const auto& [field, value] : {std::pair("level", 0.0), {"velocity", 0.0}, {"pan", 0.0}})
        before.set({layer, field}, value);
    before.set({"output", "level"}, 0.0);
    return before;
}

void measure(const Recording& sound, StageReading& reading) {
    const auto window = static_cast<std::size_t>(sound.rateHz / 20);
    for (const auto& channel : sound.channels) {
        double sum = 0.0, most = 0.0, peak = 0.0;
        for (std::size_t i = 0; i < channel.size(); ++i) {
            const auto square = [&](std::size_t at) { return static_cast<double>(channel[at]) * channel[at]; };
            sum += square(i) - (i >= window ? square(i - window) : 0.0);
            most = std::max(most, sum);
            peak = std::max(peak, std::abs(static_cast<double>(channel[i])));
        }
        reading.peakDb = std::max(reading.peakDb, dbFromGain(peak));
        reading.loudDb = std::max(reading.loudDb, dbFromGain(std::sqrt(most / static_cast<double>(window))));
    }
}

/// How far an effect holds levels down while the performance sounds.
StageReading::Reduction reductionBy(const Patch& patch, const std::string& path, const Performance& performance,
                                    const Task& task) {
    std::size_t place = 0; // among the effects that are on
    for (const auto& module : patch.modules()) {
        if (module.path == path) break;
        place += isEffect(module.kind) && patch.value({module.path, "on"}) >= 0.5;
    }
    StageReading::Reduction reduction;
    double sum = 0.0;
    int blocks = 0;
    renderWatched(
        patch, performance,
        [&](const Engine& engine) {
            const double now = engine.reductionDb(place);
            reduction.most = std::max(reduction.most, now);
            sum += now;
            ++blocks;
        },
        task);
    if (blocks > 0) reduction.mean = sum / blocks;
    return reduction;
}

/// One note, the loudest; of equally loud ones the first.
Performance loudestNote(const Performance& performance) {
    Performance one = performance;
    const auto found = std::max_element(one.notes.begin(), one.notes.end(),
                                        [](const Note& a, const Note& b) { return a.velocity < b.velocity; });
    if (found != one.notes.end()) one.notes = {*found};
    return one;
}

int middleKey(const Performance& performance) {
    std::vector<int> keys;
    for (const Note& note : performance.notes) keys.push_back(note.key);
    std::nth_element(keys.begin(), keys.begin() + static_cast<std::ptrdiff_t>(keys.size() / 2), keys.end());
    return keys[keys.size() / 2];
}

/// Magnitude of one frequency under a Hann window.
double partialOf(const std::vector<float>& x, std::size_t begin, std::size_t count, double perSample) {
    std::complex<double> sum;
    for (std::size_t i = 0; i < count; ++i) {
        const double at = static_cast<double>(i);
        const double window = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * at / static_cast<double>(count));
        sum += window * static_cast<double>(x[begin + i]) * std::polar(1.0, -2.0 * std::numbers::pi * perSample * at);
    }
    return std::abs(sum);
}

/// Partials from the second on of what a stage makes of a sine of a peak level, dB re the first.
std::vector<double> addedTo(const Patch& patch, const std::string& path, double peakDb, int key, const Task& task) {
    Patch probe;
    probe.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    // No more than the levels allow.
    const double source = std::clamp(peakDb, -60.0, 12.0), layer = std::clamp(peakDb - source, -60.0, 12.0);
    probe.set({"layer:a/source:a", "level"}, source);
    probe.set({"layer:a", "level"}, layer);
    const auto& module = *patch.find(path);
    const bool filter = module.kind == ModuleKind::filter;
    const std::string place = filter ? "layer:a/filter:a" : path;
    if (!filter) probe.add(place);
    for (const auto& d : parametersOf(module.kind))
        probe.set({place, std::string(d.field)}, patch.value({path, std::string(d.field)}));
    if (filter) probe.set({place, "envelope"}, 0.0);
    if (!filter) {
        probe.set({place, "chain"}, static_cast<double>(Chain::main));
        if (module.data) probe.setData(place, *module.data);
    }
    Performance held;
    held.rateHz = 48000;
    held.channelCount = 1;
    held.frames = 48000;
    held.notes = {{0.0, 1.0, key, 0.0, 127.0}};
    const Recording sound = render(probe, held, task);
    // Whole cycles, behind the onset.
    const double perSample = hzFromKey(key) / 48000.0;
    const auto count = static_cast<std::size_t>(std::floor(32768.0 * perSample) / perSample);
    const double first = partialOf(sound.channels[0], 12000, count, perSample);
    std::vector<double> added;
    for (int n = 2; n <= mostPartials && n * perSample < 0.45; ++n)
        added.push_back(std::max(faintestDb, dbFromGain(partialOf(sound.channels[0], 12000, count, n * perSample) /
                                                        std::max(first, 1e-12))));
    return added;
}

} // namespace

bool dependsOnLevel(const Patch& patch, const Patch::Module& module) {
    if (!patch.has({module.path, "on"}) || patch.value({module.path, "on"}) < 0.5) return false;
    if (module.kind == ModuleKind::filter)
        return static_cast<FilterKind>(patch.value({module.path, "kind"})) == FilterKind::ladder;
    return holdsDown(module.kind) || saturates(module.kind) || module.kind == ModuleKind::reduction;
}

StageReading readStage(const Patch& patch, const std::string& path, const Performance& performance, const Task& task) {
    StageReading reading;
    if (performance.notes.empty()) return reading;
    const auto& module = *patch.find(path);
    const bool filter = module.kind == ModuleKind::filter;
    measure(filter ? render(upToFilter(patch, path), loudestNote(performance), task)
                   : render(upToEffect(patch, path), performance, task),
            reading);
    if (reading.peakDb < faintestDb) return reading;
    if (holdsDown(module.kind)) reading.reduction = reductionBy(patch, path, performance, task);
    if (saturates(module.kind)) reading.addedDb = addedTo(patch, path, reading.peakDb, middleKey(performance), task);
    return reading;
}

} // namespace facet
