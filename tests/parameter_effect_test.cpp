// Each parameter of the table does something: it is heard, stays finite at its ends, and moves the facets that it
// says it answers for.
#include "core/base/error.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "core/parameters/relevance.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <map>
#include <set>

namespace facet {
namespace {

/// Under a sanitizer all of this takes an hour; there one end of each parameter must do, and what is measured is left.
#ifdef FACET_INSTRUMENTED
constexpr bool instrumented = true;
#else
constexpr bool instrumented = false;
#endif

/// Everything on, everything at a place from which it can be heard to move.
Patch richPatch() {
    Patch patch;
    const auto set = [&](const char* module, const char* field, double value) { patch.set({module, field}, value); };
    set("voicing", "mode", 1.0); // mono, so that glide is heard
    set("voicing", "glide", 150.0);
    set("layer:a/source:a", "wave", static_cast<double>(Wave::pulse));
    set("layer:a/source:a", "width", 30.0);
    set("layer:a/source:a", "voices", 3.0);
    set("layer:a/source:a", "detune", 20.0);
    set("layer:a/source:a", "spread", 60.0);
    set("layer:a/source:b", "on", 1.0);
    set("layer:a/source:b", "wave", static_cast<double>(Wave::pulse));
    set("layer:a/source:b", "width", 20.0);
    set("layer:a/source:b", "voices", 2.0);
    set("layer:a/source:b", "detune", 12.0);
    set("layer:a/source:b", "spread", 40.0);
    set("layer:a/source:b", "level", 3.0);
    set("layer:a/filter:a", "on", 1.0);
    set("layer:a/filter:a", "cutoff", 700.0);
    set("layer:a/filter:a", "resonance", 30.0);
    set("layer:a/filter:a", "envelope", 24.0);
    set("layer:a/envelope:filter", "attack", 90.0);
    set("layer:a/envelope:filter", "decay", 200.0);
    set("layer:a/envelope:filter", "sustain", 60.0);
    set("layer:a/envelope:filter", "release", 300.0);
    set("layer:a/envelope:level", "attack", 80.0);
    set("layer:a/envelope:level", "decay", 250.0);
    set("layer:a/envelope:level", "sustain", 50.0);
    set("layer:a/envelope:level", "release", 400.0);
    set("output", "level", -12.0);
    return patch;
}

/// Overlapping and separate notes, soft and loud, high and low; voices beyond any limit at the end.
Performance phrase() {
    Performance performance = testing::oneNote(45, 0.02, 0.5, 2.0, 48000, 2);
    performance.notes.push_back({0.4, 0.7, 52, 0.0, 60.0});
    performance.notes.push_back({1.1, 1.5, 48, 0.0, 127.0});
    performance.normalize();
    return performance;
}

/// The same in half the time, for what needs no measuring.
Performance quickPhrase() {
    Performance performance = testing::oneNote(45, 0.02, 0.3, 1.1, 48000, 2);
    performance.notes.push_back({0.24, 0.42, 52, 0.0, 60.0});
    performance.notes.push_back({0.6, 0.82, 48, 0.0, 127.0});
    performance.normalize();
    return performance;
}

double difference(const Recording& a, const Recording& b) {
    double sum = 0.0;
    for (std::size_t c = 0; c < a.channels.size(); ++c)
        for (std::size_t i = 0; i < a.channels[c].size(); ++i) sum += std::abs(a.channels[c][i] - b.channels[c][i]);
    return sum / static_cast<double>(a.channels.size() * a.channels[0].size());
}

void expectSane(const Recording& recording, const std::string& what) {
    for (const auto& channel : recording.channels)
        for (float v : channel) {
            ASSERT_TRUE(std::isfinite(v)) << what;
            ASSERT_LT(std::abs(v), 1000.0f) << what; // 30 dB of resonance and 24 dB of output add up
        }
}

/// A second patch with what the first has no room for: tables, noise, a ladder and all-passes side by side, sync, LFOs,
/// links, a macro.
Patch movedPatch() {
    Patch patch = richPatch();
    const auto set = [&](const char* module, const char* field, double value) { patch.set({module, field}, value); };
    for (const char* path :
         {"layer:a/source:c", "layer:a/source:d", "layer:a/filter:b", "layer:a/envelope:a", "layer:a/lfo:a",
          "layer:a/lfo:b", "link:a", "link:b", "link:c", "link:d", "link:e", "macro:a"})
        patch.add(path);
    set("voicing", "mode", 0.0);
    set("layer:a", "routing", 1.0);
    set("layer:a", "feedback", 20.0);
    set("layer:a/source:a", "wave", static_cast<double>(Wave::clippedSine));
    set("layer:a/source:a", "blend", 40.0);
    set("layer:a/source:a", "blend_wave", static_cast<double>(Wave::pulse));
    set("layer:a/source:a", "sync", static_cast<double>(Sync::itself));
    set("layer:a/source:a", "sync_ratio", 7.0);
    set("layer:a/source:b", "wave", static_cast<double>(Wave::wavetable));
    set("layer:a/source:b", "follow", 0.0);
    set("layer:a/source:b", "route", static_cast<double>(Route::filter2));
    ModuleData table;
    for (int frame = 0; frame < 2; ++frame)
        for (int i = 0; i < tableFrameSamples; ++i)
            table.frames.push_back(
                static_cast<float>(std::sin(2.0 * 3.14159265 * (1 + 2 * frame) * i / tableFrameSamples)));
    patch.setData("layer:a/source:b", table);
    set("layer:a/source:c", "on", 1.0);
    set("layer:a/source:c", "wave", static_cast<double>(Wave::noise));
    set("layer:a/source:a", "level", 9.0);
    set("layer:a/source:b", "level", -6.0);
    set("layer:a/source:c", "level", -12.0);
    set("layer:a/source:d", "level", -12.0);
    set("layer:a/filter:a", "cutoff", 900.0);
    set("layer:a/filter:a", "resonance", 3.0);
    set("layer:a/source:d", "on", 1.0);
    set("layer:a/source:d", "wave", static_cast<double>(Wave::harmonics));
    set("layer:a/filter:a", "kind", static_cast<double>(FilterKind::ladder));
    set("layer:a/filter:a", "drive", 12.0);
    set("layer:a/filter:a", "mix", 80.0);
    set("layer:a/filter:b", "on", 1.0);
    set("layer:a/filter:b", "kind", static_cast<double>(FilterKind::allPass));
    set("layer:a/filter:b", "cutoff", 900.0);
    set("layer:a/filter:b", "mix", 50.0);
    set("layer:a/lfo:a", "shape", static_cast<double>(LfoShape::square));
    set("layer:a/lfo:a", "rate", 6.0);
    set("layer:a/lfo:a", "fade", 100.0);
    set("layer:a/lfo:b", "timing", 1.0);
    const auto link = [&](const char* path, const char* from, const char* to, double amount, const char* by = "") {
        ModuleData data;
        data.from = from;
        data.to = to;
        data.by = by;
        patch.setData(path, data);
        set(path, "amount", amount);
    };
    link("link:a", "layer:a/lfo:a", "layer:a/filter:a/cutoff", 12.0);
    link("link:b", "layer:a/lfo:b", "layer:a/source:d/cents", 80.0, "velocity");
    link("link:c", "layer:a/envelope:a", "layer:a/source:b/position", 60.0);
    link("link:d", "macro:a", "layer:a/source:a/level", -12.0);
    link("link:e", "layer:a/source:d", "layer:a/source:a/phase", 40.0);
    set("layer:a/envelope:a", "sustain", 40.0);
    set("layer:a/envelope:a", "decay", 200.0);
    set("layer:a/envelope:a", "attack", 50.0);
    set("macro:a", "value", 50.0);
    return patch;
}

/// Notes that follow their velocity far down, each driven by itself.
Patch drivenPatch() {
    Patch patch = richPatch();
    patch.set({"layer:a", "velocity"}, 30.0);
    patch.set({"layer:a", "drive_curve"}, 1.0);
    return patch;
}

/// A note through one effect that has something to work on.
Patch effectPatch(ModuleKind kind) {
    Patch patch;
    patch.set({"layer:a/source:a", "voices"}, 2.0);
    patch.set({"layer:a/source:a", "spread"}, 80.0);
    patch.set({"layer:a/envelope:level", "decay"}, 120.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 30.0);
    const std::string path = patch.freePath(kind);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    const auto set = [&](const char* field, double value) {
        if (patch.has({path, field})) patch.set({path, field}, value);
    };
    set("mix", 70.0);
    if (kind == ModuleKind::saturation || kind == ModuleKind::folding || kind == ModuleKind::reduction) {
        patch.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
        patch.set({"layer:a/source:a", "voices"}, 1.0);
        set("drive", 15.0);
        set("bias", 20.0);
        set("bits", 5.0);
    }
    if (kind == ModuleKind::compressor || kind == ModuleKind::limiter) {
        set("threshold", -24.0);
        set("knee", 12.0);
        set("ratio", 8.0);
        set("drive", 12.0);
        set("attack", 40.0);
    }
    if (kind == ModuleKind::equalizer)
        for (const char* gain : {"low_gain", "gain_1", "gain_2", "high_gain"}) set(gain, 9.0);
    if (kind == ModuleKind::bandCompressor) set("up_ratio", 2.0);
    if (kind == ModuleKind::shifter) set("shift", 130.0);
    if (kind == ModuleKind::delay) {
        set("time", 90.0);
        set("depth", 3.0);
        set("rate", 3.0);
    }
    if (kind == ModuleKind::width)
        for (const char* band : {"low", "high"}) set(band, 40.0);
    return patch;
}

/// The effect's parameters, and those of the sends when it stands beside.
bool belongsTo(ModuleKind effect, const Patch::Module& module, std::string_view field) {
    return module.kind == effect || field == "send";
}

struct EffectCase {
    Patch patch;
    ModuleKind kind;
};
std::vector<EffectCase> effectCases() {
    std::vector<EffectCase> cases;
    for (int k = 0; k < moduleKindCount; ++k)
        if (const auto kind = static_cast<ModuleKind>(k); isEffect(kind)) cases.push_back({effectPatch(kind), kind});
    // Kinds and switches that bring other parameters into play.
    const auto changed = [&](ModuleKind kind, const char* field, double value) {
        Patch patch = effectPatch(kind);
        patch.set({patch.modules()[patch.modules().size() - 2].path, field}, value);
        cases.push_back({patch, kind});
    };
    changed(ModuleKind::postFilter, "kind", static_cast<double>(FilterKind::ladder));
    changed(ModuleKind::postFilter, "kind", static_cast<double>(FilterKind::allPass));
    changed(ModuleKind::delay, "timing", 1.0);
    changed(ModuleKind::delay, "cross", 1.0);
    changed(ModuleKind::resonator, "follow", 1.0);
    changed(ModuleKind::reverb, "chain", static_cast<double>(Chain::send));
    cases.back().patch.set({"layer:a", "send"}, 0.0);
    return cases;
}

TEST(EveryEffectParameter, IsHeardAndStaysFiniteAtItsEnds) {
    const Performance performance = testing::oneNote(45, 0.02, 0.35, 0.6, 48000, 2);
    std::map<std::pair<ModuleKind, std::string_view>, double> most;
    for (const auto& [patch, kind] : effectCases()) {
        const Recording before = render(patch, performance);
        for (const auto& module : patch.modules())
            for (const auto& d : parametersOf(module.kind)) {
                if (!belongsTo(kind, module, d.field) || !matters(patch, module, d)) continue;
                double& heard = most[{d.module, d.field}];
                const Address address{module.path, std::string(d.field)};
                for (double value : {d.low, d.nearest(d.fromUnit(0.4)), d.high}) {
                    if (instrumented && value != d.high) continue;
                    Patch changed = patch;
                    changed.set(address, value);
                    const Recording after = render(changed, performance);
                    expectSane(after, address.text());
                    heard = std::max(heard, difference(before, after));
                }
            }
    }
    EXPECT_GT(most.size(), 110u);
    if (instrumented) return;
    for (const auto& [which, heard] : most)
        EXPECT_GT(heard, 1e-5) << wordOf(which.first) << "/" << which.second << " is not heard";
}

TEST(EveryEffectParameter, MovesAFacetItAnswersFor) {
    if (instrumented) GTEST_SKIP() << "about values, not about memory";
    const Performance performance = testing::oneNote(45, 0.02, 1.0, 1.6, 48000, 2);
    std::map<std::pair<ModuleKind, std::string_view>, double> least;
    for (const auto& [patch, kind] : effectCases()) {
        const Profile reference = measureProfile(render(patch, performance), performance);
        for (const auto& module : patch.modules())
            for (const auto& d : parametersOf(module.kind)) {
                if (!belongsTo(kind, module, d.field) || !matters(patch, module, d)) continue;
                auto& likeness = least.try_emplace({d.module, d.field}, 100.0).first->second;
                for (double value : {d.low, d.high}) {
                    if (likeness < 98.5) continue;
                    Patch changed = patch;
                    changed.set({module.path, std::string(d.field)}, value);
                    const Comparison comparison =
                        compare(reference, measureProfile(render(changed, performance), performance,
                                                          {.source = &reference.source}));
                    for (const FacetComparison& facet : comparison.facets)
                        if (facet.measured && (d.facets & facetBit(facet.facet)))
                            likeness = std::min(likeness, facet.likeness);
                }
            }
    }
    for (const auto& [which, likeness] : least) {
        // A comparison is deaf to loudness; where an effect begins a cycle it hears no better than people do; whether
        // an effect is there at all, and where, shows in what it does.
        const std::set<std::string_view> deaf{"on", "chain", "output", "level", "makeup", "ceiling", "phase", "send"};
        // What the facets do not tell apart on one note: they have no measure for it yet.
        const std::set<std::pair<ModuleKind, std::string_view>> unmeasured{
            {ModuleKind::compressor, "knee"},         {ModuleKind::compressor, "release"},
            {ModuleKind::bandCompressor, "up_ratio"}, {ModuleKind::delay, "rate"},
            {ModuleKind::reverb, "pre_delay"},        {ModuleKind::reverb, "size"},
            {ModuleKind::width, "high_split"}};
        if (deaf.contains(which.second) || unmeasured.contains(which)) continue;
        EXPECT_LT(likeness, 98.5) << wordOf(which.first) << "/" << which.second << " leaves its facets alone";
    }
}

TEST(EveryParameter, IsHeardAndStaysFiniteAtItsEnds) {
    std::map<std::pair<ModuleKind, std::string_view>, double> most;
    for (const Patch& patch : {richPatch(), movedPatch(), drivenPatch()}) {
        const Recording before = render(patch, quickPhrase());
        expectSane(before, "as it is");
        for (const auto& module : patch.modules())
            for (const auto& d : parametersOf(module.kind)) {
                double& heard = most[{d.module, d.field}];
                if (!matters(patch, module, d)) continue;
                const Address address{module.path, std::string(d.field)};
                for (double value : {d.low, d.nearest(d.fromUnit(0.4)), d.high}) {
                    if (instrumented && value != d.high) continue;
                    Patch changed = patch;
                    changed.set(address, value);
                    if (address == Address{"voicing", "voices"}) changed.set({"voicing", "mode"}, 0.0);
                    const Recording after = render(changed, quickPhrase());
                    expectSane(after, address.text() + " = " + std::to_string(value));
                    heard = std::max(heard, difference(before, after));
                }
            }
    }
    if (instrumented) return;
    for (const auto& [which, heard] : most) {
        if (which.second == "bend_range" || which.second == "send")
            continue; // sends: with the effects. Bends: of the wheel; a performance's bends are in cents
        EXPECT_GT(heard, 1e-5) << wordOf(which.first) << "/" << which.second << " is not heard";
    }
}

/// What a comparison is deaf to on purpose: loudness, phase, a wheel that nobody moves, a limit that is not reached.
bool isTakenOut(const Address& address) {
    return address == Address{"output", "level"} || address == Address{"layer:a", "level"} ||
           address.field == "phase" || address.field == "phase_random" || address.field == "retrigger" ||
           address.field == "bend_range" || address == Address{"voicing", "voices"};
}

/// A long note that an LFO moves, plain enough for the movement to be measured.
Patch swayingPatch(bool timed) {
    Patch patch;
    patch.add("layer:a/lfo:a");
    patch.add("link:a");
    patch.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    patch.set({"layer:a/lfo:a", "rate"}, 5.5);
    patch.set({"layer:a/lfo:a", "timing"}, timed ? 1.0 : 0.0);
    ModuleData link;
    link.from = "layer:a/lfo:a";
    link.to = "layer:a/level";
    patch.setData("link:a", link);
    patch.set({"link:a", "amount"}, 8.0);
    return patch;
}

/// One voice that slides slowly enough for its way to be measured.
Patch slidingPatch() {
    Patch patch;
    patch.set({"voicing", "mode"}, static_cast<double>(VoiceMode::legato));
    patch.set({"voicing", "glide"}, 400.0);
    return patch;
}
Performance slide() {
    Performance performance = testing::oneNote(45, 0.02, 0.8, 2.2, 48000, 2);
    performance.notes.push_back({0.7, 2.0, 57, 0.0, 100.0});
    return performance;
}

TEST(EveryParameter, MovesAFacetItAnswersFor) {
    if (instrumented) GTEST_SKIP() << "about values, not about memory";
    const Performance longNote = testing::oneNote(45, 0.02, 2.8, 3.0, 48000, 2);
    const std::vector<std::pair<Patch, Performance>> cases{
        {richPatch(), phrase()},         {movedPatch(), phrase()},       {drivenPatch(), phrase()},
        {swayingPatch(false), longNote}, {swayingPatch(true), longNote}, {slidingPatch(), slide()}};
    struct Least {
        bool measured = false;
        double likeness = 100.0;
    };
    std::map<std::pair<ModuleKind, std::string_view>, Least> least;
    for (const auto& [patch, performance] : cases) {
        const Profile reference = measureProfile(render(patch, performance), performance);
        for (const auto& module : patch.modules())
            for (const auto& d : parametersOf(module.kind)) {
                const Address address{module.path, std::string(d.field)};
                Least& moved = least[{d.module, d.field}];
                if (isTakenOut(address) || d.facets == 0 || !matters(patch, module, d) || moved.likeness < 98.5)
                    continue;
                for (double value : {d.low, d.high}) {
                    Patch changed = patch;
                    changed.set(address, value);
                    const Comparison comparison =
                        compare(reference, measureProfile(render(changed, performance), performance,
                                                          {.source = &reference.source}));
                    for (const FacetComparison& facet : comparison.facets) {
                        if (!facet.measured || !(d.facets & facetBit(facet.facet))) continue;
                        moved.measured = true;
                        moved.likeness = std::min(moved.likeness, facet.likeness);
                    }
                }
            }
    }
    for (const auto& [which, moved] : least)
        EXPECT_TRUE(!moved.measured || moved.likeness < 98.5)
            << wordOf(which.first) << "/" << which.second << " leaves " << moved.likeness;
}

TEST(EveryParameter, IsReachedByItsSliderAndItsTextFromEndToEnd) {
    const Patch patch = richPatch();
    for (const Address& address : patch.addresses()) {
        const auto& d = patch.descriptor(address);
        EXPECT_EQ(d.fromUnit(0.0), d.low) << address.text();
        EXPECT_EQ(d.fromUnit(1.0), d.high) << address.text();
        EXPECT_EQ(d.nearest(d.low - 1e6), d.low) << address.text();
        EXPECT_EQ(d.nearest(d.high + 1e6), d.high) << address.text();
        Patch changed = patch;
        EXPECT_THROW(changed.set(address, d.high + 1.0), Error) << address.text();
        EXPECT_THROW(changed.set(address, std::nan("")), Error) << address.text();
        EXPECT_EQ(changed, patch);
    }
}

} // namespace
} // namespace facet
