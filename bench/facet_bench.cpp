// Speed of the engine, the measurements and the loss. Rates are × real time (audio seconds per second on one core).
//   build/release/bench/facet_bench
#include "core/analysis/notes/reading.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/audio/audio_file.h"
#include "core/compare/comparison.h"
#include "core/compare/loss.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "core/performance/midi_file.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <aubio/aubio.h>
#include <benchmark/benchmark.h>

namespace facet {
namespace {

constexpr double seconds = 2.0;

Patch filteredSaw() {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 800.0);
    patch.set({"layer:a/filter:a", "envelope"}, 36.0);
    return patch;
}

Patch stackedSaw() {
    Patch patch = filteredSaw();
    patch.set({"layer:a/source:a", "voices"}, 7.0);
    patch.set({"layer:a/source:a", "spread"}, 80.0);
    return patch;
}

Patch withEffects(Patch patch, std::initializer_list<ModuleKind> kinds) {
    for (ModuleKind kind : kinds) {
        const std::string path = patch.freePath(kind);
        patch.add(path);
        patch.set({path, "on"}, 1.0);
    }
    return patch;
}

void renderOne(benchmark::State& state, const Patch& patch, int channels) {
    const Performance performance = testing::oneNote(45, 0.0, 1.8, seconds, 48000, channels);
    for (auto _ : state) benchmark::DoNotOptimize(render(patch, performance));
    state.counters["xRealTime"] =
        benchmark::Counter(seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}

void renderSixteen(benchmark::State& state, const Patch& patch, int channels) {
    const Performance performance = testing::oneNote(45, 0.0, 1.8, seconds, 48000, channels);
    std::vector<Patch> patches(16, patch);
    for (std::size_t i = 0; i < patches.size(); ++i)
        patches[i].set({"layer:a/filter:a", "cutoff"}, 300.0 + 100.0 * static_cast<double>(i));
    for (auto _ : state) benchmark::DoNotOptimize(renderAt48k(patches, performance));
    state.counters["xRealTime"] =
        benchmark::Counter(16.0 * seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}

BENCHMARK_CAPTURE(renderOne, sawLowPass24, filteredSaw(), 1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(renderSixteen, sawLowPass24, filteredSaw(), 1)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(renderOne, sevenStereoLowPass24, stackedSaw(), 2)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(renderSixteen, sevenStereoLowPass24, stackedSaw(), 2)->Unit(benchmark::kMillisecond);

const auto chorusAndReverb = {ModuleKind::chorus, ModuleKind::reverb};
BENCHMARK_CAPTURE(renderOne, sevenStereoChorusReverb, withEffects(stackedSaw(), chorusAndReverb), 2)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(renderSixteen, sevenStereoChorusReverb, withEffects(stackedSaw(), chorusAndReverb), 2)
    ->Unit(benchmark::kMillisecond);

/// Sixteen patches that differ in their effects alone share their voices.
void renderSixteenMixes(benchmark::State& state) {
    const Performance performance = testing::oneNote(45, 0.0, 1.8, seconds, 48000, 2);
    std::vector<Patch> patches(16, withEffects(stackedSaw(), chorusAndReverb));
    for (std::size_t i = 0; i < patches.size(); ++i) patches[i].set({"reverb:a", "mix"}, 5.0 * static_cast<double>(i));
    for (auto _ : state) benchmark::DoNotOptimize(renderAt48k(patches, performance));
    state.counters["xRealTime"] =
        benchmark::Counter(16.0 * seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(renderSixteenMixes)->Unit(benchmark::kMillisecond);

/// Each effect by itself behind one saw, against the saw alone: see oneEffect/none.
void oneEffect(benchmark::State& state, const Patch& patch) {
    const Performance performance = testing::oneNote(45, 0.0, 1.8, seconds, 48000, 2);
    for (auto _ : state) benchmark::DoNotOptimize(renderAt48k({&patch, 1}, performance));
    state.counters["xRealTime"] =
        benchmark::Counter(seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
const bool effectsRegistered = [] {
    benchmark::RegisterBenchmark("oneEffect/none", oneEffect, Patch())->Unit(benchmark::kMillisecond);
    for (int k = 0; k < moduleKindCount; ++k)
        if (const auto kind = static_cast<ModuleKind>(k); isEffect(kind))
            benchmark::RegisterBenchmark(("oneEffect/" + std::string(wordOf(kind))).c_str(), oneEffect,
                                         withEffects(Patch(), {kind}))
                ->Unit(benchmark::kMillisecond);
    return true;
}();

/// Live: eight voices of a fixture, 128 frames at a time; `load` is the share of a core that real time takes.
void live(benchmark::State& state, const char* fixture) {
    const Graph graph =
        compile(readPatch(std::string(FACET_SOURCE_DIR) + "/tests/fixtures/patches/" + fixture + ".json"));
    const FlushDenormals flush;
    Engine engine({&graph, 1}, 48000.0, 1);
    for (std::uint32_t i = 0; i < 8; ++i) engine.noteOn(i, 45.0 + 3.0 * i, 100.0);
    for (auto _ : state)
        for (int block = 0; block < 8; ++block) benchmark::DoNotOptimize(engine.process(16));
    state.counters["load"] = benchmark::Counter(128.0 / 48000.0 * static_cast<double>(state.iterations()),
                                                benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK_CAPTURE(live, vowelDrone, "vowel-drone");
BENCHMARK_CAPTURE(live, gatedPad, "gated-pad");
BENCHMARK_CAPTURE(live, sweptEnsemble, "swept-ensemble");
BENCHMARK_CAPTURE(live, nineVoiceBrass, "nine-voice-brass");

/// A tail that dies away far below the smallest normal float: it must cost no more than a loud one. `quiet` is when.
void tail(benchmark::State& state, bool quiet) {
    Patch patch = withEffects(filteredSaw(), {ModuleKind::delay, ModuleKind::reverb, ModuleKind::equalizer});
    patch.set({"layer:a/envelope:level", "sustain"}, quiet ? 0.0 : 100.0);
    patch.set({"layer:a/envelope:level", "decay"}, 10.0);
    patch.set({"reverb:a", "decay"}, 20.0);
    patch.set({"delay:a", "feedback"}, 90.0);
    const Graph graph = compile(patch);
    const FlushDenormals flush;
    Engine engine({&graph, 1}, 48000.0, 1);
    engine.noteOn(1, 45.0, 100.0); // held: the voice goes on at nothing
    for (int i = 0; i < 3000 * 60; ++i) engine.process(16);
    for (auto _ : state) benchmark::DoNotOptimize(engine.process(16));
}
BENCHMARK_CAPTURE(tail, loud, false);
BENCHMARK_CAPTURE(tail, dyingAway, true);

/// Render and loss of one candidate of a batch of 16, both cores: what a search does all day.
void candidates(benchmark::State& state) {
    const Performance performance = testing::oneNote(45, 0.0, 1.8, seconds, 48000, 2);
    const std::vector<Patch> patches(16, filteredSaw());
    const Loss loss(render(stackedSaw(), performance), performance);
    for (auto _ : state) {
        const auto renders = renderAt48k(patches, performance, {}, 1);
        for (const auto& each : renders) benchmark::DoNotOptimize(loss.residual(each));
    }
    state.counters["candidatesPerSecond"] =
        benchmark::Counter(16.0 * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(candidates)->Unit(benchmark::kMillisecond);

void profileOfTheDemo(benchmark::State& state) {
    const Recording recording = readAudio(testing::demoFile("airlock.flac"));
    const Performance notes = readMidi(testing::demoFile("airlock.mid"));
    for (auto _ : state) benchmark::DoNotOptimize(measureProfile(recording, notes));
}
BENCHMARK(profileOfTheDemo)->Unit(benchmark::kMillisecond);

void notesOfTheDemo(benchmark::State& state) {
    const auto mono = monoMix(atRate(readAudio(testing::demoFile("airlock.flac")), 48000));
    for (auto _ : state) benchmark::DoNotOptimize(findNotes(mono));
}
BENCHMARK(notesOfTheDemo)->Unit(benchmark::kMillisecond);

/// Pitch over time beside aubio's YIN (de Cheveigné & Kawahara 2002 by its own formula, window of 2048 as ours), both
/// at steps of 10 ms on the same sound.
void pitchTracking(benchmark::State& state) {
    const auto mono = monoMix(atRate(readAudio(testing::demoFile("airlock.flac")), 48000));
    for (auto _ : state) benchmark::DoNotOptimize(trackPitch(mono));
}
BENCHMARK(pitchTracking)->Unit(benchmark::kMillisecond);

void pitchTrackingByAubio(benchmark::State& state, const char* method) {
    auto mono = monoMix(atRate(readAudio(testing::demoFile("airlock.flac")), 48000));
    constexpr uint_t hop = 480;
    fvec_t* pitch = new_fvec(1);
    for (auto _ : state) {
        aubio_pitch_t* tracker = new_aubio_pitch(method, 2048, hop, 48000);
        for (std::size_t at = 0; at + hop <= mono.size(); at += hop) {
            fvec_t frame{hop, mono.data() + at};
            aubio_pitch_do(tracker, &frame, pitch);
            benchmark::DoNotOptimize(pitch->data[0]);
        }
        del_aubio_pitch(tracker);
    }
    del_fvec(pitch);
}
BENCHMARK_CAPTURE(pitchTrackingByAubio, yin, "yin")->Unit(benchmark::kMillisecond);

/// What follows an edit in the window: render, profile of the render, comparison.
void edit(benchmark::State& state) {
    const Recording recording = readAudio(testing::demoFile("airlock.flac"));
    Performance notes = readMidi(testing::demoFile("airlock.mid"));
    notes.frames = recording.frameCount();
    notes.rateHz = recording.rateHz;
    notes.channelCount = 1;
    const Profile reference = measureProfile(recording, notes);
    for (auto _ : state) {
        const Recording rendered = render(filteredSaw(), notes);
        const Profile profile = measureProfile(rendered, notes, {.source = &reference.source, .threads = 2});
        benchmark::DoNotOptimize(compare(reference, profile));
    }
}
BENCHMARK(edit)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
} // namespace facet

BENCHMARK_MAIN();
