// Which stretches of a sound are notes of their own, and where they end: sounds made from formulas, with known notes.
#include "core/analysis/notes/note_ends.h"
#include "core/analysis/notes/note_spans.h"
#include "core/analysis/notes/reading.h"
#include "core/base/units.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::soundOf;

constexpr double turn = 2.0 * std::numbers::pi;

std::vector<float> mono(double seconds, const std::function<double(double)>& value) {
    return soundOf(seconds, 48000, value).channels[0];
}

struct Played {
    double start;
    double end;
    int key;
};

const std::vector<Played> phrase{{0.0, 0.8, 57}, {1.0, 1.4, 60}, {1.5, 2.5, 64}};

TEST(NoteEnds, OfOneSoundAgree) {
    // Two tones that beat: what each note's level says of its end by itself lies up to 80 ms apart.
    constexpr double release = 0.06;
    for (double beat : {3.1, 5.7}) {
        const auto x = mono(2.8, [beat](double t) {
            double sum = 0.0;
            for (const Played& note : phrase) {
                const double since = t - note.start, after = t - note.end;
                if (since < 0.0 || after > release) continue;
                const double level = std::min(1.0, since / 0.004) * (after > 0.0 ? 1.0 - after / release : 1.0);
                const double hz = hzFromKey(note.key);
                sum += level * (0.3 * std::sin(turn * hz * since) + 0.08 * std::sin(turn * (hz + beat) * since + 1.0));
            }
            return sum;
        });
        const FoundNotes found = findNotes(x);
        ASSERT_EQ(found.performance.notes.size(), phrase.size());
        double earliest = 1.0, latest = -1.0;
        for (std::size_t i = 0; i < phrase.size(); ++i) {
            const double late = found.performance.notes[i].end - phrase[i].end;
            earliest = std::min(earliest, late);
            latest = std::max(latest, late);
            EXPECT_NEAR(late, 0.0, 0.8 * release) << i;
        }
        EXPECT_LT(latest - earliest, 0.008) << "what is left of their release is the same for all";
    }
}

TEST(NoteEnds, OfOtherReleasesAreLeftAsTheyAre) {
    // 12 and 100 dB in 0.1 s, as by release velocity.
    Track level{0.001, {}};
    for (int i = 0; i < 3200; ++i) {
        const bool second = i >= 1600;
        const float after = std::max(0.0f, 0.001f * static_cast<float>(second ? i - 1600 : i) - 0.7f);
        level.values.push_back(-20.0f - (second ? 120.0f : 1000.0f) * after);
    }
    std::vector<NoteEnd> ends{{0.7, 1.6}, {2.3, 3.2}, {notMeasurable, 3.2}};
    agreeOnEnds(ends, level);
    EXPECT_EQ(ends[0].seconds, 0.7);
    EXPECT_EQ(ends[1].seconds, 2.3);
    EXPECT_FALSE(isMeasured(ends[2].seconds));
}

TEST(NoteEnds, AKneeIsFoundWhereALateEndHasMissedIt) {
    constexpr double start = 0.1, gate = 1.0, next = 2.0;
    for (double release : {0.1, 0.2, 0.5})
        for (bool exponential : {false, true}) {
            Track level{0.001, {}};
            for (int i = 0; i < 2000; ++i) {
                const double after = std::max(0.0, 0.001 * i - gate) / release;
                const double gain = exponential ? std::exp(-4.0 * after) : std::max(0.0, 1.0 - after);
                const double swing = 0.4 * std::sin(9.0 * 0.001 * i); // dB, of what moves besides
                level.values.push_back(0.001 * i < start ? -120.0f
                                                         : static_cast<float>(-12.0 + swing + dbFromGain(gain + 1e-6)));
            }
            const double late = std::min(0.5 * release, 0.25);
            EXPECT_NEAR(kneeOf(gate + late, start, next, level), gate, 0.1 * release) << release << exponential;
            EXPECT_NEAR(kneeOf(gate, start, next, level), gate, 0.1 * release) << release << exponential;
        }
    // One that dies away by itself, and one that ends at once, are left as they are.
    Track dying{0.001, {}};
    for (int i = 0; i < 2000; ++i) {
        const float fallen = -0.03f * static_cast<float>(i);
        dying.values.push_back(i < 1000 ? fallen : fallen - 80.0f);
    }
    EXPECT_EQ(kneeOf(0.7, start, next, dying), 0.7);
    EXPECT_EQ(kneeOf(0.99, start, next, dying), 0.99);
    EXPECT_FALSE(isMeasured(kneeOf(notMeasurable, start, next, dying)));
}

TEST(NoteEnds, OfChordsAreWhereTheirReleaseBegins) {
    constexpr double gate = 1.6, release = 0.5;
    const auto x = mono(2.8, [](double t) {
        double sum = 0.0;
        for (int key : {53, 60, 63})
            for (int n = 1; n <= 8; ++n) sum += 0.08 / n * std::sin(turn * n * hzFromKey(key) * t + key);
        return sum * std::min(1.0, t / 0.1) * std::clamp(1.0 - (t - gate) / release, 0.0, 1.0);
    });
    const FoundNotes found = findNotes(x);
    ASSERT_EQ(found.performance.notes.size(), 3u);
    for (const Note& note : found.performance.notes) EXPECT_NEAR(note.end, gate, 0.05);
}

TEST(NoteFinding, ASwellOutOfSilenceBeginsTheNote) {
    // 60 ms in which the level rises by 40 dB, evenly in dB, as a reed is blown; then a pause that is silent.
    constexpr double swell = 0.06;
    const auto x = mono(2.8, [](double t) {
        double sum = 0.0;
        for (const Played& note : phrase) {
            const double since = t - note.start, after = std::max(0.0, t - note.end);
            if (since < 0.0) continue;
            const double level = std::pow(10.0, -2.0 * std::max(0.0, 1.0 - since / swell)) * std::exp(-after / 0.01);
            for (int n = 1; n < 12; ++n) sum += 0.2 * level * std::sin(turn * n * hzFromKey(note.key) * since) / n;
        }
        return sum;
    });
    const FoundNotes found = findNotes(x);
    ASSERT_EQ(found.performance.notes.size(), phrase.size());
    for (std::size_t i = 0; i < phrase.size(); ++i)
        EXPECT_NEAR(found.performance.notes[i].start, phrase[i].start, 0.015) << i;
}

TEST(NoteFinding, APadThatFadesInIsOneNoteFromItsBeginning) {
    const auto pad = mono(3.2, [](double t) {
        const double level = std::min(1.0, t / 0.9) * std::min(1.0, std::exp(-(t - 2.4) / 0.15));
        double sum = 0.0;
        for (int n = 1; n < 12; n += 2) sum += 0.2 * level * std::sin(turn * n * hzFromKey(60) * t) / n;
        return sum;
    });
    const FoundNotes found = findNotes(pad);
    ASSERT_EQ(found.performance.notes.size(), 1u);
    EXPECT_EQ(found.performance.notes[0].key, 60);
    EXPECT_NEAR(found.performance.notes[0].start, 0.0, 0.05);
    EXPECT_NEAR(found.performance.notes[0].end, 2.4, 0.15);
}

TEST(NoteFinding, WhatTwoNotesHaveInCommonIsNone) {
    const auto found = [](const std::vector<Played>& notes, double release) {
        return findNotes(mono(2.8,
                              [&](double t) {
                                  double sum = 0.0;
                                  for (const Played& note : notes) {
                                      if (t < note.start) continue;
                                      const double level = std::exp(-std::max(0.0, t - note.end) / release);
                                      for (int n = 1; n < 16; ++n)
                                          sum += 0.15 * level *
                                                 std::sin(turn * n * hzFromKey(note.key) * (t - note.start)) / n;
                                  }
                                  return sum;
                              }))
            .performance.notes;
    };
    // Each rings on into the next: together they repeat with a pitch far below both, at which nothing sounds.
    const std::vector<Played> ringing{{0.0, 0.6, 60}, {0.6, 1.2, 63}, {1.2, 2.2, 67}};
    const std::vector<Played> bass{{0.0, 0.5, 60}, {0.58, 1.1, 48}, {1.18, 2.2, 67}}; // this one is played
    for (const auto& [notes, release] : {std::pair{ringing, 0.08}, {bass, 0.01}}) {
        const auto heard = found(notes, release);
        ASSERT_EQ(heard.size(), notes.size()) << release;
        for (std::size_t i = 0; i < notes.size(); ++i) {
            EXPECT_EQ(heard[i].key, notes[i].key) << i;
            EXPECT_NEAR(heard[i].start, notes[i].start, 0.06) << i;
        }
    }
}

TEST(NoteFinding, WhatHardlySoundsBetweenNotesIsNone) {
    const auto sound = mono(2.2, [](double t) {
        const double faint = 0.4 * std::pow(10.0, -52.0 / 20.0);
        const double swell = std::pow(10.0, std::min(0.0, -40.0 + 40.0 * (t - 1.0) / 0.06) / 20.0);
        const double level = t < 0.6 ? 0.4 : t < 1.0 ? faint : t < 1.9 ? 0.4 * swell : faint;
        const int key = t < 0.6 ? 57 : t < 1.0 ? 63 : 60;
        double sum = 0.0;
        for (int n = 1; n < 8; ++n) sum += level * std::sin(turn * n * hzFromKey(key) * t) / n;
        return sum;
    });
    const auto notes = findNotes(sound).performance.notes;
    ASSERT_EQ(notes.size(), 2u);
    EXPECT_EQ(notes[0].key, 57);
    EXPECT_EQ(notes[1].key, 60);
    EXPECT_NEAR(notes[1].start, 1.03, 0.04);
}

TEST(NotesOnly, AnAttackThatDipsIsOneNote) {
    const std::vector<NoteSpan> dips{{0.0, 0.07, 60.0, -10.0}, {0.1, 0.5, 60.0, -9.0},  {0.6, 0.66, 64.1, -11.0},
                                     {0.69, 0.9, 64.0, -9.0},  {1.0, 1.05, 67.0, -8.0}, {1.08, 2.2, 67.0, -9.0}};
    auto spans = dips;
    keepNotesOnly(spans);
    ASSERT_EQ(spans.size(), 3u);
    EXPECT_EQ(spans[1].start, 0.6);
    EXPECT_EQ(spans[1].end, 0.9);
    EXPECT_EQ(spans[2].topDb, -8.0);
    // Once among other notes it is a flam that was played.
    auto flam = dips;
    flam.erase(flam.begin());
    flam.erase(flam.begin() + 3);
    keepNotesOnly(flam);
    EXPECT_EQ(flam.size(), 4u);
    // Struck at other distances each time it is played too.
    auto uneven = dips;
    uneven[3].start = 0.63;
    keepNotesOnly(uneven);
    EXPECT_EQ(uneven.size(), 6u);
    // And so are even notes.
    std::vector<NoteSpan> even;
    for (int i = 0; i < 8; ++i) even.push_back({0.1 * i, 0.1 * i + 0.09, 60.0, -10.0});
    keepNotesOnly(even);
    EXPECT_EQ(even.size(), 8u);
}

TEST(NotesOnly, WhatAReleaseLeavesIsNone) {
    std::vector<NoteSpan> spans{{0.0, 0.5, 72.0, -10.0}, {0.51, 0.56, 52.0, -22.0}, // noise of a key let go
                                {0.6, 0.9, 76.0, -10.0}, {0.95, 1.2, 76.2, -35.0},  // a tail that swells
                                {1.3, 1.6, 76.0, -12.0}, {1.61, 1.67, 64.0, -14.0}, // a note: hardly softer
                                {1.9, 1.95, 64.0, -20.0}};                          // a note: by itself
    keepNotesOnly(spans);
    ASSERT_EQ(spans.size(), 5u);
    EXPECT_EQ(spans[1].start, 0.6);
    EXPECT_EQ(spans[2].start, 1.3);
    // What rings on at another pitch does not rise.
    std::vector<NoteSpan> ringing{{0.0, 0.5, 72.0, -10.0, true}, {0.53, 0.67, 58.0, -34.0, false}};
    keepNotesOnly(ringing);
    EXPECT_EQ(ringing.size(), 1u);
    std::vector<NoteSpan> struck{{0.0, 0.5, 72.0, -10.0, true}, {0.53, 0.67, 58.0, -34.0, true}};
    keepNotesOnly(struck);
    EXPECT_EQ(struck.size(), 2u);
}

TEST(NoteFinding, APartialBetweenTheKeysIsNoSecondNote) {
    // Frequency modulation at 5:2 (J. Chowning, "The synthesis of complex audio spectra by means of frequency
    // modulation", 1973): partials at |1 ± 2.5 k|, the pitch of the carrier.
    const auto bell = [](double ratio) {
        return mono(2.9, [ratio](double t) {
            double sum = 0.0;
            for (const Played& note : phrase) {
                const double since = t - note.start, after = std::max(0.0, t - note.end);
                if (since < 0.0) continue;
                const double phase = turn * hzFromKey(note.key) * since, fade = std::exp(-since / 0.5);
                sum += 0.4 * std::min(1.0, since / 0.002) * fade * std::exp(-after / 0.04) *
                       std::sin(phase + 3.0 * fade * std::sin(ratio * phase));
            }
            return sum;
        });
    };
    const FoundNotes found = findNotes(bell(2.5));
    EXPECT_EQ(found.problem, "");
    ASSERT_EQ(found.performance.notes.size(), phrase.size());
    for (std::size_t i = 0; i < phrase.size(); ++i) {
        EXPECT_EQ(found.performance.notes[i].key % 12, phrase[i].key % 12);
        EXPECT_NEAR(found.performance.notes[i].start, phrase[i].start, 0.005);
    }
}

TEST(NoteFinding, WhatRepeatsExactlyIsOneNote) {
    // Odd partials without the third, as two opposed sources leave them: summed amplitudes alone find a chord.
    const auto x = mono(2.8, [](double t) {
        double sum = 0.0;
        for (const Played& note : phrase) {
            if (t < note.start || t > note.end) continue;
            const double edge = std::min({1.0, (t - note.start) / 0.004, (note.end - t) / 0.02});
            for (int n : {1, 2, 5, 7, 9, 14})
                sum += 0.1 * edge * std::sin(turn * n * hzFromKey(note.key + 12) * (t - note.start));
        }
        return sum;
    });
    const FoundNotes found = findNotes(x);
    EXPECT_EQ(found.problem, "");
    EXPECT_EQ(found.performance.notes.size(), phrase.size());
}

} // namespace
} // namespace facet
