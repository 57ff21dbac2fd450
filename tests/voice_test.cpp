// What a voice is made of: sources that move each other, filter kinds, LFOs, links, layers; against theory and
// published values.
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/engine/kernels/lanes.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <complex>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::link;

using testing::componentDb;
using testing::oneNote;

constexpr double turn = 2.0 * std::numbers::pi;
const std::string a = "layer:a/source:a";
const std::string b = "layer:a/source:b";
const std::string filter = "layer:a/filter:a";

/// A sine at the note, nothing else.
Patch plain(Wave wave = Wave::sine) {
    Patch patch;
    patch.set({"layer:a/envelope:level", "attack"}, 0.0);
    patch.set({a, "wave"}, static_cast<double>(wave));
    patch.set({a, "phase_random"}, 0.0);
    patch.set({b, "phase_random"}, 0.0);
    return patch;
}

Performance atHz(double hz, double seconds, double velocity = 100.0) {
    Performance performance = oneNote(60, 0.0, seconds, seconds);
    performance.notes[0].cents = 100.0 * (keyFromHz(hz) - 60.0);
    performance.notes[0].velocity = velocity;
    return performance;
}

std::vector<float> rendered(const Patch& patch, const Performance& performance) {
    return render(patch, performance).channels[0];
}

double rms(const std::vector<float>& x, double from, double to) {
    double sum = 0.0;
    for (auto i = static_cast<std::size_t>(from * 48000); i < static_cast<std::size_t>(to * 48000); ++i)
        sum += static_cast<double>(x[i]) * x[i];
    return std::sqrt(sum / ((to - from) * 48000));
}

// ---- sources that move each other ----

TEST(PhaseModulation, HasBesselSidebands) {
    // J_n(1) and J_n(2): M. Abramowitz, I. Stegun, Handbook of Mathematical Functions, 1964, tables 9.1, 9.2 and 9.4.
    const struct {
        double index;
        std::vector<double> bessel;
    } cases[] = {{1.0, {0.7651976866, 0.4400505857, 0.1149034849, 0.0195633540}},
                 {2.0, {0.2238907791, 0.5767248078, 0.3528340286, 0.1289432495, 0.0339957198}}};
    for (const auto& c : cases) {
        Patch patch = plain();
        patch.set({b, "on"}, 1.0);
        patch.set({b, "wave"}, static_cast<double>(Wave::sine));
        patch.set({b, "level"}, -60.0); // heard only through what it moves
        patch.set({b, "follow"}, 0.0);
        patch.set({b, "fixed"}, 210.0);
        link(patch, b, a + "/phase", c.index * 180.0 / std::numbers::pi);
        const auto x = rendered(patch, atHz(2000.0, 1.0));
        for (std::size_t n = 0; n < c.bessel.size(); ++n)
            for (double side : {-1.0, 1.0})
                EXPECT_NEAR(componentDb(x, 8000, 32768, 2000.0 + side * 210.0 * static_cast<double>(n), 48000.0),
                            dbFromGain(c.bessel[n]), 0.05)
                    << c.index << " " << n;
        EXPECT_LT(componentDb(x, 8000, 32768, 210.0, 48000.0), -80.0) << "the modulator itself is silent";
    }
}

TEST(PhaseModulation, DoesNotFoldItsSideBands) {
    // 9 kHz moved by 7 kHz, index 1.5: side bands at 9 + 7 n kHz, the third above at 30 kHz with J_3(1.5) = 0.0610 (−24
    // dB; Abramowitz & Stegun, table 9.4, from memory), which would fold to 18 kHz.
    Patch patch = plain();
    patch.set({b, "on"}, 1.0);
    patch.set({b, "wave"}, static_cast<double>(Wave::sine));
    patch.set({b, "level"}, -60.0);
    patch.set({b, "ratio_over"}, 7.0);
    patch.set({b, "ratio_under"}, 9.0);
    link(patch, b, a + "/phase", 1.5 * 360.0 / turn);
    const auto x = rendered(patch, atHz(9000.0, 1.0));
    EXPECT_NEAR(componentDb(x, 8000, 32768, 9000.0, 48000), 20.0 * std::log10(0.5118276717), 0.1);  // J_0(1.5)
    EXPECT_NEAR(componentDb(x, 8000, 32768, 16000.0, 48000), 20.0 * std::log10(0.5579365079), 0.1); // J_1(1.5)
    EXPECT_LT(componentDb(x, 8000, 32768, 18000.0, 48000), -75.0);
}

TEST(PhaseModulation, RunsInChainsSideBySideAndBackOnItself) {
    const auto with = [](auto&& links) {
        Patch patch = plain();
        for (const char* path : {"layer:a/source:c", "layer:a/source:d"}) patch.add(path);
        for (const std::string& path : {b, std::string("layer:a/source:c"), std::string("layer:a/source:d")}) {
            patch.set({path, "on"}, 1.0);
            patch.set({path, "wave"}, static_cast<double>(Wave::sine));
            patch.set({path, "level"}, -60.0);
            patch.set({path, "phase_random"}, 0.0);
        }
        patch.set({b, "ratio_over"}, 2.0);
        patch.set({"layer:a/source:c", "ratio_over"}, 3.0);
        links(patch);
        return rendered(patch, atHz(220.0, 1.0));
    };
    // Against the formulas, sample by sample, all later by what the half-band filter holds low frequencies up.
    const auto expect = [](const std::vector<float>& x, const std::function<double(double)>& formula,
                           const char* what) {
        double least = 1.0;
        for (double delay = 0.0; delay < 4.0; delay += 0.005) {
            double worst = 0.0;
            for (std::size_t i = 4800; i < 6400 && worst < least; ++i)
                worst = std::max(worst, std::abs(x[i] - formula(220.0 * (static_cast<double>(i) - delay) / 48000.0)));
            least = std::min(least, worst);
        }
        EXPECT_LT(least, 2e-3) << what;
    };
    const double one = 180.0 / std::numbers::pi;
    expect(
        with([&](Patch& p) {
            link(p, "layer:a/source:c", b + "/phase", 0.7 * one);
            link(p, b, a + "/phase", 1.2 * one);
        }),
        [](double u) { return std::sin(turn * u + 1.2 * std::sin(turn * 2 * u + 0.7 * std::sin(turn * 3 * u))); },
        "series");
    expect(
        with([&](Patch& p) {
            link(p, "layer:a/source:c", a + "/phase", 0.7 * one);
            link(p, b, a + "/phase", 1.2 * one);
        }),
        [](double u) { return std::sin(turn * u + 1.2 * std::sin(turn * 2 * u) + 0.7 * std::sin(turn * 3 * u)); },
        "parallel");
    // A sine fed back on itself leans towards a saw: every partial is there and falls.
    const auto fed = with([&](Patch& p) { link(p, a, a + "/phase", 0.9 * one); });
    double last = 1.0;
    for (int n = 1; n <= 5; ++n) {
        const double db = componentDb(fed, 8000, 32768, 220.0 * n, 48000.0);
        EXPECT_GT(db, -40.0) << n;
        EXPECT_LT(db, last) << n;
        last = db;
    }
    // A circle of two is closed a block late, and stays finite.
    for (float v : with([&](Patch& p) {
             link(p, b, a + "/phase", 2.0 * one);
             link(p, a, b + "/phase", 2.0 * one);
         }))
        ASSERT_LE(std::abs(v), 3.0f); // 1 × the sum of the magnitudes of the half-band filter's impulse response, 2.992
}

TEST(RingModulation, LeavesSumAndDifference) {
    Patch patch = plain();
    patch.set({a, "amplitude"}, 0.0);
    patch.set({b, "on"}, 1.0);
    patch.set({b, "wave"}, static_cast<double>(Wave::sine));
    patch.set({b, "level"}, -60.0);
    patch.set({b, "follow"}, 0.0);
    patch.set({b, "fixed"}, 300.0);
    link(patch, b, a + "/amplitude", 100.0);
    const auto x = rendered(patch, atHz(1000.0, 1.0));
    EXPECT_NEAR(componentDb(x, 8000, 32768, 1300.0, 48000.0), dbFromGain(0.5), 0.05);
    EXPECT_NEAR(componentDb(x, 8000, 32768, 700.0, 48000.0), dbFromGain(0.5), 0.05);
    EXPECT_LT(componentDb(x, 8000, 32768, 1000.0, 48000.0), -70.0);
}

TEST(HardSync, IsAFourierSeriesOfTheMastersPeriod) {
    // A saw begun anew with every cycle of its own note, running 7 semitones higher.
    Patch patch = plain(Wave::saw);
    patch.set({a, "sync"}, static_cast<double>(Sync::itself));
    patch.set({a, "sync_ratio"}, 7.0);
    const double hz = 331.7;
    const auto x = rendered(patch, atHz(hz, 1.0));
    const double ratio = std::exp2(7.0 / 12.0);
    for (int n = 1; n * hz < 16000.0; ++n) {
        // ∫ of the saw 2 (ratio u mod 1) − 1 over the master's cycle, numerically.
        std::complex<double> sum;
        constexpr int steps = 200000;
        for (int i = 0; i < steps; ++i) {
            const double u = (i + 0.5) / steps;
            const double value = 2.0 * (ratio * u - std::floor(ratio * u)) - 1.0;
            sum += value * std::polar(1.0, -turn * n * u);
        }
        const double wanted = dbFromGain(2.0 * std::abs(sum) / steps);
        EXPECT_NEAR(componentDb(x, 8000, 32768, n * hz, 48000.0), wanted, wanted > -50.0 ? 0.15 : 1.5) << n;
    }
    // Nothing but partials of the master below 15 kHz: no alias above −70 dB.
    for (double odd : {0.31, 0.5, 0.73})
        for (int n = 1; n < 40; n += 7)
            EXPECT_LT(componentDb(x, 8000, 32768, (n + odd) * hz, 48000.0), -70.0) << n + odd;
}

TEST(HardSync, FollowsAnotherSource) {
    Patch patch = plain(Wave::saw);
    patch.set({b, "on"}, 1.0);
    patch.set({b, "level"}, -60.0);
    patch.set({b, "semitone"}, -5.0);
    patch.set({a, "sync"}, static_cast<double>(Sync::b));
    const auto x = rendered(patch, atHz(440.0, 1.0));
    const double master = 440.0 * std::exp2(-5.0 / 12.0);
    EXPECT_GT(componentDb(x, 8000, 32768, master, 48000.0), -25.0) << "it has the master's pitch";
    EXPECT_LT(componentDb(x, 8000, 32768, 440.0, 48000.0), -60.0) << "and its own no more";
}

TEST(MovedSources, DoNotAliasMoreThanTheyMust) {
    // A saw of 3 kHz whose pulse width, phase or pitch moves fast keeps clear of what is not a sideband.
    Patch patch = plain(Wave::saw);
    patch.set({b, "on"}, 1.0);
    patch.set({b, "wave"}, static_cast<double>(Wave::sine));
    patch.set({b, "level"}, -60.0);
    patch.set({b, "follow"}, 0.0);
    patch.set({b, "fixed"}, 500.0);
    link(patch, b, a + "/phase", 30.0);
    const auto x = rendered(patch, atHz(1500.0, 1.0));
    for (double hz : {250.0, 1250.0, 2250.0, 3750.0, 6250.0})
        EXPECT_LT(componentDb(x, 8000, 32768, hz, 48000.0), -60.0) << hz;
}

// ---- kinds of sources ----

TEST(HarmonicTable, HasTheLevelsThatWereDrawn) {
    Patch patch = plain(Wave::harmonics);
    ModuleData data;
    data.partialsDb = {0.0, -120.0, -12.0, -30.0, -6.0};
    patch.setData(a, data);
    const auto x = rendered(patch, atHz(300.0, 1.0));
    for (std::size_t n = 0; n < data.partialsDb.size(); ++n) {
        const double db = componentDb(x, 8000, 32768, 300.0 * static_cast<double>(n + 1), 48000.0);
        if (data.partialsDb[n] > -100.0)
            EXPECT_NEAR(db, data.partialsDb[n], 0.05) << n + 1;
        else
            EXPECT_LT(db, -80.0);
    }
}

TEST(Wavetable, GoesFromItsFirstFrameToItsLast) {
    Patch patch = plain(Wave::wavetable);
    ModuleData data;
    for (int n : {1, 2, 4})
        for (int i = 0; i < tableFrameSamples; ++i)
            data.frames.push_back(static_cast<float>(std::sin(turn * n * i / tableFrameSamples)));
    patch.setData(a, data);
    const auto levels = [&](double position) {
        patch.set({a, "position"}, position);
        const auto x = rendered(patch, atHz(250.0, 1.0));
        std::vector<double> db;
        for (double n : {1.0, 2.0, 4.0}) db.push_back(gainFromDb(componentDb(x, 8000, 32768, 250.0 * n, 48000.0)));
        return db;
    };
    EXPECT_NEAR(levels(0.0)[0], 1.0, 0.01);
    EXPECT_NEAR(levels(50.0)[1], 1.0, 0.01);
    EXPECT_NEAR(levels(100.0)[2], 1.0, 0.01);
    EXPECT_NEAR(levels(75.0)[1], 0.5, 0.01);
    EXPECT_NEAR(levels(75.0)[2], 0.5, 0.01);
    // High notes keep clear of what would fold back.
    ModuleData saw;
    for (int i = 0; i < tableFrameSamples; ++i)
        saw.frames.push_back(2.0f * static_cast<float>(i) / tableFrameSamples - 1.0f);
    patch.setData(a, saw);
    const auto x = rendered(patch, atHz(3711.0, 1.0));
    for (double hz : {1000.0, 2500.0, 5500.0, 9000.0}) EXPECT_LT(componentDb(x, 8000, 32768, hz, 48000.0), -65.0) << hz;
}

TEST(ClippedSine, IsTheFormulaWithoutAliases) {
    Patch patch = plain(Wave::clippedSine);
    patch.set({a, "clip"}, 12.0);
    const double hz = 441.7;
    const auto x = rendered(patch, atHz(hz, 1.0));
    const double clip = gainFromDb(12.0);
    for (int n = 1; n * hz < 12000.0; n += 2) {
        double sum = 0.0;
        constexpr int steps = 100000;
        for (int i = 0; i < steps; ++i) {
            const double u = (i + 0.5) / steps;
            sum += std::clamp(clip * std::sin(turn * u), -1.0, 1.0) * std::sin(turn * n * u);
        }
        const double wanted = dbFromGain(2.0 * std::abs(sum) / steps);
        if (wanted > -60.0) {
            EXPECT_NEAR(componentDb(x, 8000, 32768, n * hz, 48000.0), wanted, 0.2) << n;
        }
    }
    EXPECT_LT(componentDb(x, 8000, 32768, 2.0 * hz, 48000.0), -75.0);
}

TEST(Noise, HasItsSlopeAndIsNewForEveryNoteAndSeed) {
    for (double slope : {0.0, -3.0, -6.0, 3.0}) {
        Patch patch = plain(Wave::noise);
        patch.set({a, "color"}, slope);
        const auto x = rendered(patch, atHz(220.0, 6.0));
        // Octave bands by a long average of spectra.
        constexpr int size = 4096;
        RealFft fft(size);
        std::vector<double> power(fft.binCount());
        for (int begin = 4800; begin + size < static_cast<int>(x.size()); begin += size / 2) {
            windowedFrame(x, begin, hannWindow(size), fft.time());
            fft.forward();
            for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::norm(fft.bins()[k]);
        }
        const auto density = [&](double hz) {
            double sum = 0.0;
            int count = 0;
            for (auto k = static_cast<std::size_t>(hz / 1.19 * size / 48000);
                 k < static_cast<std::size_t>(hz * 1.19 * size / 48000); ++k) {
                sum += power[k];
                ++count;
            }
            return dbFromPower(sum / count);
        };
        EXPECT_NEAR((density(8000.0) - density(250.0)) / 5.0, slope, 0.35) << slope;
    }
    EXPECT_NEAR(rms(rendered(plain(Wave::noise), atHz(220.0, 2.0)), 0.1, 1.9), 1.0 / std::sqrt(3.0), 0.01);
    Performance other = atHz(220.0, 0.5);
    other.seed = 2;
    EXPECT_NE(rendered(plain(Wave::noise), atHz(220.0, 0.5)), rendered(plain(Wave::noise), other));
}

TEST(Samples, PlayAtTheirKeyAndFollowTheNote) {
    Patch patch = plain(Wave::sample);
    ModuleData data;
    data.sampleRateHz = 44100;
    data.sampleKey = 69.0;
    for (int i = 0; i < 44100; ++i)
        data.sample.push_back(static_cast<float>(0.5 * std::sin(turn * 440.0 * i / 44100.0)));
    patch.setData(a, data);
    EXPECT_NEAR(componentDb(rendered(patch, atHz(440.0, 0.8)), 4000, 16384, 440.0, 48000.0), dbFromGain(0.5), 0.1);
    EXPECT_NEAR(componentDb(rendered(patch, atHz(660.0, 0.6)), 4000, 16384, 660.0, 48000.0), dbFromGain(0.5), 0.1);
    const auto x = rendered(patch, atHz(880.0, 1.0));
    EXPECT_LT(rms(x, 0.55, 0.9), 1e-4) << "twice as high is over in half the time";
}

TEST(Sources, AreTunedByRatioAndMayStandStill) {
    Patch patch = plain();
    patch.set({a, "ratio_over"}, 5.0);
    patch.set({a, "ratio_under"}, 4.0);
    EXPECT_NEAR(componentDb(rendered(patch, atHz(400.0, 1.0)), 8000, 32768, 500.0, 48000.0), 0.0, 0.01);
    patch.set({a, "follow"}, 0.0);
    patch.set({a, "ratio_over"}, 1.0);
    patch.set({a, "ratio_under"}, 1.0);
    patch.set({a, "fixed"}, 777.0);
    EXPECT_NEAR(componentDb(rendered(patch, atHz(400.0, 1.0)), 8000, 32768, 777.0, 48000.0), 0.0, 0.01);
}

// ---- kinds of filters ----

/// Response in dB at a frequency: of a sine that follows nothing, through the filter and past it.
double responseDb(Patch patch, double hz) {
    patch.set({a, "follow"}, 0.0);
    patch.set({a, "fixed"}, hz);
    const auto filtered = rendered(patch, atHz(220.0, 1.2));
    patch.set({filter, "on"}, 0.0);
    const auto dry = rendered(patch, atHz(220.0, 1.2));
    return componentDb(filtered, 20000, 32768, hz, 48000.0) - componentDb(dry, 20000, 32768, hz, 48000.0);
}

Patch filtered(FilterKind kind, double cutoff, bool fourPole = false) {
    Patch patch = plain();
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "kind"}, static_cast<double>(kind));
    patch.set({filter, "slope"}, fourPole ? 1.0 : 0.0);
    patch.set({filter, "cutoff"}, cutoff);
    patch.set({a, "level"}, -20.0);
    return patch;
}

TEST(FilterKinds, HaveTheResponsesOfTheirPrototypes) {
    // Second-order prototypes with Q = 1/√2 (−3 dB of resonance), bilinear transform with the cutoff pre-warped:
    // Zavalishin 2018, chapter 4.
    const double cutoff = 1000.0;
    for (double hz : {250.0, 500.0, 900.0, 1000.0, 1300.0, 2000.0, 6000.0}) {
        const double w = std::tan(std::numbers::pi * hz / 48000.0) / std::tan(std::numbers::pi * cutoff / 48000.0);
        const std::complex<double> s(0.0, w);
        const double k = std::numbers::sqrt2;
        const auto denominator = 1.0 + k * s + s * s;
        const auto db = [](std::complex<double> h) { return dbFromGain(std::abs(h)); };
        EXPECT_NEAR(responseDb(filtered(FilterKind::highPass, cutoff), hz), db(s * s / denominator), 0.05) << hz;
        EXPECT_NEAR(responseDb(filtered(FilterKind::bandPass, cutoff), hz), db(k * s / denominator), 0.05) << hz;
        if (hz != cutoff) {
            EXPECT_NEAR(responseDb(filtered(FilterKind::notch, cutoff), hz), db((1.0 + s * s) / denominator), 0.05)
                << hz;
        }
    }
    EXPECT_LT(responseDb(filtered(FilterKind::notch, cutoff), cutoff), -50.0);
    // Four poles fall twice as fast.
    EXPECT_NEAR(responseDb(filtered(FilterKind::highPass, 4000.0, true), 250.0) -
                    responseDb(filtered(FilterKind::highPass, 4000.0, true), 500.0),
                -24.0, 0.4);
}

TEST(Ladder, FallsByItsPolesAndRingsAtItsCutoff) {
    for (bool fourPole : {false, true}) {
        Patch patch = filtered(FilterKind::ladder, 500.0, fourPole);
        patch.set({filter, "resonance"}, -12.0);
        patch.set({a, "level"}, -40.0); // far from saturation
        // Poles in a row under the bilinear transform: 1/(1 + s)^n.
        const auto prototype = [&](double hz) {
            const double w = std::tan(std::numbers::pi * hz / 48000.0) / std::tan(std::numbers::pi * 500.0 / 48000.0);
            return (fourPole ? -80.0 : -40.0) * std::log10(std::sqrt(1.0 + w * w));
        };
        for (double hz : {100.0, 500.0, 2000.0, 8000.0}) EXPECT_NEAR(responseDb(patch, hz), prototype(hz), 0.1) << hz;
        EXPECT_NEAR(responseDb(patch, 500.0), fourPole ? -12.04 : -6.02, 0.1) << "each of its poles is 3 dB down there";
    }
    // With the resonance at its end it oscillates by itself at the cutoff, once something has struck it.
    for (double cutoff : {220.0, 1000.0, 5000.0}) {
        Patch patch = filtered(FilterKind::ladder, cutoff, true);
        patch.set({filter, "resonance"}, 36.0);
        patch.set({a, "wave"}, static_cast<double>(Wave::noise));
        patch.set({a, "level"}, -50.0);
        const auto x = rendered(patch, atHz(220.0, 2.0));
        double best = -200.0;
        double at = 0.0;
        for (double cents = -60.0; cents <= 60.0; cents += 1.0) {
            const double hz = cutoff * std::exp2(cents / 1200.0);
            if (const double db = componentDb(x, 40000, 32768, hz, 48000.0); db > best) best = db, at = cents;
        }
        EXPECT_GT(best, -25.0) << cutoff;
        EXPECT_NEAR(at, 0.0, 12.0) << cutoff;
    }
}

TEST(Ladder, SaturatesMoreTheHarderItIsDriven) {
    double last = -200.0;
    for (double drive : {-12.0, 0.0, 12.0, 24.0}) {
        Patch patch = filtered(FilterKind::ladder, 12000.0, true);
        patch.set({filter, "resonance"}, -12.0);
        patch.set({a, "level"}, 0.0);
        patch.set({filter, "drive"}, drive);
        const auto x = rendered(patch, atHz(300.0, 1.0));
        const double third = componentDb(x, 8000, 32768, 900.0, 48000.0) - componentDb(x, 8000, 32768, 300.0, 48000.0);
        EXPECT_GT(third, last + 1.0) << drive;
        last = third;
    }
    EXPECT_GT(last, -16.0);
}

TEST(Comb, HasItsTeethAtTheCutoffAndBetweenThemWhenInverted) {
    for (double sign : {1.0, -1.0}) {
        Patch patch = filtered(FilterKind::comb, 400.0);
        patch.set({filter, "feedback"}, 80.0 * sign);
        // |1/(1 − f e^(−jωT))| × √(1 − f²), J. O. Smith, Physical Audio Signal Processing, feedback comb filters.
        const double keep = std::sqrt(1.0 - 0.64);
        for (double teeth : {1.0, 2.0, 3.5, 5.0}) {
            const std::complex<double> z = std::polar(1.0, -turn * teeth);
            EXPECT_NEAR(responseDb(patch, 400.0 * teeth), dbFromGain(keep / std::abs(1.0 - 0.8 * sign * z)), 0.3)
                << teeth;
        }
    }
}

TEST(AllPass, PassesAllAndNotchesBesideTheDrySound) {
    Patch patch = filtered(FilterKind::allPass, 1000.0);
    patch.set({filter, "stages"}, 4.0);
    patch.set({filter, "feedback"}, 0.0);
    for (double hz : {100.0, 700.0, 1000.0, 4000.0}) EXPECT_NEAR(responseDb(patch, hz), 0.0, 0.02) << hz;
    // Four first-order stages turn by −4 × 2 atan(w): half the dry sound beside it cancels where that is an odd half
    // turn.
    patch.set({filter, "mix"}, 50.0);
    const double warped = std::tan(std::numbers::pi * 1000.0 / 48000.0);
    for (double angle : {1.0, 3.0}) {
        const double w = std::tan(angle * std::numbers::pi / 8.0);
        EXPECT_LT(responseDb(patch, std::atan(w * warped) * 48000.0 / std::numbers::pi), -35.0);
    }
}

TEST(FilterRouting, SerialMultipliesAndParallelAdds) {
    Patch patch = filtered(FilterKind::lowPass, 1000.0);
    patch.add("layer:a/filter:b");
    const std::string second = "layer:a/filter:b";
    patch.set({second, "on"}, 1.0);
    patch.set({second, "kind"}, static_cast<double>(FilterKind::highPass));
    patch.set({second, "slope"}, 0.0);
    patch.set({second, "cutoff"}, 1000.0);
    const auto level = [&](const Patch& p, double hz) {
        Patch at = p;
        at.set({a, "follow"}, 0.0);
        at.set({a, "fixed"}, hz);
        return componentDb(rendered(at, atHz(220.0, 1.2)), 20000, 32768, hz, 48000.0) + 20.0;
    };
    EXPECT_NEAR(level(patch, 1000.0), -6.02, 0.05) << "one after the other";
    patch.set({a, "route"}, static_cast<double>(Route::filter2));
    EXPECT_NEAR(level(patch, 1000.0), -3.01, 0.05) << "the second alone";
    patch.set({a, "route"}, static_cast<double>(Route::pastFilters));
    EXPECT_NEAR(level(patch, 1000.0), 0.0, 0.01);
    patch.set({"layer:a", "routing"}, static_cast<double>(FilterRouting::parallel));
    patch.set({a, "route"}, static_cast<double>(Route::both));
    // Low-pass and high-pass of one section side by side leave a notch at Q = 1/√2: (1 + s²)/(1 + √2 s + s²).
    EXPECT_LT(level(patch, 1000.0), -45.0);
    EXPECT_NEAR(level(patch, 100.0), 0.0, 0.15);
    EXPECT_NEAR(level(patch, 10000.0), 0.0, 0.15);
}

TEST(FilterFeedback, StaysBoundedAtAnyAmount) {
    for (double amount : {-100.0, 100.0}) {
        Patch patch = filtered(FilterKind::lowPass, 800.0, true);
        patch.set({filter, "resonance"}, 30.0);
        patch.set({a, "wave"}, static_cast<double>(Wave::saw));
        patch.set({"layer:a", "feedback"}, amount);
        for (float v : rendered(patch, atHz(110.0, 1.0))) ASSERT_LT(std::abs(v), 60.0f);
    }
}

// ---- movement ----

TEST(Lfos, KeepTheirRateShapeAndDepth) {
    for (double hz : {0.7, 5.3, 11.0}) {
        Patch patch = plain();
        patch.add("layer:a/lfo:a");
        patch.set({"layer:a/lfo:a", "rate"}, hz);
        link(patch, "layer:a/lfo:a", a + "/level", 6.0);
        const auto x = rendered(patch, atHz(2000.0, 4.0));
        // Envelope in dB over time, against 6 dB × sin, sampled each 5 ms.
        double worst = 0.0;
        for (double t = 0.1; t < 3.9; t += 0.005) {
            const double level = dbFromGain(rms(x, t - 0.0025, t + 0.0025) * std::numbers::sqrt2);
            worst = std::max(worst, std::abs(level - 6.0 * std::sin(turn * hz * t)));
        }
        EXPECT_LT(worst, 0.25) << hz; // a rate 0.1 % off would be 0.6 dB off after 4 s at 5.3 Hz
    }
}

TEST(Lfos, LastNoteValuesAtTheTempo) {
    const auto values = noteValueQuarters();
    EXPECT_EQ(values.front(), 1.0 / 24.0);
    EXPECT_EQ(values.back(), 32.0);
    EXPECT_TRUE(std::is_sorted(values.begin(), values.end()));
    Patch patch = plain();
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "timing"}, 1.0);
    patch.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    patch.set({"layer:a/lfo:a", "beats"},
              static_cast<double>(std::find(values.begin(), values.end(), 1.0) - values.begin()));
    link(patch, "layer:a/lfo:a", a + "/level", 6.0);
    Performance performance = atHz(2000.0, 3.0);
    performance.tempo = 90.0; // a quarter lasts 667 ms
    const auto x = rendered(patch, performance);
    for (int half = 0; half < 8; ++half)
        EXPECT_NEAR(dbFromGain(rms(x, (half + 0.2) / 3.0, (half + 0.8) / 3.0) * std::numbers::sqrt2),
                    half % 2 ? -6.0 : 6.0, 0.05)
            << half;
}

TEST(Lfos, RunOnceOrFreeOrAreDrawn) {
    Patch patch = plain();
    patch.add("layer:a/lfo:a");
    const std::string lfo = "layer:a/lfo:a";
    link(patch, lfo, a + "/level", 12.0);
    patch.set({lfo, "rate"}, 2.0);
    patch.set({lfo, "shape"}, static_cast<double>(LfoShape::drawn));
    patch.set({lfo, "mode"}, static_cast<double>(LfoMode::once));
    ModuleData shape;
    shape.shape = {{0.0, 0.5}, {0.5, 1.0}, {0.5, 0.0}, {1.0, 0.5}};
    patch.setData(lfo, shape);
    auto x = rendered(patch, atHz(2000.0, 2.0));
    const auto db = [&](double t) { return dbFromGain(rms(x, t - 0.005, t + 0.005) * std::numbers::sqrt2); };
    EXPECT_NEAR(db(0.125), 6.0, 0.3);
    EXPECT_NEAR(db(0.3), -12.0 + 24.0 * 0.05 / 0.25 * 0.5, 0.4);
    EXPECT_NEAR(db(1.5), 0.0, 0.1) << "it stays where its cycle ended";
    // Free: a second note finds it where it is by then.
    patch.set({lfo, "shape"}, static_cast<double>(LfoShape::risingSaw));
    patch.set({lfo, "rate"}, 1.0);
    for (const LfoMode mode : {LfoMode::free, LfoMode::eachNote}) {
        patch.set({lfo, "mode"}, static_cast<double>(mode));
        Performance two = atHz(2000.0, 1.2);
        two.notes[0].end = 0.1;
        two.notes.push_back(two.notes[0]);
        two.notes[1].start = 0.5;
        two.notes[1].end = 1.1;
        x = rendered(patch, two);
        EXPECT_NEAR(db(0.6), mode == LfoMode::free ? -12.0 + 24.0 * 0.6 : -12.0 + 24.0 * 0.1, 0.4);
    }
}

TEST(Links, MoveInTheDestinationsUnit) {
    // Velocity to pitch: 1270 cents at velocity 127; scaled by the wheel, which stands at a half.
    Patch patch = plain();
    link(patch, "velocity", a + "/cents", 1270.0, "wheel");
    Performance performance = atHz(500.0, 1.0, 100.0);
    performance.setCurve({std::string(wheelTarget), {{0.0, 0.5}}});
    const auto x = rendered(patch, performance);
    EXPECT_NEAR(componentDb(x, 8000, 32768, 500.0 * std::exp2(500.0 / 1200.0), 48000.0), 0.0, 0.02);
    // An octave of key to two octaves of cutoff: 24 st for each octave.
    Patch tracked = filtered(FilterKind::lowPass, 500.0);
    link(tracked, "key", filter + "/cutoff", 24.0);
    Performance high = oneNote(72, 0.0, 1.2, 1.2);
    tracked.set({a, "follow"}, 0.0);
    tracked.set({a, "fixed"}, 2000.0);
    EXPECT_NEAR(componentDb(rendered(tracked, high), 20000, 32768, 2000.0, 48000.0), -20.0 - 3.01, 0.1);
}

TEST(Links, MayMoveGainsAndPitchesLinearly) {
    // Half the level of a note at velocity 63.5 of 127: 6 dB less where the link moves a share of the gain.
    Patch patch = plain();
    link(patch, "velocity", "layer:a/level", 100.0);
    patch.set({"link:a", "linear"}, 1.0);
    const double hard = rms(rendered(patch, atHz(440, 0.5, 127.0)), 0.1, 0.4);
    const double soft = rms(rendered(patch, atHz(440, 0.5, 63.5)), 0.1, 0.4);
    EXPECT_NEAR(hard / soft, 2.0 / 1.5, 1e-3); // (1 + 1) : (1 + ½)
    // A sync ratio of 2 moved by a quarter of itself is 2.5: + 3.86 semitones.
    Patch synced = plain(Wave::saw);
    synced.set({a, "sync"}, static_cast<double>(Sync::itself));
    synced.set({a, "sync_ratio"}, 12.0);
    synced.add("macro:a");
    link(synced, "macro:a", a + "/sync_ratio", 25.0);
    synced.set({"link:a", "linear"}, 1.0);
    synced.set({"macro:a", "value"}, 100.0);
    Patch expected = plain(Wave::saw);
    expected.set({a, "sync"}, static_cast<double>(Sync::itself));
    expected.set({a, "sync_ratio"}, 12.0 * std::log2(2.5));
    const auto moved = rendered(synced, atHz(110, 0.3)), set = rendered(expected, atHz(110, 0.3));
    for (std::size_t i = 0; i < moved.size(); i += 7) ASSERT_NEAR(moved[i], set[i], 2e-3) << i;
}

TEST(Layers, FollowVelocityEvenlyInDecibelsOrInGain) {
    Patch patch = plain();
    patch.set({"layer:a", "velocity"}, 20.0);
    const auto level = [&](double velocity) { return rms(rendered(patch, atHz(440, 0.5, velocity)), 0.1, 0.4); };
    EXPECT_NEAR(20.0 * std::log10(level(63.5) / level(127.0)), -10.0, 0.05);
    patch.set({"layer:a", "velocity_scale"}, 1.0);
    // 20 dB below is a tenth of the gain; half way between 0.1 and 1 is 0.55.
    EXPECT_NEAR(level(63.5) / level(127.0), 0.55, 1e-3);
}

TEST(Layers, DriveEachNoteByItselfBeforeItsLevelEnvelope) {
    Patch patch = plain();
    patch.set({"layer:a", "drive_curve"}, 2.0); // hard
    patch.set({"layer:a", "drive"}, 30.0);
    patch.set({"layer:a/envelope:level", "decay"}, 400.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 0.0);
    patch.set({"layer:a/envelope:level", "decay_curve"}, 0.0);
    // A sine clipped that hard is nearly a square, whose third partial lies 9.5 dB below its first: so at the
    // beginning, and so where the envelope has fallen by 12 dB.
    const auto third = [](const std::vector<float>& x, int from) {
        return componentDb(x, from, 4096, 660.0, 48000) - componentDb(x, from, 4096, 220.0, 48000);
    };
    const auto y = rendered(patch, atHz(220, 0.5));
    EXPECT_NEAR(third(y, 1000), -9.5, 0.4);
    EXPECT_NEAR(third(y, 12500), -9.5, 0.4);
    // Two notes are driven apart: no difference tone between them, as one curve for both would make.
    Performance chord = atHz(220, 0.5);
    chord.notes.push_back(chord.notes[0]);
    chord.notes[1].cents += 100.0 * (keyFromHz(330.0) - keyFromHz(220.0));
    const auto both = rendered(patch, chord);
    const auto difference = [](const std::vector<float>& x) {
        return componentDb(x, 3000, 8192, 110.0, 48000) - componentDb(x, 3000, 8192, 220.0, 48000);
    };
    EXPECT_LT(difference(both), -60.0);
    Patch behind = plain();
    behind.add("saturation:a");
    behind.set({"saturation:a", "on"}, 1.0);
    behind.set({"saturation:a", "curve"}, 1.0);
    behind.set({"saturation:a", "drive"}, 30.0);
    EXPECT_GT(difference(rendered(behind, chord)), -30.0);
}

TEST(Links, MoveEnvelopeTimesAndOtherAmounts) {
    // Velocity shortens the attack by two octaves (a quarter of the time) at most.
    Patch patch = plain();
    patch.set({"layer:a/envelope:level", "attack"}, 400.0);
    link(patch, "velocity", "layer:a/envelope:level/attack", -2.0);
    const auto reachesHalf = [&](double velocity) {
        const auto x = rendered(patch, atHz(2000.0, 1.0, velocity));
        for (double t = 0.003; t < 0.9; t += 0.001)
            if (rms(x, t - 0.0025, t + 0.0025) * std::numbers::sqrt2 > 0.5) return t;
        return 1.0;
    };
    EXPECT_NEAR(reachesHalf(127.0), 0.05, 0.005);
    // Halves of the way in octaves of time plus 2 ms, the scale's offset.
    EXPECT_NEAR(reachesHalf(63.5), 0.1, 0.006);
    // A vibrato whose depth an envelope brings in.
    Patch vibrato = plain();
    vibrato.add("layer:a/lfo:a");
    vibrato.add("layer:a/envelope:a");
    vibrato.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    vibrato.set({"layer:a/lfo:a", "rate"}, 0.01);
    vibrato.set({"layer:a/envelope:a", "attack"}, 1000.0);
    link(vibrato, "layer:a/lfo:a", a + "/cents", 0.0);
    link(vibrato, "layer:a/envelope:a", "link:a/amount", 1200.0);
    const auto x = rendered(vibrato, atHz(500.0, 3.0));
    EXPECT_NEAR(componentDb(x, 80000, 32768, 1000.0, 48000.0), 0.0, 0.02) << "an octave up once the envelope is up";
    EXPECT_GT(componentDb(x, 0, 1024, 510.0, 48000.0), -3.0) << "where it began";
}

TEST(Links, AreRefusedWhereTheyLeadNowhereOrInCircles) {
    Patch patch = plain();
    for (const char* path : {"link:a", "link:b", "layer:a/lfo:a"}) patch.add(path);
    const auto refused = [&](const char* path, const char* from, const char* to) {
        ModuleData data;
        data.from = from;
        data.to = to;
        try {
            patch.setData(path, data);
        } catch (const Error& problem) {
            return std::string(problem.what());
        }
        return std::string();
    };
    EXPECT_NE(refused("link:a", "layer:a/lfo:z", "layer:a/level").find("layer:a/lfo:z"), std::string::npos);
    EXPECT_NE(refused("link:a", "layer:a/lfo:a", "layer:a/nothing").find("layer:a/nothing"), std::string::npos);
    EXPECT_NE(refused("link:a", "layer:a/lfo:a", "voicing/mode").find("cannot be moved"), std::string::npos);
    EXPECT_NE(refused("link:a", a.c_str(), "layer:a/level").find("a source can move"), std::string::npos);
    EXPECT_NE(refused("link:a", "velocity", "link:a/amount").find("its own amount"), std::string::npos);
    EXPECT_EQ(refused("link:a", "velocity", "link:b/amount"), "");
    EXPECT_NE(refused("link:b", "velocity", "link:a/amount").find("its own amount"), std::string::npos);
    // The same from a file, with the path to the value.
    const auto fromFile = [](const std::string& modules) {
        try {
            patchFromJson(R"({"format": "facet-patch", "version": 1, "modules": )" + modules + "}");
        } catch (const Error& problem) {
            return std::string(problem.what());
        }
        return std::string("accepted");
    };
    EXPECT_NE(fromFile(R"({"link:a": {"from": "velocity", "to": "link:a/amount"}})").find("link:a"), std::string::npos);
    EXPECT_NE(fromFile(R"({"layer:b/source:a": {"on": true}})").find("layer:b"), std::string::npos);
    EXPECT_NE(fromFile(R"({"layer:a/source:a": {"frames_f32": "AAAA"}})").find("layer:a/source:a"), std::string::npos);
    EXPECT_NE(fromFile(R"({"layer:a/source:a": {"sample_f32": "????"}})").find("sample_f32"), std::string::npos);
    EXPECT_NE(fromFile(R"({"layer:a/lfo:a": {"points": [[0.5, 0], [0.2, 1]]}})").find("layer:a/lfo:a"),
              std::string::npos);
    EXPECT_NE(fromFile(R"({"layer:a/source:c": {}, "layer:a/source:d": {}, "layer:a/source:e": {}})").find("too many"),
              std::string::npos);
}

// ---- lanes ----

/// Two sources in phase modulation, sync, a ladder into all-passes with feedback, LFOs on links, differing in values
/// only.
Patch busy(int variant) {
    const double v = variant;
    Patch patch = plain(Wave::saw);
    for (const char* path : {"layer:a/filter:b", "layer:a/lfo:a"}) patch.add(path);
    patch.set({a, "voices"}, 3.0);
    patch.set({a, "detune"}, 5.0 + v);
    patch.set({a, "spread"}, 4.0 * v);
    patch.set({a, "sync"}, static_cast<double>(Sync::itself));
    patch.set({a, "sync_ratio"}, 3.0 + v);
    patch.set({b, "on"}, 1.0);
    patch.set({b, "wave"}, static_cast<double>(Wave::triangle));
    patch.set({b, "semitone"}, 7.0);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::ladder));
    patch.set({filter, "cutoff"}, 300.0 + 100.0 * v);
    patch.set({filter, "resonance"}, 6.0 + v);
    patch.set({"layer:a/filter:b", "on"}, 1.0);
    patch.set({"layer:a/filter:b", "kind"}, static_cast<double>(FilterKind::allPass));
    patch.set({"layer:a/filter:b", "cutoff"}, 900.0);
    patch.set({"layer:a/filter:b", "mix"}, 50.0);
    patch.set({"layer:a", "feedback"}, 10.0 + v);
    patch.set({"layer:a/lfo:a", "rate"}, 3.0 + 0.3 * v);
    link(patch, b, a + "/phase", 20.0 + v);
    link(patch, b, filter + "/cutoff", 5.0 + v);
    link(patch, "layer:a/lfo:a", filter + "/cutoff", 12.0);
    link(patch, "layer:a/lfo:a", "layer:a/filter:b/mix", 20.0, "velocity");
    patch.set({"layer:a", "drive_curve"}, 1.0);
    patch.set({"layer:a", "drive"}, 6.0 + v);
    return patch;
}

TEST(MovedLanes, OneOrSixteenCandidatesGiveTheSameBits) {
    std::vector<Patch> patches;
    for (int i = 0; i < 16; ++i) patches.push_back(busy(i));
    const Performance performance = oneNote(45, 0.0, 0.4, 0.6, 48000, 2);
    const auto together = renderAt48k(patches, performance);
    for (std::size_t i = 0; i < patches.size(); ++i)
        EXPECT_EQ(together[i].channels, renderAt48k({&patches[i], 1}, performance).front().channels) << i;
}

TEST(MovedLanes, InstructionSetsAgree) {
    // Over the first half second, as feedback makes of rounding what it likes in time.
    const Performance performance = oneNote(45, 0.0, 0.5, 0.5, 48000, 2);
    const Patch patch = busy(3);
    const auto best = rendered(patch, performance);
    const float peak = std::abs(
        *std::max_element(best.begin(), best.end(), [](float x, float y) { return std::abs(x) < std::abs(y); }));
    for (const char* target : {"AVX3", "AVX2", "SSE4"}) {
        if (!kernels::forceTarget(target)) continue;
        const auto x = rendered(patch, performance);
        double worst = 0.0;
        for (std::size_t i = 0; i < x.size(); ++i)
            worst = std::max(worst, static_cast<double>(std::abs(x[i] - best[i])));
        EXPECT_LT(worst, 1e-4 * peak) << target;
    }
    kernels::forceTarget("");
}

TEST(MovedSources, CannotBeMadeToFail) {
    // A minute of random values, sixteen at a time, notes on top of each other: all finite, nothing louder than what
    // its own gains allow.
    Random random(77);
    for (int round = 0; round < 12; ++round) {
        std::vector<Patch> patches;
        for (int i = 0; i < 16; ++i) {
            Patch patch = busy(i);
            for (const auto& module : patch.modules())
                for (const auto& d : parametersOf(module.kind))
                    if (d.smoothing != Smoothing::graph && random.unit() < 0.5)
                        patch.setNearest({module.path, std::string(d.field)}, d.fromUnit(random.unit()));
            patch.set({"output", "level"}, -24.0);
            patches.push_back(patch);
        }
        Performance performance = oneNote(40, 0.0, 0.25, 0.4, 48000, 2);
        for (int n = 0; n < 6; ++n)
            performance.notes.push_back(
                {0.03 * n, 0.03 * n + 0.1, 30 + static_cast<int>(70.0 * random.unit()), 0.0, 100.0});
        performance.normalize();
        for (const Recording& sound : renderAt48k(patches, performance))
            for (const auto& channel : sound.channels)
                for (float v : channel) ASSERT_TRUE(std::isfinite(v) && std::abs(v) < 500.0f) << round << ": " << v;
    }
}

// ---- layers and voices ----

TEST(Layers, PlayTheirKeysAndVelocitiesAtTheirTimeAndPitch) {
    Patch patch = plain();
    patch.add("layer:b");
    patch.set({"layer:b/source:a", "on"}, 1.0);
    patch.set({"layer:b/source:a", "wave"}, static_cast<double>(Wave::sine));
    patch.set({"layer:b/envelope:level", "attack"}, 0.0);
    patch.set({"layer:b", "transpose"}, 12.0);
    patch.set({"layer:b", "low_key"}, 60.0);
    patch.set({"layer:b", "low_velocity"}, 64.0);
    patch.set({"layer:b", "offset"}, 250.0);
    const auto octave = [&](int key, double velocity, int begin) {
        Performance performance = oneNote(key, 0.0, 1.0, 1.0);
        performance.notes[0].velocity = velocity;
        return componentDb(rendered(patch, performance), begin, 8192, hzFromKey(key + 12), 48000.0);
    };
    EXPECT_NEAR(octave(60, 100.0, 20000), 0.0, 0.05);
    EXPECT_LT(octave(60, 100.0, 2000), -60.0) << "not before its offset";
    EXPECT_LT(octave(59, 100.0, 20000), -60.0) << "below its lowest key";
    EXPECT_LT(octave(60, 63.0, 20000), -60.0) << "softer than its softest";
    // The offset holds to the sample.
    Patch alone = patch;
    alone.set({a, "level"}, -60.0);
    const auto x = rendered(alone, oneNote(60, 0.0, 1.0, 1.0));
    for (int i = 0; i < 12000; ++i) ASSERT_EQ(x[static_cast<std::size_t>(i)], 0.0f) << i;
    EXPECT_NE(x[12002], 0.0f);
}

TEST(Layers, BeginWhenTheirOffsetAndItsLinksSay) {
    Patch patch = plain();
    patch.set({"layer:a", "offset"}, 10.0);
    const auto first = [](const std::vector<float>& x) {
        return std::find_if(x.begin(), x.end(), [](float v) { return v != 0.0f; }) - x.begin();
    };
    // Candidates that begin at other times are not led by the first of a batch.
    std::vector<Patch> patches{patch, patch};
    patches[1].set({"layer:a", "offset"}, 30.0);
    const auto both = renderAt48k(patches, atHz(220.0, 0.2));
    EXPECT_NEAR(static_cast<double>(first(both[0].channels[0])), 480.0, 2.0);
    EXPECT_NEAR(static_cast<double>(first(both[1].channels[0])), 1440.0, 2.0);
    // Octaves of offset + 2 ms: twice as long, less 2, at full velocity.
    link(patch, "velocity", "layer:a/offset", 1.0);
    EXPECT_NEAR(static_cast<double>(first(rendered(patch, atHz(220.0, 0.2, 127.0)))), (2.0 * 12.0 - 2.0) * 48.0, 2.0);
}

TEST(Voices, DeviateEachInItsOwnWay) {
    Patch patch = plain();
    patch.set({"voicing", "tuning_spread"}, 100.0);
    patch.set({"voicing", "voices"}, 4.0);
    Performance performance = oneNote(69, 0.0, 0.4, 4.0);
    for (int i = 1; i < 8; ++i) {
        Note note = performance.notes[0];
        note.start += 0.5 * i;
        note.end += 0.5 * i;
        performance.notes.push_back(note);
    }
    const auto x = rendered(patch, performance);
    const auto pitch = [&](int note) {
        double best = -200.0, at = 0.0;
        for (double cents = -100.0; cents <= 100.0; cents += 2.0)
            if (const double db =
                    componentDb(x, 24000 * note + 1000, 16384, 440.0 * std::exp2(cents / 1200.0), 48000.0);
                db > best)
                best = db, at = cents;
        return at;
    };
    EXPECT_NE(pitch(0), pitch(1));
    for (int i = 0; i < 4; ++i) EXPECT_EQ(pitch(i), pitch(i + 4)) << "the voice comes round again with its own tuning";
}

TEST(Glides, FollowTheirCurve) {
    Patch patch = plain();
    patch.set({"voicing", "mode"}, static_cast<double>(VoiceMode::legato));
    patch.set({"voicing", "glide"}, 200.0);
    patch.set({"voicing", "glide_curve"}, 50.0);
    Performance performance = oneNote(60, 0.0, 0.5, 1.0);
    performance.notes.push_back({0.4, 1.0, 72, 0.0, 100.0});
    const auto x = rendered(patch, performance);
    // Half-way in time it has covered (1 − e^(−2.5)) / (1 − e^(−5)) of its octave.
    const double wanted = 261.6256 * std::exp2(std::expm1(-2.5) / std::expm1(-5.0));
    int crossings = 0;
    double first = 0.0, last = 0.0;
    for (int i = 23520; i < 24480; ++i) // 10 ms on either side
        if (x[static_cast<std::size_t>(i - 1)] < 0.0f && x[static_cast<std::size_t>(i)] >= 0.0f) {
            const double here = x[static_cast<std::size_t>(i)];
            const double at = i - here / (here - x[static_cast<std::size_t>(i - 1)]);
            if (crossings++ == 0) first = at;
            last = at;
        }
    EXPECT_NEAR((crossings - 1) * 48000.0 / (last - first), wanted, 0.01 * wanted);
}

// ---- patches ----

TEST(Patches, GrowAndShrinkWithoutLosingAnything) {
    Patch patch;
    patch.add("layer:b");
    patch.add("layer:b/lfo:a");
    patch.add("macro:a");
    ModuleData label;
    label.label = "Shine";
    patch.setData("macro:a", label);
    link(patch, "macro:a", "layer:b/filter:a/cutoff", 24.0);
    link(patch, "layer:b/lfo:a", "layer:b/source:a/cents", 10.0, "macro:a");
    patch.tie({{{a, "cents"}, {"layer:b/source:a", "cents"}}, true});
    patch.set({a, "cents"}, 7.0);
    EXPECT_EQ(patch.value({"layer:b/source:a", "cents"}), 7.0) << "tied with its distance kept";
    EXPECT_EQ(patchFromJson(patchToJson(patch)), patch);
    EXPECT_EQ(patch.labelOf(*patch.find("macro:a")), "Shine");
    Patch smaller = patch;
    smaller.remove("layer:b/lfo:a");
    EXPECT_EQ(smaller.find("link:b"), nullptr) << "a link without its end goes too";
    EXPECT_NE(smaller.freePath(ModuleKind::lfo, "layer:b"), "layer:b/lfo:a") << "keys are not given twice";
    smaller.remove("layer:b");
    EXPECT_TRUE(smaller.ties().empty());
    EXPECT_EQ(patchFromJson(patchToJson(smaller)), smaller);
    EXPECT_THROW(smaller.remove("layer:a"), Error);
    EXPECT_THROW(smaller.add("layer:e/source:a"), Error);
    EXPECT_THROW(smaller.add("somewhere:a"), Error);
    EXPECT_EQ(changedAddresses(Patch(), patch).size() > 3, true);
}

TEST(Patches, EqualTiesMoveTogether) {
    Patch patch;
    patch.tie({{{a, "detune"}, {b, "detune"}}, false});
    patch.set({b, "detune"}, 33.0);
    EXPECT_EQ(patch.value({a, "detune"}), 33.0);
    EXPECT_THROW(patch.tie({{{a, "detune"}, {a, "cents"}}, false}), Error);
    patch.untie({a, "detune"});
    patch.set({b, "detune"}, 5.0);
    EXPECT_EQ(patch.value({a, "detune"}), 33.0);
}

TEST(FeedbackOperators, SoundTogetherAsEachAlone) {
    // Many that run side by side, at pitches and amounts of their own, a part of them pushed along by a vibrato.
    Patch patch = plain();
    patch.set({a, "voices"}, 5.0);
    patch.set({a, "detune"}, 25.0);
    patch.add("layer:a/lfo:a");
    link(patch, a, a + "/phase", 50.0);
    link(patch, "layer:a/lfo:a", a + "/cents", 20.0);
    patch.set({"voicing", "voices"}, 16.0);
    Performance chord = oneNote(48, 0.0, 0.7, 0.8);
    const Note first = chord.notes.front();
    chord.notes.clear();
    std::vector<float> sum(static_cast<std::size_t>(0.8 * 48000), 0.0f);
    for (const int key : {41, 48, 53, 60, 67}) {
        Note note = first;
        note.key = key;
        chord.notes.push_back(note);
        Performance alone = chord;
        alone.notes = {note};
        const auto one = rendered(patch, alone);
        for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += one[i];
    }
    const auto together = rendered(patch, chord);
    double worst = 0.0, loudest = 0.0;
    for (std::size_t i = 0; i < sum.size(); ++i) {
        worst = std::max(worst, std::abs(static_cast<double>(together[i] - sum[i])));
        loudest = std::max(loudest, std::abs(static_cast<double>(sum[i])));
    }
    EXPECT_LT(worst, 2e-4 * loudest);
}

TEST(FeedbackOperators, FollowTheirEquation) {
    // y[n] = sin(2π(n f/r + β (y[n−1] + y[n−2])/2)), the mean of the last two against oscillation at half the rate
    // (common practice of operators that feed back on themselves, no source), at twice the rate and halved again.
    Patch patch = plain();
    link(patch, a, a + "/phase", 45.0);
    const double hz = 220.0;
    const auto sound = rendered(patch, atHz(hz, 0.6));
    double before = 0.0, beforeThat = 0.0;
    std::vector<float> expected;
    for (int n = 0; n < 2 * 28800; ++n) {
        const double value = std::sin(turn * (n * hz / 96000.0 + 45.0 / 360.0 * 0.5 * (before + beforeThat)));
        beforeThat = before;
        before = value;
        if (n % 2 == 0) expected.push_back(static_cast<float>(value));
    }
    const double fundamental = componentDb(sound, 4800, 16384, hz, 48000.0);
    const double wanted = componentDb(expected, 4800, 16384, hz, 48000.0);
    for (int p = 2; p <= 6; ++p)
        EXPECT_NEAR(componentDb(sound, 4800, 16384, p * hz, 48000.0) - fundamental,
                    componentDb(expected, 4800, 16384, p * hz, 48000.0) - wanted, 0.2)
            << p;
}

} // namespace
} // namespace facet
