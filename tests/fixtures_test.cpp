// Patches named by technique, in tests/fixtures/patches: every one is held to determinism and lanes, and each to what
// makes it what it is. A new file there takes part in the first two tests by itself.
#include "core/analysis/facets/glide.h"
#include "core/analysis/facets/pitch.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::componentDb;

const std::filesystem::path folder = std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches";

std::vector<std::filesystem::path> everyFixture() {
    std::vector<std::filesystem::path> paths;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) paths.push_back(entry.path());
    std::sort(paths.begin(), paths.end());
    return paths;
}

Patch fixture(const char* name) { return readPatch(folder / (std::string(name) + ".json")); }

Performance phrase(std::vector<Note> notes, double seconds) {
    Performance performance;
    performance.notes = std::move(notes);
    performance.frames = static_cast<int>(seconds * 48000);
    return performance;
}

Recording rendered(const char* name, std::vector<Note> notes, double seconds) {
    return render(fixture(name), phrase(std::move(notes), seconds));
}

/// Level of a frequency around an instant, in dB.
double levelAt(const std::vector<float>& x, double seconds, double hz, int size = 4096) {
    return componentDb(x, std::max(0, static_cast<int>(seconds * 48000) - size / 2), size, hz, 48000.0);
}

double centroidAt(const std::vector<float>& x, double seconds) {
    constexpr int size = 2048;
    RealFft fft(size);
    windowedFrame(x, static_cast<int>(seconds * 48000) - size / 2, hannWindow(size), fft.time());
    fft.forward();
    double sum = 1e-20, weighted = 0.0;
    for (int b = 1; b < fft.binCount(); ++b) {
        const double power = std::norm(fft.bins()[static_cast<std::size_t>(b)]);
        sum += power;
        weighted += power * b * 48000.0 / size;
    }
    return weighted / sum;
}

double pitchAt(const std::vector<float>& x, double seconds) {
    return trackPitch(x, {.stepSeconds = 0.005}).hz.at(seconds);
}

TEST(EveryFixture, SoundsAndIsRepeatable) {
    ASSERT_GE(everyFixture().size(), 15u);
    for (const auto& path : everyFixture()) {
        SCOPED_TRACE(path.filename().string());
        const Patch patch = readPatch(path);
        EXPECT_EQ(patchFromJson(patchToJson(patch)), patch);
        const Performance performance =
            phrase({{0.0, 0.5, 45, 0.0, 110.0}, {0.4, 0.8, 52, 0.0, 60.0}, {0.9, 1.0, 64, 0.0, 90.0}}, 1.5);
        const Recording first = render(patch, performance);
        EXPECT_EQ(first.channels, render(patch, performance).channels);
        float peak = 0.0f;
        for (const auto& channel : first.channels)
            for (float v : channel) {
                ASSERT_TRUE(std::isfinite(v));
                peak = std::max(peak, std::abs(v));
            }
        EXPECT_GT(peak, 0.05f);
        EXPECT_LT(peak, 20.0f);
    }
}

TEST(EveryFixture, IsTheSameAloneAndBesideOthersAndOnEveryInstructionSet) {
    for (const auto& path : everyFixture()) {
        SCOPED_TRACE(path.filename().string());
        const Performance performance = phrase({{0.0, 0.4, 45, 0.0, 110.0}}, 0.5);
        std::vector<Patch> patches(5, readPatch(path));
        for (std::size_t i = 0; i < patches.size(); ++i)
            patches[i].set({"layer:a/source:a", "cents"}, 3.0 * static_cast<double>(i));
        const auto together = renderAt48k(patches, performance);
        EXPECT_EQ(together[3].channels, renderAt48k({&patches[3], 1}, performance).front().channels);
        float peak = 0.0f;
        for (float v : together[0].channels[0]) peak = std::max(peak, std::abs(v));
        for (const char* target : {"AVX3", "AVX2", "SSE4"}) {
            if (!kernels::forceTarget(target)) continue;
            const auto other = renderAt48k({&patches[0], 1}, performance).front();
            float worst = 0.0f;
            for (std::size_t i = 0; i < other.channels[0].size(); ++i)
                worst = std::max(worst, std::abs(other.channels[0][i] - together[0].channels[0][i]));
            EXPECT_LT(worst, 1e-4f * peak) << target;
        }
        kernels::forceTarget("");
    }
}

TEST(EveryFixture, IsTheSameInLongAndInShortCalls) {
    const FlushDenormals flush;
    auto patches = [] {
        std::vector<Patch> all;
        for (const auto& path : everyFixture()) all.push_back(readPatch(path));
        // None of them is as plain as what is made several blocks at a time: filtered, gliding, stacked, in two layers.
        Patch plain;
        plain.set({"layer:a/filter:a", "on"}, 1.0);
        plain.set({"layer:a/filter:a", "cutoff"}, 700.0);
        plain.set({"layer:a/filter:a", "envelope"}, 30.0);
        all.push_back(plain);
        plain.set({"layer:a/source:a", "voices"}, 3.0);
        plain.set({"layer:a/source:a", "spread"}, 60.0);
        plain.set({"voicing", "glide"}, 37.0);
        all.push_back(plain);
        plain.set({"layer:a/filter:a", "kind"}, static_cast<double>(FilterKind::ladder));
        all.push_back(plain);
        const std::string reverb = plain.freePath(ModuleKind::reverb);
        plain.add(reverb);
        plain.set({reverb, "on"}, 1.0);
        all.push_back(plain);
        return all;
    }();
    for (std::size_t p = 0; p < patches.size(); ++p) {
        SCOPED_TRACE(p);
        const Graph graph = compile(patches[p]);
        const auto rendered = [&](int call) {
            Engine engine({&graph, 1}, 48000.0, 5);
            std::array<std::vector<float>, 2> out;
            for (int at = 0; at < 19200; at += call) {
                if (at == 0) engine.noteOn(1, 45.0, 100.0);
                if (at == 6400) engine.noteOn(2, 57.0, 80.0);
                if (at == 9728) engine.noteOff(1);
                if (at == 12800) engine.noteOff(2);
                const auto& block = engine.process(call).front();
                out[0].insert(out[0].end(), block.left.begin(), block.left.end());
                out[1].insert(out[1].end(), block.right.begin(), block.right.end());
            }
            EXPECT_LE(call, engine.mostFrames());
            return out;
        };
        const auto inBlocks = rendered(16);
        for (int call : {64, 256}) {
            const auto inStretches = rendered(call);
            for (std::size_t side = 0; side < 2; ++side)
                for (std::size_t t = 0; t < inBlocks[side].size(); ++t)
                    ASSERT_EQ(inStretches[side][t], inBlocks[side][t]) << call << " side " << side << " at " << t;
        }
    }
}

TEST(Fixture, SlidingLeadSlidesOnOverlapsOnly) {
    const auto x = rendered("sliding-lead",
                            {{0.0, 0.55, 57, 0.0, 100.0}, {0.5, 1.0, 69, 0.0, 100.0}, {1.2, 1.7, 57, 0.0, 100.0}}, 2.0)
                       .channels[0];
    const Glide glide = fitGlide(x, trackPitch(x).hz, 0.5, 220.0, 440.0, 0.2, 0.9);
    EXPECT_NEAR(glide.start, 0.5, 0.01);
    EXPECT_NEAR(glide.seconds, 0.09, 0.012);
    EXPECT_NEAR(keyFromHz(pitchAt(x, 1.26)), 57.0, 0.1) << "a note by itself begins on its pitch";
    // The LFO moves the resonance at 900 Hz, near the fourth partial of A3 (880 Hz).
    std::vector<double> levels;
    for (double t = 0.1; t < 0.45; t += 0.02) levels.push_back(levelAt(x, t, 880.0, 2048));
    EXPECT_GT(*std::max_element(levels.begin(), levels.end()) - *std::min_element(levels.begin(), levels.end()), 4.0);
}

TEST(Fixture, VelocityBellHasFewerSidebandsWhenStruckHarder) {
    const auto sideband = [](double velocity) {
        const auto x = rendered("velocity-bell", {{0.0, 1.0, 69, 0.0, velocity}}, 1.2).channels[0];
        return levelAt(x, 0.2, 440.0 * (1.0 + 7.0 / 5.0), 8192) - levelAt(x, 0.2, 440.0, 8192);
    };
    EXPECT_GT(sideband(30.0), sideband(120.0) + 6.0);
    EXPECT_GT(sideband(30.0), -10.0);
}

TEST(Fixture, VowelDroneFillsUpAsItsUpperModulatorComesIn) {
    const auto x = rendered("vowel-drone", {{0.0, 2.5, 45, 0.0, 100.0}}, 2.6).channels[0];
    // Two modulators side by side: bands around the fifth and the ninth partial from the beginning.
    for (double n : {4.0, 6.0, 8.0, 10.0}) EXPECT_GT(levelAt(x, 0.4, 110.0 * n, 8192), -45.0) << n;
    // The one above another puts partials between them.
    EXPECT_GT(levelAt(x, 2.0, 110.0 * 3.0, 8192), levelAt(x, 0.3, 110.0 * 3.0, 8192) + 6.0);
}

TEST(Fixture, SweptEnsembleIsNotchedElsewhereEveryMoment) {
    const auto x = rendered("swept-ensemble", {{0.0, 2.4, 45, 0.0, 100.0}}, 2.6).channels[0];
    double least = 0.0, most = -200.0;
    for (double t = 0.4; t < 2.3; t += 0.1) {
        // The third partial against the first: no envelope or beating moves them so far apart.
        const double apart = levelAt(x, t, 330.0, 8192) - levelAt(x, t, 110.0, 8192);
        least = std::min(least, apart);
        most = std::max(most, apart);
    }
    EXPECT_GT(most - least, 8.0);
}

TEST(Fixture, NineVoiceBrassIsBrighterWhenBlownHarderAndSlidesAlways) {
    const auto centroid = [](double velocity) {
        return centroidAt(rendered("nine-voice-brass", {{0.0, 1.0, 57, 0.0, velocity}}, 1.2).channels[0], 0.5);
    };
    EXPECT_GT(centroid(120.0), 1.25 * centroid(40.0));
    const auto x =
        rendered("nine-voice-brass", {{0.0, 0.4, 57, 0.0, 110.0}, {0.6, 1.2, 69, 0.0, 110.0}}, 1.4).channels[0];
    EXPECT_NEAR(keyFromHz(pitchAt(x, 0.9)), 69.0, 0.3);
    // After a third of the time the bent way has covered most: 1 − e^(−2) of about all.
    const double early = levelAt(x, 0.62, 440.0, 2048);
    EXPECT_LT(early, levelAt(x, 0.75, 440.0, 2048) - 3.0) << "it was not yet there";
}

TEST(Fixture, StruckReedHasItsUpperLayerSixMillisecondsLateAndSofterKeysAbove) {
    Patch upper = fixture("struck-reed");
    upper.set({"layer:a/source:a", "on"}, 0.0);
    const auto x = render(upper, phrase({{0.0, 0.5, 60, 0.0, 100.0}}, 0.6)).channels[0];
    for (std::size_t i = 0; i < 288; ++i) ASSERT_EQ(x[i], 0.0f) << i;
    EXPECT_GT(std::abs(x[300]) + std::abs(x[310]), 1e-3f);
    const auto level = [](int key) {
        const auto y = rendered("struck-reed", {{0.0, 0.5, key, 0.0, 100.0}}, 0.6).channels[0];
        return levelAt(y, 0.06, hzFromKey(key), 4096);
    };
    EXPECT_NEAR(level(72) - level(60), -6.0, 0.7);
}

TEST(Fixture, SirenRingsInItsCombWhileItsSyncRises) {
    const auto x = rendered("siren", {{0.0, 1.4, 45, 0.0, 100.0}}, 1.6).channels[0];
    // 110 Hz through a comb at 330 Hz: every third partial stands out.
    EXPECT_GT(levelAt(x, 0.3, 660.0, 8192), levelAt(x, 0.3, 550.0, 8192) + 6.0);
    EXPECT_GT(centroidAt(x, 0.55), 1.2 * centroidAt(x, 0.05)) << "at the top of its shape";
}

TEST(Fixture, FallingTomFallsAndClicks) {
    const auto x = rendered("falling-tom", {{0.0, 0.6, 40, 0.0, 110.0}}, 0.8).channels[0];
    const double rest = hzFromKey(40);
    EXPECT_NEAR(pitchAt(x, 0.3), rest, 0.03 * rest);
    int crossings = 0;
    for (std::size_t i = 1; i < 960; ++i) crossings += x[i - 1] < 0.0f && x[i] >= 0.0f; // 20 ms
    EXPECT_GT(crossings, 1.4 * rest * 0.02) << "it begins more than half an octave higher";
    EXPECT_GT(levelAt(x, 0.004, 9000.0, 512), levelAt(x, 0.08, 9000.0, 512) + 20.0) << "the click is over at once";
}

TEST(Fixture, RandomClusterFallsIntoPitchFromEverywhere) {
    std::vector<double> starts;
    for (double start : {0.0, 2.0, 4.0, 6.0}) {
        // One note at a time of the same phrase, so that each can be heard by itself.
        const auto x = rendered("random-cluster",
                                {{0.0, 1.5, 57, 0.0, 100.0},
                                 {2.0, 3.5, 57, 0.0, 100.0},
                                 {4.0, 5.5, 57, 0.0, 100.0},
                                 {6.0, 7.5, 57, 0.0, 100.0}},
                                8.0)
                           .channels[0];
        starts.push_back(keyFromHz(pitchAt(x, start + 0.06)));
        EXPECT_NEAR(keyFromHz(pitchAt(x, start + 1.2)), 57.0, 0.05);
    }
    std::sort(starts.begin(), starts.end());
    EXPECT_GT(starts.back() - starts.front(), 2.0) << "semitones";
}

TEST(Fixture, MonoLowDroneIsOneBelowAndWideAbove) {
    const auto x = rendered("mono-low-drone", {{0.0, 2.0, 45, 0.0, 100.0}}, 2.2);
    std::vector<float> side(x.channels[0].size());
    for (std::size_t i = 0; i < side.size(); ++i) side[i] = 0.5f * (x.channels[0][i] - x.channels[1][i]);
    EXPECT_LT(levelAt(side, 1.2, 55.0, 16384), levelAt(x.channels[0], 1.2, 55.0, 16384) - 40.0) << "the plain low end";
    // The chorus and the detuned voices would spread the fundamental as far as the partials above.
    EXPECT_LT(levelAt(side, 1.2, 110.0, 16384), levelAt(x.channels[0], 1.2, 110.0, 16384) - 8.0);
    double widest = -200.0;
    for (double t : {0.8, 1.0, 1.2, 1.4})
        widest = std::max(widest, levelAt(side, t, 440.0, 8192) - levelAt(x.channels[0], t, 440.0, 8192));
    EXPECT_GT(widest, -6.0) << "the spread voices";
}

TEST(Fixture, RingHitLeavesSumAndDifferenceLouderAsItDiesAway) {
    const auto x = rendered("ring-hit", {{0.0, 0.4, 57, 0.0, 110.0}}, 0.8).channels[0];
    // 220 Hz and 7/5 of it: 88 and 528 Hz, neither of the two themselves.
    for (double hz : {88.0, 528.0}) EXPECT_GT(levelAt(x, 0.12, hz, 8192), levelAt(x, 0.12, 220.0, 8192) + 12.0) << hz;
    // Pressed down while loud, lifted when soft: it falls less than its envelope does.
    Patch plain = fixture("ring-hit");
    plain.set({"band-compressor:a", "on"}, 0.0);
    const auto dry = render(plain, phrase({{0.0, 0.4, 57, 0.0, 110.0}}, 0.8)).channels[0];
    const auto fall = [&](const std::vector<float>& y) { return levelAt(y, 0.08, 528.0) - levelAt(y, 0.36, 528.0); };
    EXPECT_LT(fall(x), fall(dry) - 6.0);
}

TEST(Fixture, FiveBitBeeperHasItsImagesInItsBand) {
    Patch patch = fixture("five-bit-beeper");
    const auto x = render(patch, phrase({{0.0, 1.0, 69, 0.0, 110.0}}, 1.1)).channels[0];
    patch.set({"reduction:a", "on"}, 0.0);
    const auto clean = render(patch, phrase({{0.0, 1.0, 69, 0.0, 110.0}}, 1.1)).channels[0];
    // The band is where it was set: the partial at 1760 Hz stands above its neighbors' place in a triangle.
    EXPECT_GT(levelAt(x, 0.5, 1320.0, 8192), levelAt(x, 0.5, 440.0, 8192) - 25.0);
    // Held at 11 kHz, what lies at 11000 − 25 × 440 = 0 … folds onto new places: 11000 − 9240 = 1760 and its like.
    double added = -200.0;
    for (double hz : {1760.0, 2640.0, 880.0})
        added = std::max(added, levelAt(x, 0.5, hz, 8192) - levelAt(clean, 0.5, hz, 8192));
    EXPECT_GT(added, 10.0) << "even places, which a triangle leaves empty";
}

TEST(Fixture, RisingOstinatoIsBrighterNoisierAndWiderAtItsEnd) {
    std::vector<Note> notes;
    for (int i = 0; i < 24; ++i) notes.push_back({0.25 * i, 0.25 * i + 0.2, i % 4 == 3 ? 48 : 45, 0.0, 100.0});
    const auto x = rendered("rising-ostinato", notes, 6.2); // twelve beats at 120 per minute
    const auto& left = x.channels[0];
    EXPECT_GT(centroidAt(left, 5.55), 1.6 * centroidAt(left, 0.05));
    const auto hiss = [&](double t) { return levelAt(left, t, 7003.0, 2048) - levelAt(left, t, 110.0, 2048); };
    double early = 0.0, late = 0.0;
    for (int i = 0; i < 4; ++i) {
        early += hiss(0.06 + 0.25 * i) / 4.0;
        late += hiss(5.06 + 0.25 * i) / 4.0;
    }
    EXPECT_GT(late, early + 12.0);
}

TEST(Fixture, GatedPadStepsUpFiveTimesAndOpensItsTable) {
    const auto x = rendered("gated-pad", {{0.0, 3.0, 57, 0.0, 100.0}}, 3.2).channels[0];
    Patch patch = fixture("gated-pad");
    patch.set({"reverb:a", "on"}, 0.0);
    patch.set({"layer:a/source:a", "voices"}, 1.0);
    const auto dry = render(patch, phrase({{0.0, 3.0, 57, 0.0, 100.0}}, 3.2)).channels[0];
    // Half a bar at 120 per minute is a second; a fifth of it a step: 12 dB × (−0.8, −0.4, 0, 0.5, 1) about the middle.
    std::vector<double> steps;
    for (int i = 0; i < 5; ++i) steps.push_back(levelAt(dry, 2.1 + 0.2 * i, 220.0, 4096));
    for (std::size_t i = 1; i < 5; ++i) EXPECT_GT(steps[i], steps[i - 1] + 2.5) << i;
    EXPECT_NEAR(steps[4] - steps[0], 12.0 * 1.8, 1.5);
    EXPECT_GT(levelAt(dry, 2.9, 2200.0, 4096) - levelAt(dry, 2.9, 220.0, 4096),
              levelAt(dry, 0.3, 2200.0, 4096) - levelAt(dry, 0.3, 220.0, 4096) + 10.0);
    EXPECT_NE(x, dry);
}

TEST(Fixture, TremoloStabSlowsDown) {
    const auto x = rendered("tremolo-stab", {{0.0, 2.4, 57, 0.0, 100.0}}, 2.5).channels[0];
    // Where the level turns from rising to falling.
    std::vector<double> tops;
    double before = -200.0, last = -200.0;
    for (double t = 0.05; t < 2.35; t += 0.005) {
        const double level = levelAt(x, t, 220.0, 1024);
        if (last > before && last > level) tops.push_back(t - 0.005);
        before = last;
        last = level;
    }
    ASSERT_GT(tops.size(), 8u);
    EXPECT_LT(tops[2] - tops[0], 0.6 * (tops.back() - tops[tops.size() - 3])) << "from 12 Hz to 4";
    EXPECT_NEAR(tops.back() - tops[tops.size() - 2], 0.25, 0.02);
}

} // namespace
} // namespace facet
