// Noise, motion, width and space against sounds made from formulas.
#include "core/analysis/facets/glide.h"
#include "core/analysis/facets/onset_sweep.h"
#include "core/analysis/overview.h"
#include "core/analysis/facets/pitch.h"
#include "core/analysis/profile.h"
#include "core/analysis/separation.h"
#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/envelope.h"
#include "core/dsp/low_pass.h"
#include "core/audio/audio_file.h"
#include "core/engine/render.h"
#include "tests/support/files.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::oneNote;
using testing::sawAt;
using testing::soundOf;

constexpr double turn = 2.0 * std::numbers::pi;

std::vector<float> mono(double seconds, const std::function<double(double)>& value) {
    return soundOf(seconds, 48000, value).channels[0];
}

std::vector<float> track(double seconds, double step, const std::function<double(double)>& value) {
    std::vector<float> values;
    for (double t = 0.0; t < seconds; t += step) values.push_back(static_cast<float>(value(t)));
    return values;
}

// ---- level ----

TEST(Envelopes, HaveDelayHoldAndCurves) {
    // A note asked for at 0.1 s that waits, rises along a curve, stays and falls.
    constexpr double start = 0.1, delay = 0.12, attack = 0.15, hold = 0.25, decay = 0.2, sustain = 0.3, gate = 1.2;
    constexpr double release = 0.3;
    for (double bend : {0.0, 4.0, -4.0}) {
        const auto bent = [](double x, double c) { return c == 0.0 ? x : std::expm1(-c * x) / std::expm1(-c); };
        const auto level = [&](double t) {
            t -= start + delay;
            if (t < 0.0) return 0.0;
            if (t < attack) return bent(t / attack, bend);
            if (t < attack + hold) return 1.0;
            const double fallen = bent(std::min(1.0, (t - attack - hold) / decay), 5.0);
            const double value = 1.0 + (sustain - 1.0) * fallen;
            const double left = t - (gate - delay);
            return left < 0.0 ? value : sustain * (1.0 - bent(std::min(1.0, left / release), 5.0));
        };
        const auto sound = mono(2.0, [&](double t) { return 0.5 * level(t) * sawAt(220.0, t); });
        const LevelFit fit = fitLevel(levelTrack(sound, 0.009), 0.009, start, gate, 2.0);
        EXPECT_NEAR(fit.delay, delay, bend < 0.0 ? 0.02 : 0.005) << bend; // a slow start is a late one
        EXPECT_NEAR(fit.delay + fit.attack, delay + attack, 0.01) << bend;
        EXPECT_NEAR(fit.attackBend, bend, 1.5);
        EXPECT_NEAR(fit.hold, hold, 0.03) << bend;
        EXPECT_NEAR(fit.decay, decay, 0.1 * decay) << bend;
        EXPECT_NEAR(fit.sustainDb, dbFromGain(sustain), 0.2) << bend;
        EXPECT_NEAR(fit.release, release, 0.1 * release) << bend;
    }
}

TEST(Envelopes, OfAPlainNoteHaveNoDelayNorHold) {
    const auto sound = mono(1.5, [](double t) {
        return t < 0.1 ? 0.0 : 0.5 * std::min(1.0, (t - 0.1) / 0.02) * std::exp(-(t - 0.1) / 0.3) * sawAt(220.0, t);
    });
    const LevelFit fit = fitLevel(levelTrack(sound, 0.009), 0.009, 0.1, 1.2, 1.5);
    EXPECT_EQ(fit.delay, 0.0);
    EXPECT_EQ(fit.hold, 0.0);
    EXPECT_EQ(fit.attackBend, 0.0);
    EXPECT_NEAR(fit.attack, 0.02, 0.003);
}

// ---- brightness ----

TEST(Filters, HaveCutoffSlopeAndResonanceOverTime) {
    constexpr double hz = 110.0, length = 1.5;
    const auto cutoffAt = [](double t) { return 2400.0 * std::exp2(-1.5 * t / length); };
    for (double noiseDb : {-200.0, -50.0})
        for (const auto& [poles, resonanceDb] : {std::pair{4, 6.0}, {2, 9.0}, {4, -12.0}, {2, -3.0}}) {
            Random random(1);
            const auto gainAt = [&](double f, double t) {
                return gainFromDb(lowPassResponseDb(poles, cutoffAt(t), resonanceDb, f, 1e7));
            };
            const auto sound = soundOf(length, 48000, [&](double t) {
                double sum = gainFromDb(noiseDb) * random.between(-1, 1);
                for (int n = 1; n <= 80; ++n) sum += 0.2 / n * gainAt(n * hz, t) * std::sin(turn * n * hz * t);
                return sum;
            });
            const Profile profile = measureProfile(sound, oneNote(45, 0.0, length, length));
            const double effective = effectiveCutoffHz(poles, 1000.0, resonanceDb, 1e7) / 1000.0;
            double peakDb = 0.0;
            for (double share = 0.1; share < 2.0; share += 0.01)
                peakDb = std::max(peakDb, lowPassResponseDb(poles, 1000.0, resonanceDb, 1000.0 * share, 1e7));
            for (double t : {0.3, 0.6, 0.9, 1.2}) {
                const auto what = fmt::format("{} poles, {} dB, {} s, noise {} dB", poles, resonanceDb, t, noiseDb);
                EXPECT_NEAR(std::log2(profile.cutoffHz.at(t) / (effective * cutoffAt(t))), 0.0, 1.0 / 6.0) << what;
                EXPECT_NEAR(profile.resonanceDb.at(t), peakDb, 1.5) << what;
                // A soft knee takes more than the audible range to come to its poles' slope.
                const double knee = effective * cutoffAt(t) * std::exp2(1.0 / 3.0);
                const double octaves = std::min(2.0, 30.0 / (6.0 * poles));
                const double seen = dbFromGain(gainAt(knee * std::exp2(octaves), t) / gainAt(knee, t)) / octaves;
                if (isMeasured(profile.filterSlope.at(t))) {
                    EXPECT_NEAR(profile.filterSlope.at(t), seen, 3.0) << what;
                }
            }
            EXPECT_TRUE(isMeasured(medianOf(profile.filterSlope.values))) << poles << " " << resonanceDb;
            EXPECT_EQ(profile.filter.poles, poles);
        }
}

// ---- periodic change ----

TEST(PeriodicChanges, AreFoundWithRateDepthAndShape) {
    for (double rate : {0.9, 2.5, 5.3, 7.1, 12.0}) {
        const auto change =
            findPeriodicChange(track(4.0, 0.01, [=](double t) { return 3.0 * std::sin(turn * rate * t); }), 0.01);
        ASSERT_TRUE(change.found()) << rate;
        EXPECT_NEAR(change.rateHz, rate, 0.002 * rate);
        EXPECT_NEAR(change.depth, 3.0, 0.05);
        EXPECT_NEAR(change.cycles, 4.0 * rate, 0.2);
        EXPECT_GT(change.confidence, 0.95);
        EXPECT_STREQ(nameOfCycle(change), "sine");
        EXPECT_LT(std::min(change.phase, 1.0 - change.phase), 0.02) << "it starts rising through its middle";
    }
}

TEST(PeriodicChanges, StandOutOfATrendAndOfGaps) {
    auto values = track(3.0, 0.01, [](double t) { return 20.0 * std::exp(-t) + 0.5 * std::sin(turn * 5.0 * t); });
    for (std::size_t i = 100; i < 130; ++i) values[i] = notMeasurable;
    const auto change = findPeriodicChange(values, 0.01);
    ASSERT_TRUE(change.found());
    EXPECT_NEAR(change.rateHz, 5.0, 0.05);
    EXPECT_NEAR(change.depth, 0.5, 0.05);
}

TEST(PeriodicChanges, ShapesHaveTheirNames) {
    const auto named = [](const std::function<double(double)>& cycle) {
        return std::string(nameOfCycle(findPeriodicChange(
            track(4.0, 0.004, [&](double t) { return cycle(3.0 * t - std::floor(3.0 * t)); }), 0.004)));
    };
    EXPECT_EQ(named([](double u) { return u < 0.5 ? 1.0 : -1.0; }), "square");
    EXPECT_EQ(named([](double u) { return 1.0 - 4.0 * std::abs(u - 0.5); }), "triangle");
    EXPECT_EQ(named([](double u) { return 2.0 * u - 1.0; }), "rising saw");
    EXPECT_EQ(named([](double u) { return 1.0 - 2.0 * u; }), "falling saw");
    EXPECT_EQ(named([](double u) { return u < 0.25 ? 1.0 : 0.0; }), "pulse");
    const auto gate = findPeriodicChange(
        track(4.0, 0.004, [](double t) { return std::fmod(3.0 * t, 1.0) < 0.25 ? 1.0 : 0.0; }), 0.004);
    EXPECT_NEAR(dutyOf(gate), 0.25, 0.04);
    EXPECT_NEAR(gate.depth, 0.5, 0.03);
}

TEST(PeriodicChanges, AreNotSeenInNoiseDecaysOrTooFewCycles) {
    Random random(11);
    EXPECT_FALSE(findPeriodicChange(track(3.0, 0.01, [&](double) { return random.between(-1, 1); }), 0.01).found());
    EXPECT_FALSE(findPeriodicChange(track(3.0, 0.01, [](double t) { return std::exp(-3.0 * t); }), 0.01).found());
    EXPECT_FALSE(findPeriodicChange(track(1.0, 0.01, [](double t) { return std::sin(turn * 1.5 * t); }), 0.01).found());
    EXPECT_FALSE(findPeriodicChange({}, 0.01).found());
    EXPECT_FALSE(findPeriodicChange(track(1.0, 0.01, [](double) { return 5.0; }), 0.01).found());
}

TEST(NoteValues, AreNamedAtATempo) {
    // A quarter note lasts 60000/BPM ms (handbook arithmetic): 120 BPM → 2 Hz.
    EXPECT_STREQ(nearestNoteValue(2.0, 120.0), "1/4");
    EXPECT_STREQ(nearestNoteValue(4.0 / 1.5, 120.0), "1/8 dotted");
    EXPECT_STREQ(nearestNoteValue(6.0, 120.0), "1/8 triplet");
    EXPECT_STREQ(nearestNoteValue(0.5, 120.0), "1 bar");
    EXPECT_STREQ(nearestNoteValue(4.7, 120.0), "");
}

// ---- motion in sound ----

Profile profileOf(const Recording& recording, int key, double start, double end) {
    Performance performance = oneNote(key, start, end, recording.seconds());
    return measureProfile(recording, performance);
}

TEST(Motion, OfAVibratoIsItsRateAndCents) {
    const double f0 = hzFromKey(57);
    double phase = 0.0;
    const Recording recording = soundOf(2.0, 48000, [&](double t) {
        phase += f0 * std::exp2(40.0 * std::sin(turn * 5.5 * t) / 1200.0) / 48000.0;
        double sum = 0.0;
        for (int n = 1; n <= 12; ++n) sum += 0.2 / n * std::sin(turn * n * phase);
        return sum;
    });
    const Profile profile = profileOf(recording, 57, 0.0, 2.0);
    ASSERT_TRUE(profile.motion.vibrato.found());
    EXPECT_NEAR(profile.motion.vibrato.rateHz, 5.5, 0.05);
    EXPECT_NEAR(profile.motion.vibrato.depth, 40.0, 2.0);
    EXPECT_FALSE(isMeasured(profile.motion.detuneCents));
    EXPECT_STREQ(profile.motion.strongest().name, "vibrato");
}

TEST(Motion, OfATremoloIsItsRateAndDepth) {
    const Recording recording =
        soundOf(2.0, 48000, [](double t) { return (1.0 + 0.4 * std::sin(turn * 6.0 * t)) * 0.3 * sawAt(220.0, t); });
    const Profile profile = profileOf(recording, 57, 0.0, 2.0);
    ASSERT_TRUE(profile.motion.tremolo.found());
    EXPECT_NEAR(profile.motion.tremolo.rateHz, 6.0, 0.05);
    EXPECT_NEAR(profile.motion.tremolo.depth, 0.4, 0.03);
    EXPECT_NEAR(profile.motion.tremoloDepthDb, -dbFromGain(0.6 / 1.4), 0.7);
    EXPECT_FALSE(isMeasured(profile.motion.detuneCents)) << "all partials move alike: no beating";
}

TEST(Motion, OfTwoVoicesIsTheirDistance) {
    for (double cents : {4.0, 9.0, 25.0}) {
        const double low = hzFromKey(57) * std::exp2(-0.5 * cents / 1200.0);
        const double high = hzFromKey(57) * std::exp2(0.5 * cents / 1200.0);
        const Recording recording =
            soundOf(2.0, 48000, [=](double t) { return 0.2 * sawAt(low, t) + 0.2 * sawAt(high, t + 0.1234); });
        EXPECT_NEAR(profileOf(recording, 57, 0.0, 2.0).motion.detuneCents, cents, 0.5) << cents;
    }
}

TEST(Motion, OfAPlainToneIsNone) {
    const Profile profile =
        profileOf(soundOf(2.0, 48000, [](double t) { return 0.3 * sawAt(220.0, t); }), 57, 0.0, 2.0);
    EXPECT_FALSE(profile.motion.vibrato.found());
    EXPECT_FALSE(profile.motion.tremolo.found());
    EXPECT_FALSE(profile.motion.filter.found());
    EXPECT_FALSE(isMeasured(profile.motion.detuneCents));
    EXPECT_LT(profile.motion.driftCents, 0.5);
}

TEST(Glides, HaveTheirLengthAndCurve) {
    // From slow ones to one that is over before a pitch tracker has heard a window's worth of it.
    for (double seconds : {0.03, 0.06, 0.12, 0.3})
        for (double semitones : {7.0, -24.0, 2.0})
            for (double bend : {0.0, 4.0}) {
                double phase = 0.0;
                double last = 0.0;
                const auto sound = mono(1.4, [&](double t) {
                    const double x = std::clamp((t - 0.5) / seconds, 0.0, 1.0);
                    const double share = bend == 0.0 ? x : std::expm1(-bend * x) / std::expm1(-bend);
                    const double hz = 220.0 * std::exp2(share * semitones / 12.0);
                    phase += hz * (t - last);
                    last = t;
                    double sum = 0.0;
                    for (int n = 1; n <= 12; ++n) sum += 0.2 / n * std::sin(turn * n * phase);
                    return sum;
                });
                const PitchTrack pitch = trackPitch(sound, {.stepSeconds = 0.01});
                const double to = 220.0 * std::exp2(semitones / 12.0);
                // A note's start may be known, or be found in the middle of the way.
                for (double around : {0.5, 0.5 + 0.5 * seconds}) {
                    const Glide glide = fitGlide(sound, pitch.hz, around, 220.0, to, 0.0, 1.4);
                    const auto what = fmt::format("{} s, {} semitones, bend {}", seconds, semitones, bend);
                    ASSERT_TRUE(glide.found()) << what;
                    // Where a bent way comes to rest cannot be heard; where it has covered most can.
                    const auto covered = [](double whole, double c) {
                        return whole * SegmentCurve(c).timeConstantShare();
                    };
                    EXPECT_NEAR(glide.start, 0.5, 0.008) << what;
                    EXPECT_NEAR(covered(glide.seconds, glide.bend), covered(seconds, bend),
                                std::max(0.005, 0.1 * seconds))
                        << what;
                }
            }
}

TEST(Glides, AreNotSeenWhereThereAreNone) {
    const auto held = mono(1.0, [](double t) { return 0.3 * sawAt(220.0, t); });
    EXPECT_FALSE(fitGlide(held, trackPitch(held).hz, 0.5, 220.0, 330.0, 0.0, 1.0).found());
    // Two notes side by side, one behind the other's end: a step.
    const auto step = mono(1.0, [](double t) { return 0.3 * sawAt(t < 0.5 ? 220.0 : 330.0, t); });
    EXPECT_LT(fitGlide(step, trackPitch(step).hz, 0.5, 220.0, 330.0, 0.0, 1.0).seconds, 0.01);
}

TEST(Glides, AreNotTwoNotesThatSoundTogether) {
    const Performance phrase = testing::fixturePhrase(); // its second note begins before the first has ended
    for (const char* name : {"struck-reed", "swept-ensemble"}) {
        const Profile profile = measureProfile(render(testing::fixturePatch(name), phrase), phrase);
        ASSERT_EQ(profile.notes.size(), phrase.notes.size());
        for (const NoteProfile& note : profile.notes)
            EXPECT_FALSE(note.glide.found() && note.glide.seconds > 0.02) << name;
    }
}

TEST(OnsetSweeps, HaveTheirDepthAndTime) {
    Track falling{.stepSeconds = 0.005, .values = {}};
    for (double t = 0.0; t < 0.6; t += 0.005)
        falling.values.push_back(static_cast<float>(100.0 * std::exp2(2.0 * std::exp(-t / 0.05))));
    const OnsetSweep sweep = onsetSweep(falling, 0.0, 0.6, 100.0);
    EXPECT_GT(sweep.cents, 1500.0);
    EXPECT_NEAR(sweep.seconds, 0.05, 0.02);
    EXPECT_FALSE(isMeasured(
        onsetSweep(Track{.stepSeconds = 0.005, .values = std::vector<float>(100, 100.0f)}, 0.0, 0.5, 100.0).cents));
}

/// A tone that begins so many cents off 110 Hz and comes to it exponentially.
std::vector<float> swept(double cents, double timeConstant, const std::function<double(double)>& wave) {
    double phase = 0.0;
    return mono(0.6, [&](double t) {
        phase += 110.0 * std::exp2(cents / 1200.0 * std::exp(-t / timeConstant)) / 48000.0;
        return 0.5 * std::exp(-t / 0.3) * wave(phase);
    });
}

TEST(OnsetSweeps, FasterThanAPitchTrackersWindowAreReadFromTheCycles) {
    const auto sine = [](double phase) { return std::sin(turn * phase); };
    const auto driven = [](double phase) { return std::tanh(3.0 * std::sin(turn * phase)); };
    for (double cents : {2400.0, 1200.0, 300.0, -700.0})
        for (double timeConstant : {0.02, 0.05})
            for (const auto& wave : {std::function<double(double)>(sine), std::function<double(double)>(driven)}) {
                if (std::abs(cents) < 500.0 && timeConstant < 0.05) continue; // is over within two cycles
                const auto sound = swept(cents, timeConstant, wave);
                const OnsetSweep sweep = sweepOf(onsetCycles(sound, 0.0, 0.6, 110.0), 0.0);
                EXPECT_NEAR(sweep.cents, cents, 0.05 * std::abs(cents)) << cents << " in " << timeConstant;
                EXPECT_NEAR(sweep.seconds, timeConstant, 0.08 * timeConstant) << cents << " in " << timeConstant;
            }
}

TEST(OnsetSweeps, AreReadBehindAClick) {
    auto sound = swept(1900.0, 0.03, [](double phase) { return std::sin(turn * phase); });
    Random random(3);
    for (std::size_t i = 0; i < 150; ++i) sound[i] += 0.6f * static_cast<float>(2.0 * random.unit() - 1.0);
    const OnsetSweep sweep = sweepOf(onsetCycles(sound, 0.0, 0.6, 110.0), 0.0);
    EXPECT_NEAR(sweep.cents, 1900.0, 100.0);
    EXPECT_NEAR(sweep.seconds, 0.03, 0.003);
}

TEST(OnsetSweeps, AreNotReadFromSteadyOrUnruly) {
    const auto none = [](const std::vector<float>& sound) {
        return !isMeasured(sweepOf(onsetCycles(sound, 0.0, 0.6, 110.0), 0.0).cents);
    };
    EXPECT_TRUE(none(mono(0.6, [](double t) { return 0.3 * sawAt(110.0, t); })));
    EXPECT_TRUE(none(mono(0.6, [](double t) { return 0.3 * sawAt(110.0, t) + 0.3 * sawAt(164.8, t + 0.123); })));
    EXPECT_TRUE(none(mono(0.6, [](double t) {
        return std::sin(turn * 110.0 * t + 6.0 * std::exp(-t / 0.05) * std::sin(turn * 385.0 * t));
    })));
    Random random(4);
    EXPECT_TRUE(none(mono(0.6, [&](double) { return 0.3 * (2.0 * random.unit() - 1.0); })));
    EXPECT_TRUE(none({}));
    EXPECT_TRUE(onsetCycles(mono(0.1, [](double t) { return std::sin(turn * 900.0 * t); }), 0.0, 0.1, 900.0).empty());
}

TEST(OnsetSweeps, AreNotATrackersDoubt) {
    for (double ratio : {2.0, 0.5, 3.0, 1.0 / 3.0}) {
        Track track{.stepSeconds = 0.005, .values = std::vector<float>(100, 100.0f)};
        std::fill_n(track.values.begin(), 8, static_cast<float>(100.0 * ratio));
        EXPECT_FALSE(isMeasured(onsetSweep(track, 0.0, 0.5, 100.0).cents)) << ratio;
    }
}

TEST(Envelopes, AreSeenBehindAGate) {
    // Half a second up, a tenth of a second down, chopped eight times a second.
    const double rate = 8.0;
    const Profile profile =
        profileOf(soundOf(3.0, 48000,
                          [&](double t) {
                              const double along = t < 2.4 ? std::min(1.0, t / 0.5) : std::exp(-(t - 2.4) / 0.03);
                              const double turned = std::fmod(rate * t, 1.0);
                              const double gate = turned < 0.5 ? std::min(1.0, turned / 0.02) : 0.03;
                              return 0.3 * along * gate * sawAt(220.0, t);
                          }),
                  57, 0.0, 2.4);
    ASSERT_TRUE(profile.motion.tremolo.found());
    EXPECT_NEAR(profile.notes.front().level.attack, 0.5, 0.1);
    EXPECT_GT(profile.notes.front().level.sustainDb, -1.5);
    EXPECT_FALSE(profile.space.echo.found()) << "a gate is no echo";
}

// ---- noise ----

TEST(Noise, RatioIsThatOfTheMix) {
    for (double ratio : {10.0, 20.0, 30.0, 40.0}) {
        Random random(3);
        const auto tone = mono(1.5, [](double t) { return 0.3 * sawAt(220.0, t); });
        double power = 0.0;
        for (float v : tone) power += static_cast<double>(v) * v;
        power /= static_cast<double>(tone.size());
        // Uniform noise in ±a has the power a²/3; up to 20 of 24 kHz are looked at.
        const double a = std::sqrt(3.0 * power / std::pow(10.0, ratio / 10.0) * 24.0 / 20.0);
        std::vector<float> mixed = tone;
        for (float& v : mixed) v += static_cast<float>(random.between(-a, a));
        const Performance performance = oneNote(57, 0.0, 1.5, 1.5);
        const NoiseProfile noise = measureNoise(mixed, performance, {220.0});
        EXPECT_NEAR(noise.harmonicToNoiseDb, ratio, 1.0);
        EXPECT_NEAR(noise.slopeDbPerOctave, 0.0, 0.6) << "white";
    }
}

TEST(Noise, IsNoneInACleanToneAndUnknownInShortOnes) {
    const auto tone = mono(1.0, [](double t) { return 0.3 * sawAt(220.0, t); });
    EXPECT_GT(measureNoise(tone, oneNote(57, 0.0, 1.0, 1.0), {220.0}).harmonicToNoiseDb, 50.0);
    EXPECT_FALSE(isMeasured(measureNoise(tone, oneNote(57, 0.0, 0.05, 1.0), {220.0}).harmonicToNoiseDb));
    EXPECT_FALSE(isMeasured(measureNoise(tone, oneNote(57, 0.0, 1.0, 1.0), {notMeasurable}).harmonicToNoiseDb));
}

TEST(Noise, IsNoneInWhatBeatsSlidesOrIsGated) {
    const auto ratioOf = [](const std::function<double(double)>& value) {
        return measureNoise(mono(2.0, value), oneNote(57, 0.0, 2.0, 2.0), {220.0}).harmonicToNoiseDb;
    };
    EXPECT_GT(ratioOf([](double t) { // five voices within 30 cents
                  double sum = 0.0;
                  for (int k = -2; k <= 2; ++k) sum += sawAt(220.0 * std::exp2(7.5 * k / 1200.0), t + 0.1 * k);
                  return 0.08 * sum;
              }),
              30.0);
    EXPECT_GT(ratioOf([](double t) { // an octave in four seconds
                  const double cycles = 180.0 * 4.0 / std::log(2.0) * (std::exp2(t / 4.0) - 1.0);
                  double sum = 0.0;
                  for (int n = 1; n <= 30; ++n) sum += std::sin(turn * n * cycles) / n;
                  return 0.2 * sum;
              }),
              30.0);
    EXPECT_GT(ratioOf([](double t) { // seven gates a second
                  const double turned = std::fmod(7.0 * t, 1.0);
                  const double open = std::clamp(std::min(turned / 0.03, (0.55 - turned) / 0.03), 0.0, 1.0);
                  return 0.3 * open * sawAt(220.0, t);
              }),
              20.0);
}

TEST(Noise, StaysNoiseBehindAGate) {
    Random random(5);
    const auto gated = mono(2.0, [&](double t) {
        const double open = std::fmod(7.0 * t, 1.0) < 0.55 ? 1.0 : 0.0;
        return open * (0.2 * sawAt(220.0, t) + random.between(-0.06, 0.06));
    });
    const double ratio = measureNoise(gated, oneNote(57, 0.0, 2.0, 2.0), {220.0}).harmonicToNoiseDb;
    EXPECT_GT(ratio, 5.0);
    EXPECT_LT(ratio, 16.0);
}

TEST(Noise, AClickStandsOutAtTheOnset) {
    const auto soft = mono(0.5, [](double t) { return std::min(1.0, t / 0.03) * 0.3 * std::sin(turn * 220.0 * t); });
    auto clicked = soft;
    for (std::size_t i = 20; i < 60; ++i) clicked[i] += i % 2 ? 0.2f : -0.2f;
    const Performance performance = oneNote(57, 0.0, 0.5, 0.5);
    EXPECT_GT(measureNoise(clicked, performance, {220.0}).clickDb,
              measureNoise(soft, performance, {220.0}).clickDb + 30.0);
}

// ---- width ----

Recording stereo(const std::function<std::pair<double, double>(double)>& value, double seconds = 1.0) {
    Recording recording{48000, {{}, {}}};
    for (int i = 0; i < static_cast<int>(seconds * 48000); ++i) {
        const auto [l, r] = value(i / 48000.0);
        recording.channels[0].push_back(static_cast<float>(l));
        recording.channels[1].push_back(static_cast<float>(r));
    }
    return recording;
}

TEST(Width, OfTextbookCases) {
    Random random(9);
    const auto noise = [&] { return random.between(-0.3, 0.3); };
    const auto same = measureWidth(stereo([&](double) {
        const double v = noise();
        return std::pair(v, v);
    }));
    EXPECT_NEAR(same.correlation, 1.0, 1e-6);
    EXPECT_FALSE(same.stereo);
    // Independent sides: correlation 0, side as strong as mid.
    const auto apart = measureWidth(stereo([&](double) { return std::pair(noise(), noise()); }, 4.0));
    EXPECT_NEAR(apart.correlation, 0.0, 0.03);
    EXPECT_NEAR(apart.sideDb, 0.0, 0.3);
    EXPECT_TRUE(apart.stereo);
    const auto opposite = measureWidth(stereo([&](double) {
        const double v = noise();
        return std::pair(v, -v);
    }));
    EXPECT_NEAR(opposite.correlation, -1.0, 1e-6);
    // 6.02 dB of balance is a factor of two.
    const auto left = measureWidth(stereo([&](double) {
        const double v = noise();
        return std::pair(2.0 * v, v);
    }));
    EXPECT_NEAR(left.balanceDb, -6.02, 0.01);
    EXPECT_NEAR(left.sideDb, 20.0 * std::log10(0.5 / 1.5), 0.05);
}

TEST(Width, BelowAFrequencyIsMono) {
    // A mono bass of partials up to 300 Hz, and a wide top.
    const auto profile = measureWidth(stereo(
        [](double t) {
            double low = 0.0;
            double l = 0.0;
            double r = 0.0;
            for (double hz = 40.0; hz < 300.0; hz += 20.0) low += 0.03 * std::sin(turn * hz * t);
            for (double hz = 600.0; hz < 6000.0; hz += 45.0) {
                l += 0.01 * std::sin(turn * hz * t);
                r += 0.01 * std::sin(turn * hz * t + hz);
            }
            return std::pair(low + l, low + r);
        },
        2.0));
    EXPECT_GT(profile.monoBelowHz, 250.0);
    EXPECT_LT(profile.monoBelowHz, 620.0);
}

TEST(Width, ThirdOctavesStandAtTheStandardsFrequencies) {
    // IEC 61260-1:2014, base ten: 10^(n/10) kHz. Nominal 100 Hz, 1 kHz, 3.15 kHz and 16 kHz.
    const auto profile = measureWidth(stereo([](double) { return std::pair(0.1, 0.1); }));
    std::vector<double> centers;
    for (const WidthBand& band : profile.thirdOctaves) centers.push_back(band.centerHz);
    for (double hz : {25.1189, 100.0, 1000.0, 3162.28, 15848.9})
        EXPECT_TRUE(std::any_of(centers.begin(), centers.end(), [=](double c) { return std::abs(c / hz - 1) < 1e-4; }))
            << hz;
}

// ---- space ----

TEST(Decays, OfExponentialNoiseHaveTheirTime) {
    // Energy falling by 60 dB in T: amplitude 10^(−3t/T). ISO 3382-1 evaluates T20 from −5 to −25 dB.
    for (double seconds : {0.3, 0.8, 2.0}) {
        Random random(4);
        const auto tail = mono(1.4 * seconds, [&](double t) {
            return random.between(-1, 1) * std::pow(10.0, -3.0 * t / seconds) + 1e-4 * random.between(-1, 1);
        });
        const Decay decay = decayBetween(tail, 0.0, 1.4 * seconds);
        EXPECT_NEAR(decay.t20, seconds, 0.05 * seconds);
        EXPECT_NEAR(decay.t30, seconds, 0.05 * seconds);
        EXPECT_GT(decay.rangeDb, 55.0);
    }
}

TEST(Decays, WithoutRangeAreNotMeasured) {
    Random random(4);
    const auto shallow =
        mono(1.0, [&](double t) { return random.between(-1, 1) * (std::pow(10.0, -3.0 * t / 0.5) + 0.1); });
    EXPECT_FALSE(isMeasured(decayBetween(shallow, 0.0, 1.0).t20)) << "20 dB above the noise do not show −25";
    EXPECT_FALSE(isMeasured(decayBetween(mono(1.0, [](double) { return 0.0; }), 0.0, 1.0).t20));
}

/// A phrase with repeats `level` (gain) later and later again by `feedback`; the first on the left only.
Recording echoed(double seconds, double level, double feedback, const Performance& performance) {
    const auto dry = [&](double t) {
        double sum = 0.0;
        for (const Note& note : performance.notes)
            if (t >= note.start && t < note.end + 0.03) {
                const double fade = t < note.end ? 1.0 : 1.0 - (t - note.end) / 0.03;
                sum += 0.2 * fade * std::exp(-4.0 * (t - note.start)) * sawAt(hzFromKey(note.key), t - note.start);
            }
        return sum;
    };
    return stereo(
        [&](double t) {
            double l = dry(t);
            double r = l;
            double gain = level;
            for (int k = 1; k <= 6; ++k, gain *= feedback) (k % 2 ? l : r) += gain * dry(t - k * seconds);
            return std::pair(l, r);
        },
        3.0);
}

Performance arpeggio() {
    Performance performance = oneNote(57, 0.0, 0.12, 3.0, 48000, 2);
    int i = 1;
    for (int key : {64, 60, 69, 62}) performance.notes.push_back({0.2 * i, 0.2 * i + 0.12, key, 0.0, 100.0}), ++i;
    performance.normalize();
    return performance;
}

TEST(Echoes, HaveTimeLevelFeedbackAndSides) {
    for (double seconds : {0.171, 0.3333, 0.517}) {
        const Echo echo = findEcho(echoed(seconds, 0.5, 0.6, arpeggio()), arpeggio());
        ASSERT_TRUE(echo.found()) << seconds;
        EXPECT_NEAR(echo.seconds, seconds, 0.0005);
        EXPECT_NEAR(echo.levelDb, -6.02, 1.5);
        EXPECT_NEAR(echo.feedbackDb, dbFromGain(0.6), 1.5);
        EXPECT_LT(echo.side, -0.9);
        EXPECT_GT(echo.secondSide, 0.9);
    }
    EXPECT_FALSE(findEcho(echoed(0.3, 0.0, 0.0, arpeggio()), arpeggio()).found());
}

/// Three keys held long, of a sound that dies away at once, each with repeats of which only the lowest partials are
/// left.
Recording pluckedWithDarkRepeats(double seconds, double level, const Performance& performance) {
    const auto note = [](double hz, double t, double highestHz) {
        double sum = 0.0;
        for (int n = 1; n * hz < highestHz; ++n) sum += std::sin(turn * n * hz * t) / n;
        return t < 0.0 ? 0.0 : 0.2 * std::exp(-t / 0.04) * sum;
    };
    return stereo(
        [&](double t) {
            double sum = 0.0;
            for (const Note& each : performance.notes) {
                const double hz = hzFromKey(each.key);
                sum += note(hz, t - each.start, 15000.0);
                double gain = level;
                for (int k = 1; k <= 5; ++k, gain *= 0.6) sum += gain * note(hz, t - each.start - k * seconds, 900.0);
            }
            return std::pair(sum, sum);
        },
        2.8);
}

TEST(Echoes, AreHeardWithinHeldNotesThatHaveDiedAwayAndWhereTheyAreMuffled) {
    Performance held = oneNote(48, 0.05, 0.75, 2.8, 48000, 2);
    held.notes.push_back({0.9, 1.3, 55, 0.0, 80.0});
    held.notes.push_back({1.45, 2.2, 60, 0.0, 110.0});
    held.normalize();
    const Echo echo = findEcho(pluckedWithDarkRepeats(0.379, 0.35, held), held);
    ASSERT_TRUE(echo.found());
    EXPECT_NEAR(echo.seconds, 0.379, 0.001);
    EXPECT_NEAR(echo.feedbackDb, dbFromGain(0.6), 2.0);
    EXPECT_FALSE(findEcho(pluckedWithDarkRepeats(0.379, 0.0, held), held).found());
}

TEST(Echoes, AreTakenOut) {
    const Recording wet = echoed(0.2713, 0.5, 0.5, arpeggio());
    const Echo echo = findEcho(wet, arpeggio());
    ASSERT_TRUE(echo.found());
    const auto before = monoMix(wet);
    const auto after = withoutEcho(before, echo);
    const auto energy = [](const std::vector<float>& x, double from, double to) {
        double sum = 0.0;
        for (auto i = static_cast<std::size_t>(from * 48000); i < static_cast<std::size_t>(to * 48000); ++i)
            sum += static_cast<double>(x[i]) * x[i];
        return sum;
    };
    EXPECT_LT(energy(after, 1.05, 2.9), 0.1 * energy(before, 1.05, 2.9)) << "behind the phrase";
    EXPECT_NEAR(energy(after, 0.0, 0.15), energy(before, 0.0, 0.15), 1e-6) << "the first note is as it was";
}

TEST(Profiles, StopWithinTheirNewParts) {
    std::stop_source source;
    source.request_stop();
    Task task;
    task.stop = source.get_token();
    const Recording recording = soundOf(1.0, 48000, [](double t) { return 0.3 * sawAt(220.0, t); });
    EXPECT_THROW(measureWidth(stereo([](double) { return std::pair(0.1, 0.2); }), task), Cancelled);
    EXPECT_THROW(measureSpace(recording, oneNote(57, 0.0, 0.5, 1.0), task), Cancelled);
    EXPECT_THROW(measureNoise(recording.channels[0], oneNote(57, 0.0, 0.9, 1.0), {220.0}, task), Cancelled);
}

// ---- stretched partials, what lies an octave below, shapes, changing rates, pre-delay ----

TEST(Inharmonicity, IsTheLawOfAStiffString) {
    // Fletcher 1964: f_n = n f0 sqrt(1 + B n^2).
    for (double coefficient : {0.0, 1e-4, 4e-4}) {
        const auto sound = mono(1.2, [&](double t) {
            double sum = 0.0;
            for (int n = 1; n <= 16; ++n)
                sum += std::sin(turn * 110.0 * n * std::sqrt(1.0 + coefficient * n * n) * t) / n;
            return 0.2 * sum;
        });
        const Inharmonicity found = measureInharmonicity(sound, 0.0, 1.2, 110.0);
        EXPECT_NEAR(found.coefficient, coefficient, 4e-6 + 0.02 * coefficient);
        EXPECT_GT(found.confidence, 0.9);
    }
    Random random(1);
    const auto noise = mono(1.2, [&](double) { return 0.2 * (2.0 * random.unit() - 1.0); });
    EXPECT_FALSE(isMeasured(measureInharmonicity(noise, 0.0, 1.2, 110.0).coefficient));
}

TEST(PartialDecays, AreMeasuredOneByOne) {
    // Partial n falls by 10 n dB per second.
    const Recording string = soundOf(1.5, 48000, [](double t) {
        double sum = 0.0;
        for (int n = 1; n <= 8; ++n) sum += std::pow(10.0, -0.5 * n * t) * std::sin(turn * 220.0 * n * t) / n;
        return 0.3 * sum;
    });
    const Profile profile = measureProfile(string, oneNote(57, 0.0, 1.4, 1.5));
    for (std::size_t k = 0; k < 8; ++k)
        EXPECT_NEAR(profile.notes[0].partialSlopes[k], -10.0 * static_cast<double>(k + 1), 0.6) << k + 1;
}

TEST(SubOctave, IsTheLevelOfWhatSoundsBelow) {
    const auto with = [&](double level) {
        return mono(1.0, [=](double t) { return 0.3 * sawAt(220.0, t) + level * 0.3 * std::sin(turn * 110.0 * t); });
    };
    // The first partial of sawAt() has the amplitude 2/π.
    EXPECT_NEAR(measureSubOctave(with(0.1), 0.0, 1.0, 220.0), -20.0 - 20.0 * std::log10(2.0 / std::numbers::pi), 0.1);
    EXPECT_LT(measureSubOctave(with(0.0), 0.0, 1.0, 220.0), -55.0);
    EXPECT_FALSE(isMeasured(measureSubOctave(with(0.1), 0.0, 0.05, 220.0))) << "too short to tell";
    const auto gated = mono(2.0, [](double t) { return std::fmod(7.3 * t, 1.0) < 0.5 ? 0.3 * sawAt(330.0, t) : 0.0; });
    EXPECT_LT(measureSubOctave(gated, 0.0, 2.0, 330.0), -55.0) << "a gate's side bands are no octave below";
}

TEST(PeriodicShapes, BecomeFewBreakpoints) {
    const auto gate = track(2.0, 0.004, [](double t) { return std::fmod(4.0 * t, 1.0) < 0.3 ? 1.0 : 0.0; });
    const PeriodicChange change = findPeriodicChange(gate, 0.004, {.lowestHz = 1.0, .highestHz = 16.0});
    ASSERT_TRUE(change.found());
    const auto points = breakpointsOf(change);
    EXPECT_GE(points.size(), 4u);
    EXPECT_LE(points.size(), 10u) << "a gate has two edges";
    EXPECT_EQ(points.front().seconds, 0.0);
    EXPECT_EQ(points.back().seconds, 1.0);
    double inside = 0.0;
    for (double p = 0.005; p < 1.0; p += 0.01) inside += valueAt(points, p) > 0.0 ? 0.01 : 0.0;
    EXPECT_NEAR(inside, 0.3, 0.06);
}

TEST(ChangingRates, AreFollowed) {
    // From 4 to 8 Hz over three seconds: phase 4 t + (4/6) t².
    const auto swept =
        track(3.0, 0.004, [](double t) { return 1.0 + 0.8 * std::sin(turn * (4.0 * t + 4.0 / 6.0 * t * t)); });
    const auto rates = rateOverTime(swept, 0.004);
    ASSERT_GE(rates.size(), 10u);
    for (const CurvePoint& point : rates) EXPECT_NEAR(point.value, 4.0 + 4.0 / 3.0 * point.seconds, 0.15);
    Random random(2);
    EXPECT_TRUE(rateOverTime(track(3.0, 0.004, [&](double) { return random.unit(); }), 0.004).empty());
}

TEST(PreDelay, IsTheGapBeforeTheReverberation) {
    // A click of 8 ms, then noise falling 60 dB in 0.8 s that sets in after the pre-delay.
    for (double delay : {0.03, 0.06}) {
        Random random(3);
        const auto sound = mono(1.5, [&](double t) {
            const double noise = 2.0 * random.unit() - 1.0;
            const double at = t - 0.1;
            const double hit = at >= 0.0 && at < 0.008 ? 0.8 * std::sin(turn * 900.0 * at) : 0.0;
            return hit + (at >= delay ? 0.15 * noise * std::pow(10.0, -3.0 * (at - delay) / 0.8) : 0.0);
        });
        const Performance hit = oneNote(60, 0.1, 0.11, 1.5);
        EXPECT_NEAR(measurePreDelay(sound, hit), delay, 0.004);
    }
    // A held tone leaves no gap.
    EXPECT_FALSE(isMeasured(
        measurePreDelay(mono(1.0, [](double t) { return 0.3 * sawAt(220.0, t); }), oneNote(57, 0.0, 1.0, 1.0))));
}

TEST(Chords, SayOfEachNoteOnlyWhatStandsClear) {
    // C and G a fifth apart share every third partial of C: the first two stand clear. The octave of C is all in C.
    const double c = hzFromKey(48), g = hzFromKey(55), high = hzFromKey(60);
    const Recording chord = soundOf(1.5, 48000, [&](double t) {
        return 0.2 * (sawAt(c, t) + sawAt(g * std::exp2(4.0 / 1200.0), t) + sawAt(high, t));
    });
    Performance notes = oneNote(48, 0.0, 1.5, 1.5);
    notes.notes.push_back({0.0, 1.5, 55, 0.0, 100.0});
    notes.notes.push_back({0.0, 1.5, 60, 0.0, 100.0});
    const Profile profile = measureProfile(chord, notes);
    EXPECT_NEAR(profile.notes[1].cents, 4.0, 1.0) << "the fifth is measured";
    EXPECT_FALSE(isMeasured(profile.notes[2].cents)) << "the octave cannot be told from the note below";
}

// ---- parts of a sound and pictures of long ones ----

TEST(Separation, PartsAddUpAndGoWhereTheyBelong) {
    // FitzGerald 2010: lasting partials are horizontal lines, clicks vertical ones.
    Recording tone =
        testing::soundOf(2.0, 44100, [](double t) { return 0.2 * std::sin(2000.0 * t) + 0.1 * std::sin(5000.0 * t); });
    Recording clicks{44100, {std::vector<float>(tone.channels[0].size())}};
    for (std::size_t i = 5000; i < clicks.channels[0].size(); i += 11025)
        for (std::size_t k = 0; k < 40; ++k) clicks.channels[0][i + k] = k % 2 ? -0.6f : 0.6f;
    Recording both = tone;
    for (std::size_t i = 0; i < both.channels[0].size(); ++i) both.channels[0][i] += clicks.channels[0][i];
    const SeparatedSound parts = separated(both);
    double misplacedTone = 0.0, misplacedClicks = 0.0, toneEnergy = 0.0, clickEnergy = 0.0;
    for (std::size_t i = 4000; i + 4000 < both.channels[0].size(); ++i) { // the ends have no neighbors
        ASSERT_NEAR(parts.tonal.channels[0][i] + parts.struck.channels[0][i], both.channels[0][i], 1e-5);
        misplacedTone += std::pow(parts.tonal.channels[0][i] - tone.channels[0][i], 2);
        toneEnergy += std::pow(tone.channels[0][i], 2);
        misplacedClicks += std::pow(parts.struck.channels[0][i] - clicks.channels[0][i], 2);
        clickEnergy += std::pow(clicks.channels[0][i], 2);
    }
    EXPECT_LT(10.0 * std::log10(misplacedTone / toneEnergy), -20.0);
    EXPECT_LT(10.0 * std::log10(misplacedClicks / clickEnergy), -8.0);
}

TEST(Overviews, SketchFirstAndEndExact) {
    const testing::TemporaryFolder folder;
    Recording sound =
        testing::soundOf(200.0, 44100, [](double t) { return (t > 100.0 ? 0.8 : 0.1) * std::sin(2513.0 * t); });
    sound.channels[0][12345] = -0.95f; // one sample that no sketch can know of
    writeAudio(folder / "l.wav", sound, SampleFormat::wav16);
    AudioStream stream(folder / "l.wav");
    std::vector<OverviewPtr> shown;
    makeOverview(stream, [&](const OverviewPtr& picture) { shown.push_back(picture); });
    ASSERT_GE(shown.size(), 2u);
    EXPECT_EQ(shown.front()->exact, 0u);
    EXPECT_NEAR(shown.front()->range(150.0, 151.0).second, 0.8, 0.05) << "the sketch shows how loud it is where";
    EXPECT_NEAR(shown.front()->range(20.0, 30.0).second, 0.1, 0.02);
    const Overview& last = *shown.back();
    EXPECT_TRUE(last.finished());
    EXPECT_NEAR(last.range(0.25, 0.3).first, -0.95, 1e-3);
    EXPECT_NEAR(last.range(0.0, 200.0).second, 0.8, 1e-3);
    EXPECT_EQ(last.range(300.0, 301.0), (std::pair{0.0f, 0.0f}));
    // 2513 rad/s are 400 Hz: the brightest row of the last column.
    int brightest = 0;
    for (int row = 0; row < Spectrogram::rows; ++row)
        if (last.spectrogram.at(last.spectrogram.columns - 2, row) >
            last.spectrogram.at(last.spectrogram.columns - 2, brightest))
            brightest = row;
    EXPECT_NEAR(Spectrogram::hzOfRow(brightest), 400.0, 12.0);
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(makeOverview(stream, [](const OverviewPtr&) {}, {.stop = stop.get_token(), .progress = {}}),
                 Cancelled);
}

} // namespace
} // namespace facet
