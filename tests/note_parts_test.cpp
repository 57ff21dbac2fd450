// The steps from a recording to its notes, each by itself: sounds made from formulas, with known answers.
#include "core/analysis/notes/chord_notes.h"
#include "core/analysis/notes/one_sound.h"
#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/key_releases.h"
#include "core/analysis/notes/note_starts.h"
#include "core/analysis/notes/pitched_spans.h"
#include "core/analysis/notes/shifted_spectra.h"
#include "core/analysis/notes/tuning.h"
#include "core/base/units.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::soundOf;

constexpr double turn = 2.0 * std::numbers::pi;

/// A sound with its pitch tracked, and everything that looks at it.
struct Heard {
    Heard(double seconds, const std::function<double(double)>& value)
        : mono(soundOf(seconds, 48000, value).channels[0]), pitch(trackPitch(mono)), sound(mono, pitch, task) {}
    std::vector<float> mono;
    PitchTrack pitch;
    Task task;
    HeardSound sound;
};

/// 1 between two instants, with flanks of so many seconds on the inside.
double gate(double t, double from, double to, double flank = 0.004) {
    if (t < from || t > to) return 0.0;
    return std::min({1.0, (t - from) / flank, (to - t) / flank});
}

bool startsNear(const std::vector<NoteStart>& starts, double seconds, double within) {
    return std::any_of(starts.begin(), starts.end(),
                       [&](const NoteStart& start) { return std::abs(start.seconds - seconds) < within; });
}

TEST(HeardSound, SoundsWhereItStandsOutOfItsOwnNoise) {
    unsigned state = 1;
    const auto noise = [&state] { // uniform, by a linear congruential generator (Numerical Recipes, from memory)
        state = state * 1664525u + 1013904223u;
        return static_cast<double>(state) / 4294967296.0 - 0.5;
    };
    const Heard heard(1.5,
                      [&](double t) { return 0.3 * gate(t, 0.5, 1.0) * std::sin(turn * 220.0 * t) + 1e-3 * noise(); });
    EXPECT_FALSE(heard.sound.sounds(0.2)) << "noise alone";
    EXPECT_TRUE(heard.sound.sounds(0.7));
    EXPECT_FALSE(heard.sound.sounds(1.3));
    EXPECT_GT(heard.sound.pitchedShare(), 0.9);
    EXPECT_NEAR(heard.sound.seconds(), 1.5, 1e-9);
    EXPECT_LT(heard.sound.lowestBetween(heard.sound.coarse, 0.2, 0.7), heard.sound.highestBetween(0.2, 0.7) - 20.0f);
}

TEST(Rises, AreWhereNotesAreStruck) {
    const Heard heard(1.6, [](double t) {
        return 0.3 * (gate(t, 0.1, 0.4) + gate(t, 0.6, 1.0) + gate(t, 1.2, 1.5)) * std::sin(turn * 330.0 * t);
    });
    const auto rises = risesOf(heard.sound);
    ASSERT_EQ(rises.size(), 3u);
    for (double at : {0.1, 0.6, 1.2}) EXPECT_TRUE(startsNear(rises, at, 0.012)) << at;
    EXPECT_TRUE(std::is_sorted(rises.begin(), rises.end(),
                               [](const NoteStart& a, const NoteStart& b) { return a.seconds < b.seconds; }));
    for (const NoteStart& rise : rises) EXPECT_TRUE(rise.rise);
}

TEST(Rises, AreAlsoSlowOnes) {
    // A second of fading in: no instant rises by much, and yet something begins out of silence.
    const Heard heard(2.5, [](double t) { return 0.3 * gate(t, 0.5, 2.4, 0.9) * std::sin(turn * 220.0 * t); });
    const auto rises = risesOf(heard.sound);
    ASSERT_FALSE(rises.empty());
    EXPECT_GT(rises.front().seconds, 0.45);
    EXPECT_LT(rises.front().seconds, 0.8);
}

TEST(PitchChanges, BeginNotesWithoutARise) {
    // A fourth higher from 0.6 s on, in one phase: legato.
    const Heard heard(1.2, [](double t) {
        const double cycles = 220.0 * std::min(t, 0.6) + 293.66 * std::max(0.0, t - 0.6);
        return 0.3 * gate(t, 0.05, 1.15) * (std::sin(turn * cycles) + 0.4 * std::sin(2.0 * turn * cycles));
    });
    const auto rises = risesOf(heard.sound);
    EXPECT_FALSE(startsNear(rises, 0.6, 0.05));
    const auto all = withPitchChanges(heard.sound, rises);
    ASSERT_TRUE(startsNear(all, 0.6, 0.02));
    const auto changed = std::find_if(all.begin(), all.end(),
                                      [](const NoteStart& start) { return std::abs(start.seconds - 0.6) < 0.02; });
    EXPECT_FALSE(changed->rise);
    const auto spans = spansBetween(heard.sound, all);
    ASSERT_EQ(spans.size(), 2u);
    EXPECT_NEAR(spans[0].pitch, 57.0, 0.1);
    EXPECT_NEAR(spans[1].pitch, 62.0, 0.1);
    EXPECT_LE(spans[0].end, spans[1].start + 1e-9);
}

TEST(PitchedSpans, HoldNoNoise) {
    unsigned state = 7;
    const Heard heard(1.6, [&](double t) {
        state = state * 1664525u + 1013904223u;
        const double noise = static_cast<double>(state) / 4294967296.0 - 0.5;
        return 0.5 * gate(t, 0.1, 0.6) * noise + 0.3 * gate(t, 0.9, 1.5) * std::sin(turn * 440.0 * t);
    });
    const auto spans = spansBetween(heard.sound, withPitchChanges(heard.sound, risesOf(heard.sound)));
    ASSERT_EQ(spans.size(), 1u);
    EXPECT_NEAR(spans[0].pitch, 69.0, 0.1);
    EXPECT_NEAR(spans[0].start, 0.9, 0.015);
}

TEST(Releases, AreWhereTheLevelLetsGo) {
    const Heard heard(1.5, [](double t) {
        const double level =
            t < 0.1 ? 0.0 : std::min(1.0, (t - 0.1) / 0.004) * (t > 0.8 ? std::exp(-(t - 0.8) / 0.05) : 1.0);
        return 0.3 * level * std::sin(turn * 330.0 * t);
    });
    EXPECT_NEAR(gateOf(heard.sound, 0.1, 1.5), 0.8, 0.03);
    const std::vector<NoteSpan> spans = spansBetween(heard.sound, risesOf(heard.sound));
    ASSERT_EQ(spans.size(), 1u);
    const auto ends = endsOf(heard.sound, spans);
    ASSERT_EQ(ends.size(), 1u);
    EXPECT_NEAR(ends[0].seconds, 0.8, 0.03);
}

TEST(Chords, AreNotOneNoteOfManyPartials) {
    const auto saws = [](std::initializer_list<double> hz, double t) {
        double sum = 0.0;
        for (double each : hz) sum += testing::sawAt(each, t);
        return 0.1 * gate(t, 0.05, 1.0) * sum;
    };
    const Heard one(1.1, [&](double t) { return saws({130.81}, t); });
    EXPECT_LT(chordShareOf(one.sound), 0.2);
    const Heard three(1.1, [&](double t) { return saws({220.0, 277.18, 329.63}, t); });
    EXPECT_GT(chordShareOf(three.sound), 0.8);
    const ChordNotes proposed = chordsIn(three.sound, risesOf(three.sound));
    std::vector<int> keys;
    for (const Note& note : proposed.performance.notes) keys.push_back(note.key);
    EXPECT_EQ(keys, (std::vector<int>{57, 61, 64}));
    EXPECT_LT(oneSoundIn(three.sound, proposed).logOdds(), -1.0) << "they are keys, not one note's partials";
    EXPECT_GT(oneSoundIn(three.sound, proposed).tempered, 1.0) << "they lie whole semitones apart";
}

TEST(Chords, AreNotTheModesOfABar) {
    // A free bar's first three modes: 1, 2.756, 5.404 (P. M. Morse, "Vibration and Sound", 1948, p. 162).
    const Heard bars(2.2, [](double t) {
        double sum = 0.0;
        for (const auto& [start, hz] : {std::pair{0.1, 220.0}, {0.8, 261.63}, {1.5, 196.0}})
            for (double ratio : {1.0, 2.756, 5.404})
                sum += t < start || t > start + 0.6
                           ? 0.0
                           : 0.2 / ratio * std::exp(-(t - start) / 0.3) * std::sin(turn * ratio * hz * (t - start));
        return sum;
    });
    // Taken for the nearest keys.
    ChordNotes proposed;
    for (const auto& [start, hz] : {std::pair{0.1, 220.0}, {0.8, 261.63}, {1.5, 196.0}}) {
        proposed.starts.push_back(start);
        for (double ratio : {1.0, 2.756, 5.404})
            proposed.performance.notes.push_back(
                {start, start + 0.6, static_cast<int>(std::lround(keyFromHz(ratio * hz))), 0.0, 100.0});
    }
    const OneSound modes = oneSoundIn(bars.sound, proposed);
    EXPECT_LT(modes.tempered, -1.0);
    EXPECT_GT(modes.logOdds(), oneSoundIn(bars.sound, ChordNotes{}).logOdds());
}

TEST(Hits, WithoutAPitchAreNotesAtTheirStrongestFrequency) {
    const Heard heard(1.2, [](double t) {
        const double first = t < 0.1 ? 0.0 : std::exp(-(t - 0.1) / 0.03),
                     second = t < 0.7 ? 0.0 : std::exp(-(t - 0.7) / 0.03);
        return 0.4 * first * std::sin(turn * 110.0 * t) + 0.4 * second * std::sin(turn * 880.0 * t);
    });
    Performance proposed;
    proposeHits(heard.sound, risesOf(heard.sound), proposed);
    ASSERT_EQ(proposed.notes.size(), 2u);
    EXPECT_NEAR(proposed.notes[0].key, 45, 1);
    EXPECT_NEAR(proposed.notes[1].key, 81, 1);
}

/// A free bar's modes (P. M. Morse, "Vibration and Sound", 1948), struck at an instant.
double barAt(double t, double start, double hz) {
    constexpr double ratios[] = {1.0, 2.756, 5.404, 8.933}, lives[] = {0.5, 0.3, 0.15, 0.08};
    if (t < start) return 0.0;
    double sum = 0.0;
    for (int k = 0; k < 4; ++k)
        sum += std::exp(-(t - start) / lives[k]) * std::sin(turn * ratios[k] * hz * (t - start)) / (1.0 + k);
    return sum * std::min(1.0, (t - start) / 0.003);
}

TEST(ShiftedSpectra, TellTheIntervalsOfASoundWithoutAHarmonicSeries) {
    const std::vector<int> played{60, 67, 63, 72, 60, 58};
    const Heard heard(3.2, [&](double t) {
        double sum = 0.0;
        for (std::size_t i = 0; i < played.size(); ++i)
            sum += barAt(t, 0.1 + 0.5 * static_cast<double>(i), hzFromKey(played[i]));
        return 0.2 * sum;
    });
    std::vector<NoteSpan> spans;
    for (std::size_t i = 0; i < played.size(); ++i) {
        const double start = 0.1 + 0.5 * static_cast<double>(i);
        spans.push_back({start, start + 0.45, notMeasurable, -10.0, true, 0.0});
    }
    const ShiftedKeys found = keysByShift(heard.sound, spans);
    ASSERT_EQ(found.keys.size(), played.size());
    for (std::size_t i = 1; i < played.size(); ++i)
        EXPECT_NEAR(found.keys[i] - found.keys[0], played[i] - played[0], 1e-6) << i;
    EXPECT_GT(found.alike, 0.8) << "one sound, moved";
}

TEST(ShiftedSpectra, HearWhatBeginsUnderWhatRingsOn) {
    // Each note rings through the next two, as under a long echo.
    const std::vector<int> played{48, 55, 60, 51, 48, 58};
    const Heard heard(3.0, [&](double t) {
        double sum = 0.0;
        for (std::size_t i = 0; i < played.size(); ++i)
            for (int k = 0; k < 3; ++k) {
                const double from = 0.1 + 0.4 * static_cast<double>(i + static_cast<std::size_t>(k));
                sum += std::pow(0.6, k) * gate(t, from, from + 0.38) * testing::sawAt(hzFromKey(played[i]), t - from);
            }
        return 0.1 * sum;
    });
    std::vector<NoteSpan> spans;
    for (std::size_t i = 0; i < played.size(); ++i) {
        const double start = 0.1 + 0.4 * static_cast<double>(i);
        spans.push_back({start, start + 0.38, notMeasurable, -10.0, true, 0.0});
    }
    const ShiftedKeys found = keysByShift(heard.sound, spans);
    for (std::size_t i = 0; i < played.size(); ++i) EXPECT_NEAR(found.keys[i], played[i], 0.5) << i;
}

TEST(ShiftedSpectra, KeepAClearPitchAndGiveOneWhereThereIsNone) {
    const std::vector<int> played{57, 60, 64, 57};
    const Heard heard(2.2, [&](double t) {
        double sum = 0.0;
        for (std::size_t i = 0; i < played.size(); ++i) {
            const double from = 0.1 + 0.5 * static_cast<double>(i);
            sum += gate(t, from, from + 0.4) * testing::sawAt(hzFromKey(played[i] + 0.2), t - from);
        }
        return 0.2 * sum;
    });
    std::vector<NoteSpan> spans;
    for (std::size_t i = 0; i < played.size(); ++i) {
        const double start = 0.1 + 0.5 * static_cast<double>(i);
        spans.push_back({start, start + 0.4, played[i] + 0.2, -10.0, true, 0.9});
    }
    spans[1].pitch = notMeasurable; // lost
    spans[1].clear = 0.0;
    spans[2].pitch -= 12.0; // read an octave too low, and not clearly
    spans[2].clear = 0.2;
    placeByShift(heard.sound, spans);
    ASSERT_EQ(spans.size(), played.size());
    for (std::size_t i = 0; i < played.size(); ++i) EXPECT_NEAR(spans[i].pitch, played[i] + 0.2, 0.15) << i;
}

TEST(NoteSpans, OfOneHeldNoteAreJoined) {
    const auto span = [](double start, double end, double pitch, bool rises = true) {
        return NoteSpan{start, end, pitch, -10.0, rises, 1.0};
    };
    // Broken by vibrato: one key, no pause, no dip.
    std::vector<NoteSpan> broken{span(0.1, 0.5, 64.0), span(0.52, 0.8, 64.4), span(0.81, 1.2, 63.9)};
    joinContinued(broken, {60.0, 3.0, 4.0});
    ASSERT_EQ(broken.size(), 1u);
    EXPECT_EQ(broken.front().end, 1.2);
    // Struck again, or after a pause, or another key.
    std::vector<NoteSpan> played{span(0.1, 0.5, 64.0), span(0.52, 0.8, 64.0), span(1.0, 1.2, 64.0),
                                 span(1.21, 1.5, 65.0)};
    joinContinued(played, {60.0, 15.0, 3.0, 3.0});
    EXPECT_EQ(played.size(), 4u);
    // A short stretch on the way from one key to the next is the way there.
    std::vector<NoteSpan> slid{span(0.1, 0.5, 60.0), span(0.51, 0.58, 62.0, false), span(0.58, 1.0, 64.0, false)};
    joinContinued(slid, {60.0, 1.0, 1.0});
    ASSERT_EQ(slid.size(), 2u);
    EXPECT_EQ(slid[1].start, 0.51);
    EXPECT_EQ(slid[1].pitch, 64.0);
}

TEST(Rises, OfWhatBeatsAreNotStruck) {
    // Two voices two semitones' worth of beating apart swell four times a second; notes are struck at 0.1 and 1.1 s.
    const Heard heard(2.2, [](double t) {
        double sum = 0.0;
        for (double from : {0.1, 1.1})
            sum += gate(t, from, from + 0.9) * (std::sin(turn * 300.0 * t) + 0.9 * std::sin(turn * 304.0 * t) +
                                                0.5 * std::sin(turn * 3000.0 * t) + 0.3 * std::sin(turn * 5000.0 * t));
        return 0.1 * sum;
    });
    const auto struck = struckRises(heard.sound, risesOf(heard.sound));
    ASSERT_EQ(struck.size(), 2u);
    EXPECT_NEAR(struck[0].seconds, 0.1, 0.02);
    EXPECT_NEAR(struck[1].seconds, 1.1, 0.02);
}

TEST(Tuning, IsWhatTheLongestNotesAgreeOn) {
    const auto span = [](double seconds) { return NoteSpan{0.0, seconds, 60.0, 0.0}; };
    EXPECT_NEAR(tuningOf({span(1.0), span(1.0), span(1.0)}, {60.12, 62.12, 64.12}).cents(), 12.0, 1e-6);
    // A short note may lie anywhere.
    EXPECT_NEAR(tuningOf({span(1.0), span(0.1)}, {60.12, 61.70}).cents(), 12.0, 1e-6);
    // About a quarter tone off, deviations of +48 and −48 cents are four cents apart, not 96.
    const double edge = tuningOf({span(1.0), span(0.9), span(0.9)}, {60.49, 61.48, 62.52}).cents();
    EXPECT_GT(std::abs(edge), 45.0);
}

TEST(Tuning, IsLeftToThePatchWhereItIsInDoubt) {
    const auto span = [](double seconds) { return NoteSpan{0.0, seconds, 60.0, 0.0}; };
    // Short notes of voices that beat lie beside their key by chance.
    const Tuning brief = tuningOf({span(0.08), span(0.08)}, {59.85, 61.85});
    EXPECT_NEAR(brief.heard, -15.0, 1e-6);
    EXPECT_EQ(brief.cents(), 0.0);
    // So do notes that disagree.
    EXPECT_EQ(tuningOf({span(1.0), span(1.0), span(1.0)}, {59.78, 62.15, 64.40}).cents(), 0.0);
    EXPECT_NEAR(tuningOf({span(1.0), span(1.0), span(1.0)}, {59.78, 61.79, 63.77}).cents(), -22.0, 1.1);
}

TEST(Tuning, IsHeardAgainstKnownNotes) {
    for (double cents : {-37.0, 0.0, 28.0}) {
        const double hz = hzFromKey(57.0, cents);
        const auto mono =
            soundOf(1.2, 48000, [&](double t) {
                return 0.2 * gate(t, 0.1, 1.1) * (std::sin(turn * hz * t) + 0.5 * std::sin(2.0 * turn * hz * t));
            }).channels[0];
        EXPECT_NEAR(tuningAgainst(mono, testing::oneNote(57, 0.1, 1.1, 1.2)), cents, 1.0) << cents;
    }
    EXPECT_EQ(tuningAgainst(std::vector<float>(48000, 0.0f), testing::oneNote(57, 0.1, 0.9, 1.0)), 0.0) << "silence";
}

} // namespace
} // namespace facet
