// Readings of recordings whose making is known: sounds from formulas, each read in the ways a producer would doubt.
#include "core/analysis/notes/plateaus.h"
#include "core/analysis/notes/polyphony.h"
#include "core/analysis/notes/reading.h"
#include "core/analysis/notes/repeats.h"
#include "core/analysis/notes/strokes.h"
#include "core/analysis/notes/struck_chords.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>
#include <stop_token>

namespace facet {
namespace {

constexpr double turn = 2.0 * std::numbers::pi;

std::vector<float> mono(double seconds, const std::function<double(double)>& value) {
    return testing::soundOf(seconds, 48000, value).channels[0];
}

double gate(double t, double from, double to) {
    return t < from || t > to ? 0.0 : std::min({1.0, (t - from) / 0.005, (to - t) / 0.02});
}

std::vector<int> keysOf(const Reading& reading) {
    std::vector<int> keys;
    for (const Note& note : reading.found.performance.notes) keys.push_back(note.key);
    return keys;
}

/// Whether one of the first three readings has these keys.
::testing::AssertionResult offers(const std::vector<Reading>& readings, const std::vector<int>& keys) {
    for (std::size_t i = 0; i < std::min<std::size_t>(3, readings.size()); ++i)
        if (keysOf(readings[i]) == keys) return ::testing::AssertionSuccess();
    auto failure = ::testing::AssertionFailure();
    for (const Reading& reading : readings) failure << reading.words << "; ";
    return failure;
}

struct Heard {
    explicit Heard(std::vector<float> x)
        : samples(std::move(x)), pitch(trackPitch(samples)), sound(samples, pitch, task) {}
    std::vector<float> samples;
    Task task;
    PitchTrack pitch;
    HeardSound sound;
};

TEST(Readings, AreRankedAndSumToOne) {
    const auto readings = readingsOf(mono(2.0, [](double t) {
        return 0.3 * (gate(t, 0.1, 0.7) * testing::sawAt(220.0, t) + gate(t, 0.9, 1.6) * testing::sawAt(246.94, t));
    }));
    ASSERT_FALSE(readings.empty());
    ASSERT_LE(readings.size(), mostReadings);
    EXPECT_EQ(keysOf(readings.front()), (std::vector<int>{57, 59}));
    EXPECT_EQ(readings.front().words, "2 notes");
    double sum = 0.0;
    for (std::size_t i = 0; i < readings.size(); ++i) {
        sum += readings[i].probability;
        EXPECT_FALSE(readings[i].words.empty());
        if (i > 1) {
            EXPECT_LE(readings[i].probability, readings[i - 1].probability) << "behind the first";
        }
    }
    EXPECT_NEAR(sum, 1.0, 1e-9);
}

TEST(Readings, TakeARisingNoiseForNoNotes) {
    Random random(3);
    double low = 0.0, band = 0.0;
    const auto readings = readingsOf(mono(2.6, [&](double t) {
        // A state-variable filter that opens from 300 Hz to 6 kHz (H. Chamberlin, 1985).
        const double f = 2.0 * std::sin(std::numbers::pi * 300.0 * std::pow(20.0, t / 2.5) / 48000.0);
        low += f * band;
        band += f * (random.between(-1.0, 1.0) - low - 0.7 * band);
        return 0.3 * gate(t, 0.1, 2.4) * band;
    }));
    EXPECT_EQ(readings.front().texture, Texture::noise);
    EXPECT_EQ(readings.front().found.performance.notes.size(), 1u);
    EXPECT_EQ(readings.front().words, "noise, no keys");
    EXPECT_FALSE(readings.front().found.problem.empty());
}

TEST(Readings, OfferBothForSofterRepeats) {
    // One note, and what an echo of 250 ms and −6 dB leaves of it.
    const auto readings = readingsOf(mono(2.0, [](double t) {
        double sum = 0.0;
        for (int k = 0; k < 4; ++k) {
            const double at = t - 0.1 - 0.25 * k;
            if (at >= 0.0) sum += std::pow(0.5, k) * gate(at, 0.0, 0.12) * testing::sawAt(174.61, at);
        }
        return 0.4 * sum;
    }));
    EXPECT_TRUE(offers(readings, {53}));
    EXPECT_TRUE(offers(readings, {53, 53, 53, 53}));
    const auto echo =
        std::find_if(readings.begin(), readings.end(), [](const Reading& r) { return r.found.repeatsLeftOut > 0; });
    ASSERT_NE(echo, readings.end());
    EXPECT_NEAR(echo->found.echoSeconds, 0.25, 0.01);
    EXPECT_NE(echo->words.find("repeats every 25"), std::string::npos) << echo->words;
}

TEST(Readings, KnowABassUnderAMelody) {
    const auto readings = readingsOf(mono(2.0, [](double t) {
        const auto saw = [&](double from, double to, int key) {
            return gate(t, from, to) * testing::sawAt(hzFromKey(key), t);
        };
        return 0.1 *
               (saw(0.1, 1.7, 38) + saw(0.1, 0.5, 64) + saw(0.5, 0.9, 67) + saw(0.9, 1.3, 71) + saw(1.3, 1.7, 69));
    }));
    EXPECT_EQ(keysOf(readings.front()), (std::vector<int>{38, 64, 67, 71, 69})) << readings.front().words;
}

/// Seven voices between −12 and 12 cents, each from a phase of its own.
double stackAt(int key, double t) {
    double sum = 0.0;
    for (int voice = 0; voice < 7; ++voice)
        sum += testing::sawAt(hzFromKey(key + 0.04 * (voice - 3)), t + 0.000731 * voice * voice);
    return sum;
}

/// Three chords of stacked voices on a beat of 0.45 s, struck 20 ms after each is let go.
std::vector<float> stackedChords() {
    const std::vector<std::vector<int>> chords{{48, 55, 63}, {46, 50, 58}, {51, 58, 62}};
    return mono(1.6, [&](double t) {
        double sum = 0.0;
        for (std::size_t i = 0; i < chords.size(); ++i) {
            const double from = 0.1 + 0.45 * static_cast<double>(i);
            const double open = gate(t, from, from + 0.43);
            for (int key : chords[i])
                if (open > 0.0) sum += open * stackAt(key, t);
        }
        return 0.02 * sum;
    });
}

TEST(Readings, KnowChordsOfVoicesThatBeat) {
    const auto readings = readingsOf(stackedChords());
    EXPECT_TRUE(offers(readings, {48, 55, 63, 46, 50, 58, 51, 58, 62}));
    EXPECT_EQ(readings.front().texture, Texture::chords) << readings.front().words;
}

TEST(Readings, OfferOneHeldNoteForUnevenBurstsOfOneKey) {
    // A rhythm of a gate over one stack that sounds on.
    const std::vector<double> opens{0.1, 0.35, 0.475, 0.85, 1.1};
    const auto readings = readingsOf(mono(1.5, [&](double t) {
        double open = 0.0;
        for (double from : opens) open = std::max(open, gate(t, from, from + 0.09));
        return open > 0.0 ? 0.06 * open * stackAt(50, t) : 0.0;
    }));
    const auto held = std::find_if(readings.begin(), readings.end(),
                                   [](const Reading& r) { return r.found.performance.notes.size() == 1; });
    ASSERT_NE(held, readings.end());
    EXPECT_NE(held->words.find("held behind a gate"), std::string::npos) << held->words;
    EXPECT_NE(held->found.gateEvidence.find("5 uneven bursts"), std::string::npos) << held->found.gateEvidence;
}

TEST(Strokes, AreWhereChordsAreStruckAndNotWhereTheyBeat) {
    const Heard heard(stackedChords());
    const std::vector<Stroke> strokes = strokesOf(heard.sound);
    ASSERT_EQ(strokes.size(), 3u);
    for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_NEAR(strokes[i].seconds, 0.1 + 0.45 * static_cast<double>(i), 0.02);
        EXPECT_GT(strokes[i].strength, 0.05);
    }
}

TEST(Strokes, AreWhereHeldSoundChangesItsKeys) {
    // No rise of the level: one chord gives way to the next within 30 ms.
    const Heard heard(mono(1.6, [](double t) {
        const double second = std::clamp((t - 0.8) / 0.03, 0.0, 1.0);
        double sum = 0.0;
        for (int n = 1; n <= 4; ++n) {
            for (int key : {62, 69, 77}) sum += (1.0 - second) / n * std::sin(turn * n * hzFromKey(key) * t);
            for (int key : {57, 65, 72}) sum += second / n * std::sin(turn * n * hzFromKey(key) * t);
        }
        return 0.1 * gate(t, 0.1, 1.5) * sum;
    }));
    const std::vector<Stroke> strokes = strokesOf(heard.sound);
    ASSERT_EQ(strokes.size(), 2u);
    EXPECT_NEAR(strokes[0].seconds, 0.1, 0.02);
    EXPECT_NEAR(strokes[1].seconds, 0.8, 0.04);
}

TEST(Strokes, OfSilenceAreNone) {
    const Heard heard(std::vector<float>(24000, 0.0f));
    EXPECT_TRUE(struckChordsIn(heard.sound, {}).performance.notes.empty());
}

TEST(Readings, CanBeStopped) {
    std::stop_source source;
    source.request_stop();
    Task stopped;
    stopped.stop = source.get_token();
    EXPECT_THROW(readingsOf(mono(1.0, [](double t) { return 0.3 * std::sin(turn * 440.0 * t); }), stopped), Cancelled);
}

TEST(Readings, OfAMainsHumAreAtMostOneNote) {
    // 50 Hz and its odd harmonics, far below full scale.
    const auto readings = readingsOf(mono(3.0, [](double t) {
        double sum = 0.0;
        for (int n : {1, 3, 5, 7}) sum += std::sin(turn * 50.0 * n * t) / n;
        return 0.002 * sum;
    }));
    ASSERT_FALSE(readings.empty());
    EXPECT_LE(readings.front().found.performance.notes.size(), 1u) << readings.front().words;
}

TEST(Readings, OfADrumLoopSayThatTheyAreNotToBeTrusted) {
    Random random(9);
    const auto readings = readingsOf(mono(3.0, [&](double t) {
        // A low hit on each quarter, a burst of noise on each eighth between, at 120 beats a minute.
        const double hit = std::fmod(t, 0.5), hat = std::fmod(t + 0.25, 0.5);
        return 0.5 * std::exp(-hit / 0.05) * std::sin(turn * (55.0 * hit + 3.0 * (1.0 - std::exp(-hit / 0.02)))) +
               0.2 * std::exp(-hat / 0.02) * random.between(-1.0, 1.0);
    }));
    ASSERT_FALSE(readings.empty());
    for (const Reading& reading : readings) {
        EXPECT_FALSE(reading.words.empty());
        for (const Note& note : reading.found.performance.notes) {
            EXPECT_GT(note.end, note.start);
            EXPECT_GE(note.start, 0.0);
            EXPECT_LE(note.end, 3.01);
        }
    }
}

TEST(Readings, OfBrokenSamplesAreFinite) {
    // What a damaged file may hold once it was read: full scale, jumps, a constant.
    for (int kind = 0; kind < 3; ++kind) {
        std::vector<float> x(48000);
        for (std::size_t i = 0; i < x.size(); ++i)
            x[i] = kind == 0 ? 1.0f : kind == 1 ? (i % 7 < 3 ? 1.0f : -1.0f) : (i > 24000 ? 0.8f : 0.0f);
        for (const Reading& reading : readingsOf(x)) {
            EXPECT_TRUE(std::isfinite(reading.probability));
            EXPECT_TRUE(std::isfinite(reading.found.performance.tuningCents));
            for (const Note& note : reading.found.performance.notes) EXPECT_TRUE(std::isfinite(note.end)) << kind;
        }
    }
}

TEST(Readings, OfSilenceAreOneWithoutNotes) {
    const auto readings = readingsOf(std::vector<float>(48000, 0.0f));
    ASSERT_EQ(readings.size(), 1u);
    EXPECT_TRUE(readings.front().found.performance.notes.empty());
    EXPECT_FALSE(readings.front().found.problem.empty());
}

TEST(Polyphony, FindsTheKeysOfOneSound) {
    const Heard heard(mono(1.2, [](double t) {
        double sum = 0.0;
        for (int key : {45, 52, 59, 60, 67}) sum += testing::sawAt(hzFromKey(key), t);
        return 0.08 * gate(t, 0.05, 1.1) * sum;
    }));
    const KeyLevels found = keysTogether(heard.sound, {0.4, 0.6}, 0.0);
    for (const auto& levels : found.levels) {
        std::vector<int> keys;
        for (std::size_t k = 0; k < levels.size(); ++k)
            if (levels[k] > 0.0) keys.push_back(found.lowestKey + static_cast<int>(k));
        EXPECT_EQ(keys, (std::vector<int>{45, 52, 59, 60, 67}));
    }
    EXPECT_GT(found.explained, 0.85);
}

TEST(Plateaus, AreWhereThePitchStandsStill) {
    // A fifth up in 20 ms, and a bend of a tone in 200 ms.
    double phase = 0.0;
    const Heard heard(mono(2.0, [&](double t) {
        const double bend = 2.0 * std::clamp((t - 1.2) / 0.2, 0.0, 1.0);
        phase += hzFromKey(t < 0.7 ? 57.0 : 64.0 + bend) / 48000.0;
        return 0.4 * gate(t, 0.05, 1.9) * std::sin(turn * phase);
    }));
    const auto plateaus = plateausBetween(heard.sound, 0.05, 1.9);
    ASSERT_EQ(plateaus.size(), 3u);
    EXPECT_NEAR(plateaus[0].key, 57.0, 0.05);
    EXPECT_NEAR(plateaus[1].key, 64.0, 0.05);
    EXPECT_NEAR(plateaus[2].key, 66.0, 0.05);
    const auto steps = stepsOf(plateaus);
    ASSERT_EQ(steps.size(), 1u) << "the slow one is a bend";
    EXPECT_NEAR(steps[0], 0.7, 0.02);
    EXPECT_EQ(stepsOf(plateaus, true).size(), 2u);
}

TEST(Plateaus, TellVibratoFromATrill) {
    const auto tone = [](const std::function<double(double)>& keyAt) {
        double phase = 0.0;
        return Heard(mono(2.0, [&phase, &keyAt](double t) {
            phase += hzFromKey(keyAt(t)) / 48000.0;
            return 0.4 * std::sin(turn * phase);
        }));
    };
    const Heard vibrato = tone([](double t) { return 60.0 + std::sin(turn * 5.5 * t); });
    EXPECT_TRUE(swings(vibrato.sound, 0.1, 1.9));
    const Heard trill = tone([](double t) { return std::fmod(t, 0.25) < 0.125 ? 60.0 : 62.0; });
    EXPECT_FALSE(swings(trill.sound, 0.1, 1.9));
}

TEST(Repeats, AreSofterByTheSame) {
    std::vector<Note> notes;
    for (double at : {0.0, 1.0}) // two notes, three repeats each, by 4 dB
        for (int k = 0; k < 4; ++k) notes.push_back({at + 0.2 * k, at + 0.2 * k + 0.1, 60, 0.0, 110.0 - 8.0 * k});
    const Repeats echo = repeatsAmong(notes);
    EXPECT_NEAR(echo.seconds, 0.2, 1e-9);
    EXPECT_EQ(echo.count, 6);
    EXPECT_EQ(echo.played.size(), 2u);
    EXPECT_GT(echo.logOdds(), 2.0);
    // A phrase that softens by itself now and then has other notes that do not.
    const double played[] = {100, 92, 108, 104, 90, 96, 110, 101};
    notes.clear();
    for (int k = 0; k < 8; ++k) notes.push_back({0.2 * k, 0.2 * k + 0.1, 60, 0.0, played[k]});
    EXPECT_LT(repeatsAmong(notes).logOdds(), 0.0);
}

} // namespace
} // namespace facet
