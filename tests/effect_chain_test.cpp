// Chains of effects behind the layers: order, send, links, tails, lanes.
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/engine/engine.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/render.h"
#include "core/parameters/audition.h"
#include "core/parameters/patch_json.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::link;

using testing::componentDb;
using testing::oneNote;

constexpr ModuleKind everyEffect[] = {ModuleKind::postFilter,     ModuleKind::saturation, ModuleKind::folding,
                                      ModuleKind::reduction,      ModuleKind::equalizer,  ModuleKind::compressor,
                                      ModuleKind::bandCompressor, ModuleKind::limiter,    ModuleKind::chorus,
                                      ModuleKind::flanger,        ModuleKind::phaser,     ModuleKind::shifter,
                                      ModuleKind::resonator,      ModuleKind::delay,      ModuleKind::reverb,
                                      ModuleKind::response,       ModuleKind::width};

std::string addEffect(Patch& patch, ModuleKind kind) {
    const std::string path = patch.freePath(kind);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    return path;
}

Patch sinePatch() {
    Patch patch;
    patch.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::sine));
    patch.set({"layer:a/source:a", "phase_random"}, 0.0);
    return patch;
}

/// Two notes with a pause in which tails die away.
Performance twoNotes(int channels = 2) {
    Performance performance = oneNote(57, 0.01, 0.1, 0.55, 48000, channels);
    performance.notes.push_back({0.4, 0.45, 64, 0.0, 60.0});
    return performance;
}

float worstDifference(const Recording& a, const Recording& b) {
    float worst = 0.0f;
    for (std::size_t c = 0; c < a.channels.size(); ++c)
        for (std::size_t i = 0; i < a.channels[c].size(); ++i)
            worst = std::max(worst, std::abs(a.channels[c][i] - b.channels[c][i]));
    return worst;
}

float highestOf(const Recording& a) {
    float peak = 0.0f;
    for (const auto& channel : a.channels)
        for (float v : channel) peak = std::max(peak, std::abs(v));
    return peak;
}

/// Every number of an effect elsewhere in its range, by chance.
void scatter(Patch& patch, const std::string& path, Random& random) {
    for (const auto& d : parametersOf(patch.find(path)->kind))
        if (d.smoothing != Smoothing::graph)
            patch.set({path, std::string(d.field)}, d.fromUnit(random.between(0.1, 0.9)));
}

TEST(EveryEffect, IsTheSameAloneAndBesideOthersAndOnEveryInstructionSet) {
    for (ModuleKind kind : everyEffect) {
        SCOPED_TRACE(std::string(wordOf(kind)));
        Random random(static_cast<std::uint64_t>(kind));
        std::vector<Patch> patches(3);
        for (Patch& patch : patches) {
            patch.set({"layer:a/source:a", "cents"}, random.between(-20.0, 20.0));
            patch.set({"layer:a/envelope:level", "release"}, 60.0);
            scatter(patch, addEffect(patch, kind), random);
            link(patch, "velocity", patch.modules()[patch.modules().size() - 2].path + "/mix", -40.0);
        }
        const auto together = renderAt48k(patches, twoNotes(), {}, 2);
        for (std::size_t i = 0; i < patches.size(); ++i)
            EXPECT_EQ(together[i].channels, renderAt48k({&patches[i], 1}, twoNotes()).front().channels) << i;
        for (const char* target : {"AVX3", "AVX2", "SSE4", "SSSE3"}) {
            if (!kernels::forceTarget(target)) continue;
            const auto other = renderAt48k({&patches[0], 1}, twoNotes()).front();
            EXPECT_LT(worstDifference(other, together[0]), 1e-4f * highestOf(together[0])) << target;
        }
        kernels::forceTarget("");
    }
}

TEST(EveryEffect, IsInaudibleUntilItIsSwitchedOn) {
    Patch patch;
    const auto before = renderAt48k({&patch, 1}, twoNotes()).front();
    for (ModuleKind kind : everyEffect) {
        Patch with = patch;
        with.add(with.freePath(kind));
        EXPECT_EQ(renderAt48k({&with, 1}, twoNotes()).front().channels, before.channels);
        EXPECT_EQ(patchFromJson(patchToJson(with)), with);
    }
}

TEST(EveryEffect, SharesTheVoicesOfPatchesThatDifferInEffectsOnly) {
    // What a search does when it moves an effect: the same bits as rendering each by itself.
    std::vector<Patch> patches(6);
    for (std::size_t i = 0; i < patches.size(); ++i) {
        const std::string delay = addEffect(patches[i], ModuleKind::delay);
        patches[i].set({delay, "time"}, 50.0 + 20.0 * static_cast<double>(i));
        patches[i].set({"output", "level"}, -static_cast<double>(i));
        link(patches[i], "layer:a/envelope:level", delay + "/feedback", 20.0);
    }
    const auto together = renderAt48k(patches, twoNotes());
    for (std::size_t i = 0; i < patches.size(); ++i)
        EXPECT_EQ(together[i].channels, renderAt48k({&patches[i], 1}, twoNotes()).front().channels) << i;
}

TEST(EveryEffect, CannotBeMadeToFail) {
    Random random(5);
    for (ModuleKind kind : everyEffect)
        for (int round = 0; round < 4; ++round) {
            SCOPED_TRACE(std::string(wordOf(kind)));
            Patch patch;
            const std::string path = addEffect(patch, kind);
            for (const auto& d : parametersOf(kind))
                if (d.field != "on" && d.field != "chain")
                    patch.set({path, std::string(d.field)}, random.unit() < 0.5 ? d.low : d.high);
            patch.set({"layer:a/source:a", "level"}, 12.0);
            patch.set({"layer:a", "level"}, 12.0);
            const Recording sound = renderAt48k({&patch, 1}, twoNotes()).front();
            for (float v : sound.channels[0]) {
                ASSERT_TRUE(std::isfinite(v));
                ASSERT_LT(std::abs(v), 2e4f);
            }
        }
}

TEST(Chains, PassEffectsInTheirOrder) {
    Patch patch = sinePatch();
    const std::string saturation = addEffect(patch, ModuleKind::saturation);
    const std::string filter = addEffect(patch, ModuleKind::postFilter);
    patch.set({saturation, "drive"}, 24.0);
    patch.set({filter, "cutoff"}, 300.0);
    const auto third = [](const Patch& p) {
        const auto x = render(p, oneNote(57, 0.0, 1.0, 1.0)).channels[0];
        return componentDb(x, 8000, 32768, 660.0, 48000) - componentDb(x, 8000, 32768, 220.0, 48000);
    };
    const double filteredLast = third(patch);
    patch.moveEffect(filter, 0);
    EXPECT_EQ(patch.modules()[patch.modules().size() - 3].path, filter);
    EXPECT_GT(third(patch), filteredLast + 15.0) << "what is bent last keeps its partials";
    EXPECT_EQ(patchFromJson(patchToJson(patch)), patch) << "the file keeps the order";
    EXPECT_THROW(patch.moveEffect("layer:a", 0), Error);
}

TEST(Chains, MixWetWithDry) {
    Patch patch = sinePatch();
    const auto dry = render(patch, oneNote(57, 0.0, 0.4, 0.5));
    const std::string delay = addEffect(patch, ModuleKind::delay);
    patch.set({delay, "time"}, 450.0);
    patch.set({delay, "mix"}, 25.0);
    const auto mixed = render(patch, oneNote(57, 0.0, 0.4, 0.5));
    for (std::size_t i = 2000; i < 15000; i += 101)
        ASSERT_NEAR(mixed.channels[0][i], 0.75f * dry.channels[0][i], 1e-5f);
    patch.set({delay, "mix"}, 0.0);
    EXPECT_LT(worstDifference(render(patch, oneNote(57, 0.0, 0.4, 0.5)), dry), 1e-6f);
}

TEST(Chains, SendStandsBesideTheMainChain) {
    Patch patch = sinePatch();
    const auto dry = render(patch, oneNote(57, 0.0, 0.2, 1.0));
    const std::string delay = addEffect(patch, ModuleKind::delay);
    patch.set({delay, "chain"}, static_cast<double>(Chain::send));
    patch.set({delay, "mix"}, 100.0);
    patch.set({delay, "time"}, 500.0);
    EXPECT_LT(worstDifference(render(patch, oneNote(57, 0.0, 0.2, 1.0)), dry), 1e-6f) << "nothing is sent yet";
    patch.set({"layer:a", "send"}, -6.0);
    const auto sent = render(patch, oneNote(57, 0.0, 0.2, 1.0));
    EXPECT_NEAR(sent.channels[0][4800], dry.channels[0][4800], 1e-6f);
    EXPECT_NEAR(sent.channels[0][4800 + 24000], gainFromDb(-6.0) * dry.channels[0][4800], 1e-5f);
    patch.set({"output", "send"}, -20.0);
    EXPECT_NEAR(render(patch, oneNote(57, 0.0, 0.2, 1.0)).channels[0][4800 + 24000],
                gainFromDb(-26.0) * dry.channels[0][4800], 1e-5f);
}

TEST(Chains, SourcesMayGoPastThem) {
    Patch patch = sinePatch();
    patch.set({"layer:a/source:b", "on"}, 1.0);
    patch.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::sine));
    patch.set({"layer:a/source:b", "octave"}, -2.0);
    patch.set({"layer:a/source:b", "route"}, static_cast<double>(Route::pastEffects));
    const std::string filter = addEffect(patch, ModuleKind::postFilter);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::highPass));
    patch.set({filter, "cutoff"}, 2000.0);
    const auto x = render(patch, oneNote(69, 0.0, 1.0, 1.0)).channels[0];
    EXPECT_NEAR(componentDb(x, 8000, 32768, 110.0, 48000), 0.0, 0.2) << "untouched";
    EXPECT_LT(componentDb(x, 8000, 32768, 440.0, 48000), -40.0);
    patch.set({"output", "level"}, -12.0);
    EXPECT_NEAR(componentDb(render(patch, oneNote(69, 0.0, 1.0, 1.0)).channels[0], 8000, 32768, 110.0, 48000), -12.0,
                0.2);
}

TEST(Chains, FollowTheNewestNote) {
    Patch patch = sinePatch();
    const std::string filter = addEffect(patch, ModuleKind::postFilter);
    patch.set({filter, "cutoff"}, 20000.0);
    link(patch, "velocity", filter + "/cutoff", -72.0); // at full velocity six octaves lower
    const auto level = [&](double velocity) {
        Performance performance = oneNote(81, 0.0, 1.0, 1.0);
        performance.notes[0].velocity = velocity;
        return componentDb(render(patch, performance).channels[0], 8000, 32768, 880.0, 48000);
    };
    EXPECT_NEAR(level(20.0), 0.0, 0.3);
    // 20000/64 = 312 Hz, fourth order, 880 Hz: 20 log10 √(1 + (880/312.5)^8) = 36 dB.
    EXPECT_NEAR(level(127.0), -36.0, 1.5);
    // A later note turns the filter for the one that still sounds.
    Performance both = oneNote(81, 0.0, 2.0, 2.0);
    both.notes[0].velocity = 1.0;
    both.notes.push_back({1.0, 2.0, 45, 0.0, 127.0});
    const auto x = render(patch, both).channels[0];
    EXPECT_NEAR(componentDb(x, 4800, 32768, 880.0, 48000), 0.0, 0.5);
    EXPECT_LT(componentDb(x, 56000, 32768, 880.0, 48000), -30.0);
}

TEST(Chains, AreMovedByEnvelopesLfosMacrosAndMovedAmounts) {
    Patch patch = sinePatch();
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    patch.set({"layer:a/lfo:a", "rate"}, 2.0);
    patch.add("macro:a");
    patch.set({"macro:a", "value"}, 100.0);
    const std::string saturation = addEffect(patch, ModuleKind::saturation);
    patch.set({saturation, "curve"}, static_cast<double>(SaturationCurve::hard));
    patch.set({saturation, "drive"}, 0.0);
    patch.set({saturation, "output"}, -12.0);
    link(patch, "layer:a/lfo:a", saturation + "/output", 6.0);
    const auto x = render(patch, oneNote(57, 0.0, 1.0, 1.0)).channels[0];
    EXPECT_NEAR(componentDb(x, 2000, 8192, 220.0, 48000), -6.0, 0.2);
    EXPECT_NEAR(componentDb(x, 14000, 8192, 220.0, 48000), -18.0, 0.2);
    // The macro takes the LFO's depth away.
    link(patch, "macro:a", "link:a/amount", -6.0);
    const auto y = render(patch, oneNote(57, 0.0, 1.0, 1.0)).channels[0];
    EXPECT_NEAR(componentDb(y, 2000, 8192, 220.0, 48000), -12.0, 0.2);
    EXPECT_NEAR(componentDb(y, 14000, 8192, 220.0, 48000), -12.0, 0.2);
}

TEST(Chains, FollowCurvesOfThePerformance) {
    // The mix of a delay goes from dry to wet while the note sounds: the dry sound fades with it.
    Patch patch = sinePatch();
    const std::string delay = addEffect(patch, ModuleKind::delay);
    patch.set({delay, "time"}, 4000.0);
    Performance performance = oneNote(57, 0.0, 1.0, 1.0);
    performance.curves.push_back({delay + "/mix", {{0.0, 0.0}, {1.0, 1.0}}});
    const auto x = render(patch, performance).channels[0];
    for (double t : {0.1, 0.5, 0.9})
        EXPECT_NEAR(componentDb(x, static_cast<int>(t * 48000) - 1024, 2048, 220.0, 48000), 20.0 * std::log10(1.0 - t),
                    0.5)
            << t;
}

TEST(Chains, RenderTailsToSilenceAndThenRest) {
    Patch patch = sinePatch();
    const std::string reverb = addEffect(patch, ModuleKind::reverb);
    patch.set({reverb, "decay"}, 400.0);
    patch.set({reverb, "mix"}, 50.0);
    const auto x = render(patch, oneNote(57, 0.0, 0.2, 3.0)).channels[0];
    float tail = 0.0f;
    for (std::size_t i = 14400; i < 19200; ++i) tail = std::max(tail, std::abs(x[i]));
    EXPECT_GT(tail, 0.005f) << "it goes on after the note";
    for (std::size_t i = 130000; i < x.size(); ++i) ASSERT_EQ(x[i], 0.0f) << "and is over in the end";
    // Each −60 dB by 0.4 s: at 0.2 + 0.8 s it has fallen by 120.
    Graph graph = compile(patch);
    Engine engine({&graph, 1}, 48000.0, 1);
    engine.noteOn(1, 57.0, 100.0);
    for (int i = 0; i < 300; ++i) engine.process(16);
    engine.noteOff(1);
    int blocks = 0;
    while (engine.active() && blocks < 20000) engine.process(16), ++blocks;
    EXPECT_LT(blocks * 16, 2 * 48000);
    EXPECT_GT(blocks * 16, 24000);
}

TEST(Chains, TellHowFarACompressorHoldsDown) {
    Patch patch = sinePatch();
    const std::string compressor = addEffect(patch, ModuleKind::compressor);
    patch.set({compressor, "threshold"}, -20.0);
    patch.set({compressor, "ratio"}, 20.0);
    patch.set({compressor, "knee"}, 0.0);
    Graph graph = compile(patch);
    Engine engine({&graph, 1}, 48000.0, 1);
    EXPECT_EQ(engine.reductionDb(0), 0.0);
    engine.noteOn(1, 57.0, 127.0);
    for (int i = 0; i < 1000; ++i) engine.process(16);
    EXPECT_NEAR(engine.reductionDb(0), 19.0, 1.0);
}

TEST(Chains, HoldAtMostTwelve) {
    Patch patch;
    for (int i = 0; i < mostEffects; ++i) addEffect(patch, everyEffect[static_cast<std::size_t>(i % 3)]);
    EXPECT_THROW(patch.add("reverb:a"), Error);
    patch.remove("saturation:a");
    patch.add("reverb:a");
    EXPECT_THROW(patch.add("reverb:Big"), Error);
}

// ---- parts left out ----

TEST(Parts, LeftOutTakeTheirSoundAlong) {
    Patch patch = sinePatch();
    patch.set({"layer:a/source:b", "on"}, 1.0);
    patch.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::saw));
    patch.set({"layer:a/source:b", "level"}, -12.0);
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 900.0);
    const std::string delay = addEffect(patch, ModuleKind::delay);
    const std::string reverb = addEffect(patch, ModuleKind::reverb);
    link(patch, "layer:a/envelope:filter", "layer:a/source:b/cents", 60.0);
    patch.set({"link:a", "amount"}, 60.0);
    const auto sound = [&](const Patch& p) { return renderAt48k({&p, 1}, twoNotes(1)).front().channels[0]; };
    // Dry and linear, each source without the other adds up to both.
    const Patch dry = withoutEffectsFrom(patch, delay);
    EXPECT_EQ(dry.value({delay, "on"}), 0.0);
    EXPECT_EQ(dry.value({reverb, "on"}), 0.0);
    const auto whole = sound(dry), a = sound(without(dry, "layer:a/source:b")),
               b = sound(without(dry, "layer:a/source:a"));
    for (std::size_t i = 0; i < whole.size(); i += 37) ASSERT_NEAR(whole[i], a[i] + b[i], 2e-5f);
    EXPECT_EQ(sound(alone(dry, "layer:a/source:a")), a);
    // Up to a module: what comes after is off, what comes before is not.
    const Patch toDelay = upTo(patch, delay);
    EXPECT_EQ(toDelay.value({delay, "on"}), 1.0);
    EXPECT_EQ(toDelay.value({reverb, "on"}), 0.0);
    const Patch toSource = upTo(patch, "layer:a/source:b");
    EXPECT_EQ(toSource.value({"layer:a/filter:a", "on"}), 0.0);
    EXPECT_EQ(toSource.value({delay, "on"}), 0.0);
    // What an envelope moves stays at rest.
    EXPECT_EQ(without(patch, "layer:a/envelope:filter").value({"link:a", "on"}), 0.0);
    EXPECT_EQ(without(patch, "layer:a/envelope:level").value({"layer:a/envelope:level", "sustain"}), 100.0);
    const auto silent = sound(without(dry, "layer:a"));
    EXPECT_TRUE(std::all_of(silent.begin(), silent.end(), [](float v) { return v == 0.0f; }));
    EXPECT_THROW(without(patch, "output"), Error);
    EXPECT_THROW(without(patch, "chorus:x"), Error);
    EXPECT_THROW(alone(patch, delay), Error);
    EXPECT_THROW(upTo(patch, "link:a"), Error);
    EXPECT_THROW(withoutEffectsFrom(patch, "layer:a"), Error);
}

TEST(Renders, GoOnToSilence) {
    Patch patch = sinePatch();
    const std::string delay = addEffect(patch, ModuleKind::delay);
    patch.set({delay, "time"}, 400.0);
    patch.set({delay, "feedback"}, 50.0);
    patch.set({delay, "mix"}, 50.0);
    const Performance performance = oneNote(57, 0.0, 0.2, 0.3);
    const Recording whole = renderToSilence(patch, performance);
    // Each echo is half of the one before: after n of them 2^-n is below 1e-6 at n = 20, 8 s.
    EXPECT_GT(whole.seconds(), 6.0);
    EXPECT_LT(whole.seconds(), 11.0);
    patch.set({delay, "feedback"}, 110.0);
    const double cut = renderToSilence(patch, performance, 2.0).seconds();
    EXPECT_TRUE(cut > 1.9 && cut <= 2.3) << "what never ends is cut: " << cut;
    patch.set({delay, "on"}, 0.0);
    EXPECT_NEAR(renderToSilence(patch, performance).seconds(), 0.3, 0.01);
}

} // namespace
} // namespace facet
