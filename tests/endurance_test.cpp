// What the engine must hold out: every fixture played live for long, parameters and notes by chance, hostile
// performances; and that its audio path takes no memory.
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "tests/support/allocations.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

std::vector<Patch> everyFixture() {
    std::vector<std::filesystem::path> paths;
    for (const auto& entry :
         std::filesystem::directory_iterator(std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches"))
        paths.push_back(entry.path());
    std::sort(paths.begin(), paths.end());
    std::vector<Patch> patches;
    for (const auto& path : paths) patches.push_back(readPatch(path));
    return patches;
}

/// Every effect at once, as far as there is room for them.
std::vector<Patch> patchesWithEveryEffect() {
    std::vector<Patch> patches;
    for (int k = 0; k < moduleKindCount; ++k) {
        const auto kind = static_cast<ModuleKind>(k);
        if (!isEffect(kind)) continue;
        if (patches.empty() || std::count_if(patches.back().modules().begin(), patches.back().modules().end(),
                                             [](const auto& m) { return isEffect(m.kind); }) >= 9)
            patches.emplace_back();
        const std::string path = patches.back().freePath(kind);
        patches.back().add(path);
        patches.back().set({path, "on"}, 1.0);
    }
    return patches;
}

TEST(AudioPath, TakesNoMemory) {
    auto patches = everyFixture();
    for (const Patch& patch : patchesWithEveryEffect()) patches.push_back(patch);
    for (const Patch& patch : patches) {
        SCOPED_TRACE(patch.name);
        Patch other = patch;
        other.set({"layer:a/source:a", "cents"}, 20.0);
        const Graph first = compile(patch), second = compile(other);
        Engine engine({&first, 1}, 48000.0, 1);
        const FlushDenormals flush;
        const testing::AllocationCounter counter;
        for (int block = 0; block < 1500; ++block) {
            if (block % 40 == 0) engine.noteOn(static_cast<std::uint32_t>(block), 40.0 + block % 37, 1.0 + block % 127);
            if (block % 40 == 30) engine.noteOff(static_cast<std::uint32_t>(block - 30));
            if (block % 100 == 50) engine.setValues(block % 200 == 50 ? second : first);
            engine.bend(0.01 * (block % 50));
            engine.wheel(0.01 * (block % 100));
            engine.process(block % 7 == 0 ? 5 : block % 5 == 0 ? 64 : 16);
            if (block == 1200) engine.silence();
            if (!engine.active()) engine.rest(16);
        }
        EXPECT_EQ(counter.count(), 0);
    }
}

TEST(AMinuteByChance, StaysFiniteAndWithinTheLimiter) {
    // Four seconds of each of fifteen patches: notes, bends and values of any parameter that can move, at any moment.
    const FlushDenormals flush;
    Random random(17);
    const auto patches = everyFixture();
    ASSERT_GE(patches.size(), 15u);
    for (const Patch& fixture : patches) {
        SCOPED_TRACE(fixture.name);
        Patch patch = fixture;
        const std::string limiter = patch.freePath(ModuleKind::limiter);
        patch.add(limiter);
        patch.set({limiter, "on"}, 1.0);
        patch.set({limiter, "ceiling"}, -1.0);
        patch.set({"layer:a/source:a", "route"}, 0.0);
        for (const auto& module : fixture.modules()) // everything passes the limiter
            if (module.kind == ModuleKind::source) patch.set({module.path, "route"}, 0.0);
        std::vector<Address> movable;
        for (const Address& address : patch.addresses())
            if (patch.descriptor(address).smoothing != Smoothing::graph && address.module != limiter &&
                address.module != "output")
                movable.push_back(address);
        const Graph graph = compile(patch);
        Engine engine({&graph, 1}, 48000.0, 3);
        const float ceiling = std::pow(10.0f, -1.0f / 20.0f) * 1.00001f;
        std::uint32_t number = 0;
        for (int block = 0; block < 12000; ++block) {
            if (random.unit() < 0.02) engine.noteOn(++number, random.between(20.0, 110.0), random.between(1.0, 127.0));
            if (random.unit() < 0.02 && number > 0)
                engine.noteOff(1 + static_cast<std::uint32_t>(random.between(0.0, number)));
            if (random.unit() < 0.02) engine.bend(random.between(-12.0, 12.0));
            if (random.unit() < 0.03) {
                const Address& address =
                    movable[static_cast<std::size_t>(random.between(0.0, static_cast<double>(movable.size())))];
                patch.setNearest(address, patch.descriptor(address).fromUnit(random.unit()));
                engine.setValues(compile(patch));
            }
            const int length = block % 11 == 0 ? 64 : block % 7 == 0 ? 23 : 16;
            const auto& sound = engine.process(length).front();
            for (std::size_t t = 0; t < static_cast<std::size_t>(length); ++t)
                for (float v : {sound.left[t], sound.right[t]}) {
                    ASSERT_TRUE(std::isfinite(v)) << "block " << block;
                    ASSERT_LE(std::abs(v), ceiling) << "block " << block;
                }
        }
    }
}

/// Renders with controls evaluated after so many samples.
std::vector<float> renderedInBlocks(const Patch& patch, int frames, int block) {
    const FlushDenormals flush;
    const Graph graph = compile(patch);
    Engine engine({&graph, 1}, 48000.0, 1);
    engine.noteOn(1, 45.0, 100.0);
    std::vector<float> out;
    for (int at = 0; at < frames; at += block) {
        if (at == frames * 3 / 4) engine.noteOff(1);
        const auto& sound = engine.process(block).front();
        out.insert(out.end(), sound.left.begin(), sound.left.begin() + block);
    }
    return out;
}

TEST(Controls, AreFineEnoughWhereValuesMoveSlowly) {
    // Against four times finer steps: what is left above 4 kHz, where the steps of a coarse control would buzz, lies 60
    // dB below the sound.
    const auto moved = [](const std::string& to, double amount, double rate) {
        Patch patch;
        patch.set({"layer:a/source:a", "phase_random"}, 0.0);
        patch.set({"layer:a/filter:a", "on"}, 1.0);
        patch.set({"layer:a/filter:a", "cutoff"}, 900.0);
        patch.set({"layer:a/filter:a", "resonance"}, 9.0);
        patch.set({"layer:a/envelope:level", "attack"}, 60.0);
        patch.set({"layer:a/envelope:level", "release"}, 200.0);
        patch.add("layer:a/lfo:a");
        patch.set({"layer:a/lfo:a", "rate"}, rate);
        patch.add("post-filter:a");
        patch.set({"post-filter:a", "on"}, 1.0);
        patch.set({"post-filter:a", "cutoff"}, 6000.0);
        patch.add("link:a");
        ModuleData link;
        link.from = "layer:a/lfo:a";
        link.to = to;
        patch.setData("link:a", link);
        patch.set({"link:a", "amount"}, amount);
        return patch;
    };
    const std::vector<std::pair<const char*, Patch>> cases{
        {"cutoff", moved("layer:a/filter:a/cutoff", 24.0, 2.0)},
        {"pitch", moved("layer:a/source:a/cents", 30.0, 5.0)},
        {"level", moved("layer:a/level", 6.0, 5.0)},
        {"resonance", moved("layer:a/filter:a/resonance", 6.0, 2.0)},
        {"an effect", moved("post-filter:a/cutoff", 12.0, 2.0)},
    };
    for (const auto& [what, patch] : cases) {
        constexpr int frames = 96000;
        const auto coarse = renderedInBlocks(patch, frames, 16), fine = renderedInBlocks(patch, frames, 4);
        // A high-pass of second order at 4 kHz (Butterworth, bilinear), twice.
        const double k = std::tan(std::numbers::pi * 4000.0 / 48000.0), q = 1.0 / std::numbers::sqrt2;
        const double norm = 1.0 / (1.0 + k / q + k * k);
        std::vector<double> x(frames);
        double power = 0.0;
        for (std::size_t i = 0; i < x.size(); ++i) {
            x[i] = static_cast<double>(coarse[i]) - fine[i];
            power += static_cast<double>(fine[i]) * fine[i];
        }
        for (int pass = 0; pass < 2; ++pass) {
            double x1 = 0.0, x2 = 0.0, y1 = 0.0, y2 = 0.0;
            for (double& v : x) {
                const double y =
                    norm * (v - 2.0 * x1 + x2) - 2.0 * (k * k - 1.0) * norm * y1 - (1.0 - k / q + k * k) * norm * y2;
                x2 = x1, x1 = v, y2 = y1, y1 = y;
                v = y;
            }
        }
        double left = 0.0;
        for (double v : x) left += v * v;
        EXPECT_LT(10.0 * std::log10(left / power + 1e-20), -60.0) << what;
    }
}

TEST(HostilePerformances, ArePlayedByAStatedRule) {
    const Patch patch;
    // A thousand notes at once: the voice limit decides; the newest are heard.
    Performance crowd;
    for (int i = 0; i < 1000; ++i) crowd.notes.push_back({0.1, 0.3, i % 128, 0.0, 100.0});
    crowd.frames = 24000;
    const Recording many = render(patch, crowd);
    float peak = 0.0f;
    for (float v : many.channels[0]) {
        ASSERT_TRUE(std::isfinite(v));
        peak = std::max(peak, std::abs(v));
    }
    EXPECT_GT(peak, 0.1f);
    EXPECT_LT(peak, 8.5f * 1.2f) << "eight voices at most";
    // A note without length lasts a sample and its release.
    Performance point;
    point.notes.push_back({0.1, 0.1, 60, 0.0, 100.0});
    point.frames = 24000;
    Patch slow = patch;
    slow.set({"layer:a/envelope:level", "attack"}, 0.0);
    slow.set({"layer:a/envelope:level", "release"}, 100.0);
    const Recording tap = render(slow, point);
    double before = 0.0, after = 0.0, late = 0.0;
    for (std::size_t i = 0; i < 4800; ++i) before += std::abs(tap.channels[0][i]);
    for (std::size_t i = 4800; i < 9600; ++i) after += std::abs(tap.channels[0][i]);
    for (std::size_t i = 9700; i < 24000; ++i) late += std::abs(tap.channels[0][i]);
    EXPECT_EQ(before, 0.0);
    EXPECT_GT(after, 1.0);
    EXPECT_EQ(late, 0.0);
    // A wavetable, sample or response without any: silence, and a response that passes the sound.
    Patch empty;
    for (Wave wave : {Wave::wavetable, Wave::sample}) {
        empty.set({"layer:a/source:a", "wave"}, static_cast<double>(wave));
        const Recording nothing = render(empty, testing::oneNote(60, 0.0, 0.2, 0.3));
        for (float v : nothing.channels[0]) ASSERT_EQ(v, 0.0f);
    }
    Patch through;
    through.set({"layer:a/source:a", "phase_random"}, 0.0);
    const Recording dry = render(through, testing::oneNote(60, 0.0, 0.2, 0.3));
    through.add("response:a");
    through.set({"response:a", "on"}, 1.0);
    through.set({"response:a", "kind"}, 0.0);
    const Recording wet = render(through, testing::oneNote(60, 0.0, 0.2, 0.3));
    for (std::size_t i = 0; i < dry.channels[0].size(); i += 7)
        ASSERT_NEAR(wet.channels[0][i], dry.channels[0][i], 1e-5f);
}

} // namespace
} // namespace facet
