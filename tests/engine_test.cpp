#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/low_pass.h"
#include "core/dsp/window.h"
#include "core/engine/kernels/denormals.h"
#include "core/engine/engine.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/render.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::componentDb;
using testing::oneNote;

const std::string source = "layer:a/source:a";
const std::string filter = "layer:a/filter:a";
const std::string levelEnvelope = "layer:a/envelope:level";
const std::string filterEnvelope = "layer:a/envelope:filter";

Patch patchOf(std::initializer_list<std::pair<Address, double>> values) {
    Patch patch;
    patch.set({levelEnvelope, "attack"}, 0.0);
    for (const auto& [address, value] : values) patch.set(address, value);
    return patch;
}

Performance atHz(double hz, double seconds) {
    Performance performance = oneNote(60, 0.0, seconds, seconds);
    performance.notes[0].cents = 100.0 * (keyFromHz(hz) - 60.0);
    return performance;
}

std::vector<float> rendered(const Patch& patch, const Performance& performance) {
    return render(patch, performance).channels[0];
}

// ---- sources ----

struct WaveCase {
    Wave wave;
    double width;
    double (*amplitude)(int n, double w);
};

TEST(Sources, HaveTheFourierSeriesOfTheirShape) {
    // Fourier series with peak 1 (Oppenheim, Willsky, Nawab, Signals and Systems, 1997, chapter 3; saw, triangle and
    // pulse train): saw 2/(πn), triangle 8/(πn)² for odd n, pulse 4/(πn) |sin(πnw)|, sine 1.
    const WaveCase cases[] = {
        {Wave::sine, 0.5, [](int n, double) { return n == 1 ? 1.0 : 0.0; }},
        {Wave::triangle, 0.5,
         [](int n, double) { return n % 2 ? 8.0 / (std::numbers::pi * std::numbers::pi * n * n) : 0.0; }},
        {Wave::saw, 0.5, [](int n, double) { return 2.0 / (std::numbers::pi * n); }},
        {Wave::pulse, 0.5,
         [](int n, double w) { return 4.0 / (std::numbers::pi * n) * std::abs(std::sin(std::numbers::pi * n * w)); }},
        {Wave::pulse, 0.25,
         [](int n, double w) { return 4.0 / (std::numbers::pi * n) * std::abs(std::sin(std::numbers::pi * n * w)); }},
    };
    const double hz = 441.7;
    for (const auto& c : cases) {
        const auto x =
            rendered(patchOf({{{source, "wave"}, static_cast<double>(c.wave)}, {{source, "width"}, 100.0 * c.width}}),
                     atHz(hz, 1.0));
        for (int n = 1; n * hz < 18000.0; ++n) {
            const double expected = c.amplitude(n, c.width);
            const double db = componentDb(x, 8000, 32768, n * hz, 48000.0);
            if (expected > 1e-6)
                EXPECT_NEAR(db, 20.0 * std::log10(expected), 0.05) << static_cast<int>(c.wave) << " partial " << n;
            else
                EXPECT_LT(db, -85.0) << static_cast<int>(c.wave) << " partial " << n;
        }
    }
}

TEST(Sources, CrestFactorsAreTextbook) {
    // At equal peak: square 0, sine 3.01, triangle 4.77 dB (from the integrals of their squares).
    for (const auto& [wave, crest] :
         {std::pair{Wave::pulse, 0.0}, {Wave::sine, 3.01}, {Wave::triangle, 4.77}, {Wave::saw, 4.77}}) {
        const auto x = rendered(patchOf({{{source, "wave"}, static_cast<double>(wave)}}), atHz(100.0, 1.0));
        double power = 0.0;
        for (std::size_t i = 4800; i < 43200; ++i) power += static_cast<double>(x[i]) * x[i] / 38400.0;
        EXPECT_NEAR(-10.0 * std::log10(power), crest, 0.1) << static_cast<int>(wave);
    }
}

TEST(Sources, DoNotAlias) {
    // A saw at 4987 Hz and 48 kHz: no alias above −60 dB re the fundamental below 15 kHz, none above −80 dB below it.
    const double hz = 4987.0;
    for (Wave wave : {Wave::saw, Wave::pulse, Wave::triangle}) {
        const auto x = rendered(patchOf({{{source, "wave"}, static_cast<double>(wave)}, {{source, "width"}, 37.0}}),
                                atHz(hz, 1.0));
        constexpr int size = 32768;
        RealFft fft(size);
        const auto window = blackmanHarrisWindow(size);
        for (int i = 0; i < size; ++i)
            fft.time()[static_cast<std::size_t>(i)] =
                window[static_cast<std::size_t>(i)] * x[static_cast<std::size_t>(i + 6000)];
        fft.forward();
        const double fundamental = componentDb(x, 6000, size, hz, 48000.0);
        for (int b = 8; b < fft.binCount(); ++b) {
            const double at = b * 48000.0 / size;
            if (at > 15000.0) break;
            if (std::abs(at - hz * std::round(at / hz)) < 8.0 && at > 0.5 * hz) continue;
            const double db =
                dbFromGain(std::abs(fft.bins()[static_cast<std::size_t>(b)]) / (0.5 * size * 0.35875)) - fundamental;
            ASSERT_LT(db, at < hz ? -80.0 : -60.0) << at << " Hz, wave " << static_cast<int>(wave);
        }
    }
}

TEST(Sources, BlendInTheirShares) {
    const Performance note = atHz(110.0, 0.4);
    const auto soundOf = [&](Wave wave, Wave other, double blend, const char* mover) {
        Patch patch = patchOf({{{source, "wave"}, static_cast<double>(wave)},
                               {{source, "blend_wave"}, static_cast<double>(other)},
                               {{source, "blend"}, blend},
                               {{source, "width"}, 30.0},
                               {{source, "phase_random"}, 0.0},
                               {{filter, "on"}, 0.0}});
        if (*mover) {
            patch.set({"layer:a/source:b", "on"}, 1.0);
            patch.set({"layer:a/source:b", "level"}, -60.0);
            patch.set({"layer:a/source:b", "octave"}, 1.0);
            patch.set({"layer:a/source:b", "phase_random"}, 0.0);
            const std::string lfo = patch.freePath(ModuleKind::lfo, "layer:a");
            patch.add(lfo);
            patch.set({lfo, "rate"}, 20.0);
            ModuleData ends;
            ends.from = *mover == 's' ? "layer:a/source:b" : lfo;
            ends.to = source + "/width";
            patch.add("link:a");
            patch.setData("link:a", ends);
            patch.set({"link:a", "amount"}, 20.0);
        }
        return rendered(patch, note);
    };
    const std::vector<Wave> waves{Wave::sine, Wave::triangle, Wave::saw, Wave::pulse, Wave::clippedSine};
    for (const char* mover : {"", "lfo", "source"})
        for (Wave one : waves)
            for (Wave other : waves) {
                const auto a = soundOf(one, one, 0.0, mover), b = soundOf(other, other, 0.0, mover);
                const auto both = soundOf(one, other, 40.0, mover);
                float off = 0.0f;
                for (std::size_t i = 0; i < both.size(); ++i)
                    off = std::max(off, std::abs(both[i] - (0.6f * a[i] + 0.4f * b[i])));
                EXPECT_LT(off, 1e-4f) << static_cast<int>(one) << " and " << static_cast<int>(other) << " " << mover;
            }
}

TEST(Sources, AreTunedByOctaveSemitoneAndCents) {
    const auto x = rendered(patchOf({{{source, "wave"}, 0.0},
                                     {{source, "octave"}, -1.0},
                                     {{source, "semitone"}, 7.0},
                                     {{source, "cents"}, 50.0}}),
                            atHz(440.0, 1.0));
    const double expected = 440.0 * std::exp2(-1.0 + 7.5 / 12.0);
    EXPECT_NEAR(componentDb(x, 4800, 38000, expected, 48000.0), 0.0, 0.01);
    EXPECT_LT(componentDb(x, 4800, 38000, expected * std::exp2(30.0 / 1200.0), 48000.0), -20.0);
}

TEST(Sources, StackKeepsPowerAndSpreads) {
    const auto power = [](const std::vector<float>& x) {
        double sum = 0.0;
        for (float v : x) sum += static_cast<double>(v) * v;
        return sum;
    };
    Performance performance = oneNote(57, 0.0, 4.0, 4.0, 48000, 2);
    const Recording one = render(patchOf({}), performance);
    const Recording seven = render(
        patchOf({{{source, "voices"}, 7.0}, {{source, "detune"}, 25.0}, {{source, "spread"}, 100.0}}), performance);
    // Equal power up to the chance of the phases: about 1 dB.
    EXPECT_NEAR(10.0 * std::log10(power(seven.channels[0]) / power(one.channels[0])), 0.0, 1.2);
    double product = 0.0;
    for (std::size_t i = 0; i < seven.channels[0].size(); ++i)
        product += static_cast<double>(seven.channels[0][i]) * seven.channels[1][i];
    EXPECT_LT(product / std::sqrt(power(seven.channels[0]) * power(seven.channels[1])), 0.75);
    // Two voices panned fully apart correlate near 0.
    const Recording two = render(
        patchOf({{{source, "voices"}, 2.0}, {{source, "detune"}, 10.0}, {{source, "spread"}, 100.0}}), performance);
    product = 0.0;
    for (std::size_t i = 0; i < two.channels[0].size(); ++i)
        product += static_cast<double>(two.channels[0][i]) * two.channels[1][i];
    EXPECT_NEAR(product / std::sqrt(power(two.channels[0]) * power(two.channels[1])), 0.0, 0.1);
}

// ---- filter ----

TEST(Filter, HasItsPublishedResponse) {
    // Measured on the partials of a saw against the formula of core/dsp/low_pass.h, at a rate where both must agree.
    for (double slope : {0.0, 1.0})
        for (double resonance : {-12.0, -3.0, 12.0}) {
            const double hz = 110.3;
            const double cutoff = 1500.0;
            const auto open = rendered(patchOf({}), atHz(hz, 2.0));
            const auto closed = rendered(patchOf({{{filter, "on"}, 1.0},
                                                  {{filter, "slope"}, slope},
                                                  {{filter, "cutoff"}, cutoff},
                                                  {{filter, "resonance"}, resonance}}),
                                         atHz(hz, 2.0));
            for (int n : {1, 5, 10, 13, 14, 20, 40, 80}) {
                const double measured = componentDb(closed, 30000, 60000, n * hz, 48000.0) -
                                        componentDb(open, 30000, 60000, n * hz, 48000.0);
                EXPECT_NEAR(measured, lowPassResponseDb(slope == 0.0 ? 2 : 4, cutoff, resonance, n * hz, 48000.0), 0.1)
                    << "partial " << n;
            }
        }
}

TEST(Filter, StaysStableAndInTuneAtAnySetting) {
    for (double slope : {0.0, 1.0})
        for (double cutoff : {20.0, 90.0, 1000.0, 9000.0, 20000.0}) {
            // Struck by the step at the start of an 8 Hz sine's crest: the ring is at the cutoff.
            const auto x = rendered(patchOf({{{source, "wave"}, 0.0},
                                             {{source, "phase_random"}, 0.0},
                                             {{source, "phase"}, 90.0},
                                             {{filter, "on"}, 1.0},
                                             {{filter, "slope"}, slope},
                                             {{filter, "cutoff"}, cutoff},
                                             {{filter, "resonance"}, 36.0}}),
                                    oneNote(0, 0.0, 1.0, 1.0));
            float peak = 0.0f;
            for (float v : x) {
                ASSERT_TRUE(std::isfinite(v));
                peak = std::max(peak, std::abs(v));
            }
            EXPECT_LT(peak, 200.0f);
            if (cutoff < 500.0 || cutoff > 15000.0) continue;
            const double on = componentDb(x, 0, 8192, cutoff, 48000.0);
            EXPECT_GT(on, componentDb(x, 0, 8192, cutoff * 1.03, 48000.0)) << cutoff;
            EXPECT_GT(on, componentDb(x, 0, 8192, cutoff / 1.03, 48000.0)) << cutoff;
        }
}

TEST(Filter, SurvivesAFastSweepAcrossItsWholeRange) {
    const auto x = rendered(patchOf({{{filter, "on"}, 1.0},
                                     {{filter, "cutoff"}, 20.0},
                                     {{filter, "resonance"}, 30.0},
                                     {{filter, "envelope"}, 96.0},
                                     {{filterEnvelope, "attack"}, 1.0},
                                     {{filterEnvelope, "decay"}, 3.0}}),
                            oneNote(36, 0.0, 0.5, 0.5));
    for (float v : x) ASSERT_LT(std::abs(v), 100.0f);
}

TEST(Filter, FollowsKeyAndVelocity) {
    const auto rolloff = [](const Patch& patch, int key, double velocity) {
        Performance performance = oneNote(key, 0.0, 1.0, 1.0);
        performance.notes[0].velocity = velocity;
        const auto x = rendered(patch, performance);
        const double hz = hzFromKey(key);
        return componentDb(x, 10000, 30000, 8 * hz, 48000.0) - componentDb(x, 10000, 30000, hz, 48000.0);
    };
    const Patch tracked =
        patchOf({{{filter, "on"}, 1.0}, {{filter, "cutoff"}, 800.0}, {{filter, "key_tracking"}, 100.0}});
    EXPECT_NEAR(rolloff(tracked, 48, 127), rolloff(tracked, 72, 127), 1.0)
        << /* the bilinear transform bends 4 kHz a little */ "full tracking keeps the spectrum's shape";
    const Patch touched = patchOf({{{filter, "on"}, 1.0}, {{filter, "cutoff"}, 800.0}, {{filter, "velocity"}, 24.0}});
    EXPECT_GT(rolloff(touched, 60, 127), rolloff(touched, 60, 20) + 10.0);
}

// ---- notes and envelopes ----

TEST(Notes, StartAndEndOnTheirSample) {
    Performance performance = oneNote(69, 0.1, 0.3, 0.5);
    const auto x = rendered(patchOf({{{source, "wave"}, 3.0}, {{levelEnvelope, "release"}, 1.0}}), performance);
    for (std::size_t i = 0; i < 4800; ++i) ASSERT_EQ(x[i], 0.0f) << i;
    EXPECT_GT(std::abs(x[4801]), 0.1f);
    EXPECT_GT(std::abs(x[14390]), 0.5f);
    for (std::size_t i = 14400 + 50; i < x.size(); ++i) ASSERT_EQ(x[i], 0.0f) << i;
}

TEST(Notes, EnvelopeTimesHoldToAMillisecond) {
    const auto x = rendered(patchOf({{{source, "wave"}, 3.0},
                                     {{levelEnvelope, "attack"}, 50.0},
                                     {{levelEnvelope, "decay"}, 200.0},
                                     {{levelEnvelope, "sustain"}, 50.0},
                                     {{levelEnvelope, "decay_curve"}, 0.0}}),
                            oneNote(81, 0.0, 1.0, 1.0));
    const auto magnitude = [&](double seconds) { // a square's plateau, between its edges
        float peak = 0.0f;
        const int at = static_cast<int>(seconds * 48000);
        for (int i = at - 15; i < at + 15; ++i) peak = std::max(peak, std::abs(x[static_cast<std::size_t>(i)]));
        return peak;
    };
    EXPECT_NEAR(magnitude(0.025) / magnitude(0.05), 0.5, 0.04); // the overshoot of band-limited edges is common to both
    EXPECT_NEAR(magnitude(0.15) / magnitude(0.05), 0.75, 0.02);
    EXPECT_NEAR(magnitude(0.5) / magnitude(0.05), 0.5, 0.01);
}

TEST(Notes, GlideReachesTheNextNoteInItsTime) {
    Performance performance = oneNote(48, 0.0, 0.6, 1.2);
    performance.notes.push_back({0.5, 1.2, 60, 0.0, 100.0});
    const Patch patch = patchOf({{{source, "wave"}, 0.0}, {{"voicing", "mode"}, 2.0}, {{"voicing", "glide"}, 200.0}});
    const auto x = rendered(patch, performance);
    const auto hzAt = [&](double seconds) { // from two zero crossings
        std::size_t i = static_cast<std::size_t>(seconds * 48000);
        std::vector<double> crossings;
        for (; crossings.size() < 3; ++i)
            if (x[i] <= 0.0f && x[i + 1] > 0.0f) crossings.push_back(static_cast<double>(i) + x[i] / (x[i] - x[i + 1]));
        return 48000.0 * 2.0 / (crossings[2] - crossings[0]);
    };
    EXPECT_NEAR(centsBetween(hzFromKey(48), hzAt(0.4)), 0.0, 3.0);
    EXPECT_NEAR(centsBetween(hzFromKey(54), hzAt(0.5925)), 0.0, 60.0); // half-way in semitones; a window of two cycles
    EXPECT_NEAR(centsBetween(hzFromKey(60), hzAt(0.71)), 0.0, 3.0);
}

TEST(Notes, MonoGoesBackToTheHeldNote) {
    Performance performance = oneNote(48, 0.0, 1.2, 1.2);
    performance.notes.push_back({0.4, 0.8, 60, 0.0, 100.0});
    const auto x = rendered(patchOf({{{source, "wave"}, 0.0}, {{"voicing", "mode"}, 1.0}}), performance);
    EXPECT_NEAR(componentDb(x, 20500, 16000, hzFromKey(60), 48000.0), 0.0, 0.1);
    EXPECT_LT(componentDb(x, 20500, 16000, hzFromKey(48), 48000.0), -60.0) << "one note at a time";
    EXPECT_NEAR(componentDb(x, 40000, 16000, hzFromKey(48), 48000.0), 0.0, 0.1);
}

TEST(Notes, PolySumsAndHonorsItsLimit) {
    Performance chord = oneNote(48, 0.0, 1.0, 1.0);
    chord.notes.push_back({0.0, 1.0, 55, 0.0, 100.0});
    chord.notes.push_back({0.3, 1.0, 64, 0.0, 100.0});
    const auto three = rendered(patchOf({{{source, "wave"}, 0.0}}), chord);
    for (int key : {48, 55, 64}) EXPECT_NEAR(componentDb(three, 20000, 24000, hzFromKey(key), 48000.0), 0.0, 0.1);
    const auto two = rendered(patchOf({{{source, "wave"}, 0.0}, {{"voicing", "voices"}, 2.0}}), chord);
    EXPECT_LT(componentDb(two, 20000, 24000, hzFromKey(48), 48000.0), -60.0) << "the oldest gave way";
    EXPECT_NEAR(componentDb(two, 20000, 24000, hzFromKey(64), 48000.0), 0.0, 0.1);
}

TEST(Notes, VelocityFollowsItsRange) {
    const Patch patch = patchOf({{{source, "wave"}, 0.0}, {{"layer:a", "velocity"}, 40.0}});
    Performance soft = oneNote(69, 0.0, 1.0, 1.0);
    soft.notes[0].velocity = 63.5;
    EXPECT_NEAR(componentDb(rendered(patch, soft), 10000, 30000, 440.0, 48000.0), -20.0, 0.05);
}

// ---- determinism ----

Patch busyPatch(int i) {
    return patchOf({{{source, "voices"}, 3.0},
                    {{source, "spread"}, 60.0},
                    {{source, "cents"}, 1.0 * i},
                    {{"layer:a/source:b", "on"}, 1.0},
                    {{"layer:a/source:b", "wave"}, 3.0},
                    {{filter, "on"}, 1.0},
                    {{filter, "cutoff"}, 300.0 + 111.0 * i},
                    {{filter, "envelope"}, 30.0},
                    {{levelEnvelope, "release"}, 20.0 + 30.0 * i},
                    {{"voicing", "glide"}, 10.0 * i},
                    {{"voicing", "glide_when"}, 0.0}});
}

Performance busyPhrase() {
    Performance performance = oneNote(40, 0.013, 0.2, 0.7, 48000, 2);
    performance.notes.push_back({0.15, 0.4, 47, 0.0, 80.0});
    performance.notes.push_back({0.21, 0.5, 52, 0.0, 120.0});
    performance.normalize();
    return performance;
}

TEST(Lanes, OneOrSixteenCandidatesGiveTheSameBits) {
    std::vector<Patch> patches;
    for (int i = 0; i < 16; ++i) patches.push_back(busyPatch(i));
    const auto together = renderAt48k(patches, busyPhrase());
    for (std::size_t i = 0; i < patches.size(); ++i) {
        const auto alone = renderAt48k({&patches[i], 1}, busyPhrase());
        ASSERT_EQ(alone[0].channels, together[i].channels) << "candidate " << i;
    }
}

TEST(Lanes, ThreadsDoNotMatter) {
    std::vector<Patch> patches;
    for (int i = 0; i < 40; ++i) patches.push_back(i % 3 ? busyPatch(i % 16) : patchOf({{{source, "cents"}, 1.0 * i}}));
    const auto one = renderAt48k(patches, busyPhrase(), {}, 1);
    const auto two = renderAt48k(patches, busyPhrase(), {}, 2);
    for (std::size_t i = 0; i < patches.size(); ++i) ASSERT_EQ(one[i].channels, two[i].channels) << i;
}

TEST(Lanes, InstructionSetsAgree) {
    const Patch patch = busyPatch(3);
    Performance performance = busyPhrase();
    performance.frames = 24000;
    const auto best = renderAt48k({&patch, 1}, performance)[0];
    const float peak = peakOf(best);
    int compared = 0;
    for (const char* target : {"AVX2", "SSE4", "SSSE3", "SSE2"}) {
        if (!kernels::forceTarget(target)) continue;
        ++compared;
        const auto other = renderAt48k({&patch, 1}, performance)[0];
        for (std::size_t i = 0; i < other.channels[0].size(); ++i)
            ASSERT_NEAR(other.channels[0][i], best.channels[0][i], 1e-4f * peak) << target;
    }
    kernels::forceTarget("");
#ifdef FACET_ONE_INSTRUCTION_SET
    GTEST_SKIP() << "this build has one instruction set";
#else
    EXPECT_GT(compared, 0);
#endif
}

TEST(Determinism, SeedsMoveRandomPhasesOnly) {
    Performance performance = oneNote(45, 0.0, 0.5, 0.5);
    const Patch random = patchOf({});
    const Patch fixed = patchOf({{{source, "phase_random"}, 0.0}});
    Performance other = performance;
    other.seed = 2;
    EXPECT_EQ(rendered(random, performance), rendered(random, performance));
    EXPECT_NE(rendered(random, performance), rendered(random, other));
    EXPECT_EQ(rendered(fixed, performance), rendered(fixed, other));
}

TEST(Determinism, AGoldenRenderTellsWhenTheSoundChanges) {
    // When this fails on purpose, raise engineVersion: caches and takes rely on it.
    const auto x = render(busyPatch(5), busyPhrase());
    double sum = 0.0, square = 0.0;
    for (std::size_t i = 0; i < x.channels[0].size(); ++i) {
        sum += x.channels[0][i] * std::cos(0.001 * static_cast<double>(i));
        square += static_cast<double>(x.channels[1][i]) * x.channels[1][i];
    }
    EXPECT_EQ(engineVersion, 4);
    EXPECT_NEAR(square, 46834.36, 5.0);
    EXPECT_NEAR(sum, -4.374, 0.01);
    // And through effects of every way of working.
    Patch patch = busyPatch(5);
    for (const char* path :
         {"saturation:a", "equalizer:a", "compressor:a", "phaser:a", "chorus:a", "delay:a", "reverb:a"}) {
        patch.add(path);
        patch.set({path, "on"}, 1.0);
    }
    const auto y = render(patch, busyPhrase());
    double all = 0.0;
    for (float v : y.channels[1]) all += static_cast<double>(v) * v;
    EXPECT_NEAR(all, 64.762, 0.05);
}

TEST(Engine, FollowsNewValuesWhileItSounds) {
    const FlushDenormals flush;
    Graph graph = compile(patchOf({{{source, "wave"}, 0.0}}));
    Engine engine({&graph, 1}, 48000.0, 1);
    engine.noteOn(1, 69.0, 100.0);
    for (int i = 0; i < 100; ++i) engine.process(16);
    const Graph louder = compile(patchOf({{{source, "wave"}, 0.0}, {{source, "level"}, 6.0}}));
    ASSERT_TRUE(sameGraph(graph, louder));
    engine.setValues(louder);
    float peak = 0.0f;
    float step = 0.0f;
    float last = 0.0f;
    for (int i = 0; i < 100; ++i)
        for (const float v : std::span(engine.process(16)[0].left).first(16)) {
            if (i > 0) step = std::max(step, std::abs(v - last));
            last = v;
            peak = std::max(peak, std::abs(v));
        }
    EXPECT_NEAR(peak, gainFromDb(6.0), 0.02);
    EXPECT_LT(step, 0.2f) << "a click"; // 2π 440/48000 × 2 = 0.115 is the steepest step of the tone itself
    engine.silence();
    EXPECT_FALSE(engine.active());
}

TEST(Render, AnswersAStopRequest) {
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(render(Patch(), oneNote(60, 0.0, 60.0, 60.0), {.stop = stop.get_token(), .progress = {}}), Cancelled);
}

TEST(Curves, MoveParametersWhileNotesSound) {
    const Address cutoff{"layer:a/filter:a", "cutoff"};
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set(cutoff, 500.0);
    Performance performance = testing::oneNote(45, 0.0, 1.0, 1.2);
    const Recording still = render(patch, performance);
    const double place = patch.descriptor(cutoff).toUnit(500.0);
    // A curve that stands still at the patch's own value changes nothing.
    performance.setCurve({cutoff.text(), {{0.0, place}, {1.0, place}}});
    const Recording same = render(patch, performance);
    for (std::size_t i = 0; i < same.channels[0].size(); ++i)
        ASSERT_NEAR(same.channels[0][i], still.channels[0][i], 1e-4) << i;
    // Another patch beside it in the lanes follows the same curve and does not disturb it, bit for bit.
    performance.setCurve({cutoff.text(), {{0.0, 0.2}, {1.0, 0.9}}});
    Patch other = patch;
    other.set({"layer:a/filter:a", "resonance"}, 12.0);
    const std::vector<Patch> both{patch, other};
    const auto together = renderAt48k(both, performance);
    EXPECT_EQ(together[0].channels, renderAt48k({&patch, 1}, performance)[0].channels);
    EXPECT_EQ(together[1].channels, renderAt48k({&other, 1}, performance)[0].channels);
    EXPECT_NE(together[0].channels, still.channels);
    // What cannot move while a note sounds, or is not there, is left alone.
    performance.curves.clear();
    performance.setCurve({"layer:a/source:a/wave", {{0.0, 1.0}}});
    performance.setCurve({"layer:z/source:q/level", {{0.0, 1.0}}});
    EXPECT_EQ(render(patch, performance).channels, still.channels);
}

TEST(Voices, AreCountedOnceANoteAndTellWhatGaveWay) {
    Patch patch;
    patch.set({"voicing", "voices"}, 2.0);
    patch.add("layer:b");
    patch.set({"layer:a/envelope:level", "release"}, 20.0);
    patch.set({"layer:b/envelope:level", "release"}, 20.0);
    const Graph graph = compile(patch);
    Engine engine({&graph, 1}, 48000.0, 1);
    EXPECT_EQ(engine.notesSounding(), 0);
    engine.noteOn(1, 60.0, 100.0);
    engine.process(16);
    EXPECT_EQ(engine.notesSounding(), 1) << "two layers, one note";
    engine.noteOn(2, 64.0, 100.0);
    engine.process(16);
    EXPECT_EQ(engine.notesSounding(), 2);
    EXPECT_EQ(engine.notesStolen(), 0u);
    engine.noteOn(3, 67.0, 100.0);
    engine.process(16);
    EXPECT_EQ(engine.notesSounding(), 2) << "what fades does not count";
    EXPECT_EQ(engine.notesStolen(), 1u);
    for (std::uint32_t note : {2u, 3u}) engine.noteOff(note);
    for (int at = 0; at < 4800; at += 16) engine.process(16);
    EXPECT_EQ(engine.notesSounding(), 0);
}

TEST(Voices, WatchedSoundAsTheyDoUnwatched) {
    const Patch patch;
    const Performance performance = testing::oneNote(45, 0.1, 0.5, 1.0);
    int blocks = 0;
    int most = 0;
    const Recording watched = renderWatched(patch, performance, [&](const Engine& engine) {
        ++blocks;
        most = std::max(most, engine.notesSounding());
    });
    EXPECT_EQ(watched.channels, render(patch, performance).channels);
    EXPECT_GT(blocks, 1000);
    EXPECT_EQ(most, 1);
}

} // namespace
} // namespace facet
