// How the outline of a spectrum moves: sounds made from formulas, nothing of the engine. A pulse is the difference of
// two saws, as their series say; a first-order all-pass and a comb with feedback: J. O. Smith, "Introduction to Digital
// Filters", 2007, and "Physical Audio Signal Processing", 2010 (from memory).
#include "core/match/evidence/spectral_envelope_motion.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace facet {
namespace {

using Family = SpectralEnvelopeMotion::Family;
using Course = SpectralEnvelopeMotion::Course;

constexpr double rate = 48000.0, pi = std::numbers::pi;

/// Notes one after another; a wave of the seconds since the note's start → sample.
std::vector<SpectralEnvelopeMotion> motionsOf(const Performance& played, double seconds,
                                              const std::function<double(double sinceNote, double hz)>& wave,
                                              const std::function<void(std::vector<float>&)>& effect = {}) {
    Recording recording;
    recording.rateHz = static_cast<int>(rate);
    recording.channels.emplace_back(static_cast<std::size_t>(seconds * rate), 0.0f);
    std::vector<float>& sound = recording.channels[0];
    for (const Note& note : played.notes) {
        const double hz = 440.0 * std::exp2((note.key - 69) / 12.0);
        for (auto i = static_cast<std::size_t>(note.start * rate); i < static_cast<std::size_t>(note.end * rate); ++i) {
            const double since = static_cast<double>(i) / rate - note.start, left = note.end - note.start - since;
            sound[i] = static_cast<float>(0.3 * std::min({1.0, since / 0.01, left / 0.01}) * wave(since, hz));
        }
    }
    if (effect) effect(sound);
    return spectralEnvelopeMotions(measureProfile(recording, played), recording);
}

Performance notesAt(std::initializer_list<Note> notes) {
    Performance played;
    played.notes = notes;
    played.normalize();
    return played;
}

/// Fourier series of a saw below 9 kHz.
double saw(double turns, double hz) {
    double sum = 0.0;
    for (int n = 1; n * hz < 9000.0; ++n) sum += std::sin(2.0 * pi * n * turns) / n;
    return sum;
}
double pulse(double seconds, double hz, double width) { return saw(seconds * hz, hz) - saw(seconds * hz + width, hz); }

const Note longNote{.start = 0.1, .end = 2.6, .key = 48, .velocity = 100.0};

TEST(SpectralEnvelopeMotion, ThePulseWidthSwingsWithEachNote) {
    const auto found = motionsOf(
        notesAt({{.start = 0.1, .end = 1.0, .key = 48, .velocity = 100.0},
                 {.start = 1.2, .end = 2.2, .key = 55, .velocity = 100.0}}),
        2.5, [](double t, double hz) { return pulse(t, hz, 0.35 + 0.2 * std::sin(2.0 * pi * (1.3 * t + 0.25))); });
    ASSERT_FALSE(found.empty());
    EXPECT_EQ(found.front().family, Family::pulse);
    EXPECT_EQ(found.front().course, Course::cycle);
    EXPECT_TRUE(found.front().withNotes);
    EXPECT_NEAR(found.front().rateHz, 1.3, 0.04);
    EXPECT_NEAR(found.front().phase, 0.25, 0.03);
    EXPECT_NEAR(found.front().from, 15.0, 2.0);
    EXPECT_NEAR(found.front().to, 55.0, 2.0);
    EXPECT_LT(found.front().errorDb, 0.5 * found.front().plainErrorDb);
}

TEST(SpectralEnvelopeMotion, ACycleThatKnowsNoNotesGoesOnThroughThem) {
    const auto played = notesAt({{.start = 0.1, .end = 0.9, .key = 48, .velocity = 100.0},
                                 {.start = 1.0, .end = 1.7, .key = 55, .velocity = 100.0},
                                 {.start = 1.8, .end = 2.6, .key = 51, .velocity = 100.0}});
    std::size_t note = 0;
    double before = -1.0;
    const auto found = motionsOf(played, 2.8, [&](double since, double hz) {
        if (since < before) ++note;
        before = since;
        const double t = played.notes[note].start + since;
        return pulse(since, hz, 0.3 + 0.15 * std::sin(2.0 * pi * 0.7 * t));
    });
    ASSERT_FALSE(found.empty());
    EXPECT_EQ(found.front().course, Course::cycle);
    EXPECT_FALSE(found.front().withNotes);
    EXPECT_NEAR(found.front().rateHz, 0.7, 0.03);
    EXPECT_NEAR(found.front().from, 15.0, 2.0);
    EXPECT_NEAR(found.front().to, 45.0, 2.0);
}

TEST(SpectralEnvelopeMotion, ThePulseNarrowsInALineOrSlowerAndSlower) {
    for (bool bent : {false, true}) {
        const auto found = motionsOf(notesAt({longNote}), 2.8, [=](double t, double hz) {
            const double gone = bent ? 1.0 - std::exp(-t / 0.5) : std::min(1.0, t / 1.4);
            return pulse(t, hz, 0.5 - 0.38 * gone);
        });
        ASSERT_FALSE(found.empty());
        const SpectralEnvelopeMotion& motion = found.front();
        EXPECT_EQ(motion.family, Family::pulse);
        EXPECT_EQ(motion.course, Course::ramp);
        EXPECT_EQ(motion.bent, bent);
        EXPECT_NEAR(motion.seconds, bent ? 0.5 : 1.4, bent ? 0.06 : 0.1);
        EXPECT_NEAR(motion.from, 50.0, 2.5);
        EXPECT_NEAR(motion.to, 12.0, 2.0);
    }
}

TEST(SpectralEnvelopeMotion, ASyncedSawRises) {
    // Its second phase runs so many times faster and begins again with the first: eight times oversampled.
    const auto found = motionsOf(notesAt({longNote}), 2.8, [](double t, double hz) {
        double sum = 0.0;
        for (int k = 0; k < 8; ++k) {
            const double at = t + k / (8.0 * rate), ratio = 1.5 + std::min(1.0, at / 1.6);
            const double first = at * hz - std::floor(at * hz), second = first * ratio;
            sum += 2.0 * (second - std::floor(second)) - 1.0;
        }
        return sum / 8.0;
    });
    ASSERT_FALSE(found.empty());
    EXPECT_EQ(found.front().family, Family::synced);
    EXPECT_EQ(found.front().course, Course::ramp);
    EXPECT_NEAR(found.front().from, 12.0 * std::log2(1.5), 0.7);
    EXPECT_NEAR(found.front().to, 12.0 * std::log2(2.5), 0.7);
}

TEST(SpectralEnvelopeMotion, APhaserTellsItsStagesAndItsCenter) {
    const auto found = motionsOf(
        notesAt({longNote}), 2.8, [](double t, double hz) { return saw(t * hz, hz); },
        [](std::vector<float>& sound) {
            std::vector<double> in(6), out(6);
            for (std::size_t i = 0; i < sound.size(); ++i) {
                const double turns = 0.6 * static_cast<double>(i) / rate;
                const double hz = 700.0 * std::exp2(std::sin(2.0 * pi * turns));
                const double tangent = std::tan(pi * hz / rate);
                const double a = (tangent - 1.0) / (tangent + 1.0);
                double x = sound[i];
                for (std::size_t k = 0; k < in.size(); ++k) {
                    const double y = a * x + in[k] - a * out[k];
                    in[k] = x;
                    out[k] = x = y;
                }
                sound[i] = static_cast<float>(0.5 * (sound[i] + x));
            }
        });
    ASSERT_FALSE(found.empty());
    const SpectralEnvelopeMotion& motion = found.front();
    EXPECT_EQ(motion.family, Family::phaser);
    EXPECT_EQ(motion.stages, 6);
    EXPECT_EQ(motion.feedback, 0.0);
    EXPECT_EQ(motion.course, Course::cycle);
    EXPECT_NEAR(motion.rateHz, 0.6, 0.03);
    EXPECT_NEAR(motion.from, 12.0 * std::log2(350.0), 1.5);
    EXPECT_NEAR(motion.to, 12.0 * std::log2(1400.0), 1.5);
}

TEST(SpectralEnvelopeMotion, AFlangerTellsItsDelayAndItsFeedback) {
    const auto found = motionsOf(
        notesAt({longNote}), 2.8, [](double t, double hz) { return saw(t * hz, hz); },
        [](std::vector<float>& sound) {
            std::vector<double> line(sound.size());
            for (std::size_t i = 0; i < sound.size(); ++i) {
                const double turns = 0.5 * static_cast<double>(i) / rate;
                const double delay = rate * (0.003 + 0.0012 * std::sin(2.0 * pi * turns));
                const double at = static_cast<double>(i) - delay;
                double heard = 0.0;
                if (at >= 0.0) {
                    const auto k = static_cast<std::size_t>(at);
                    const double part = at - std::floor(at);
                    heard = (1.0 - part) * line[k] + part * line[k + 1];
                }
                line[i] = sound[i] + 0.5 * heard;
                sound[i] = static_cast<float>(0.5 * (sound[i] + heard));
            }
        });
    ASSERT_FALSE(found.empty());
    const SpectralEnvelopeMotion& motion = found.front();
    EXPECT_EQ(motion.family, Family::flanger);
    EXPECT_EQ(motion.feedback, 0.5);
    EXPECT_EQ(motion.course, Course::cycle);
    EXPECT_NEAR(motion.rateHz, 0.5, 0.03);
    EXPECT_NEAR(motion.from, 1.8, 0.1);
    EXPECT_NEAR(motion.to, 4.2, 0.1);
}

TEST(SpectralEnvelopeMotion, AStandingPulseIsToldItsWidth) {
    const auto found = motionsOf(notesAt({longNote}), 2.8, [](double t, double hz) { return pulse(t, hz, 0.21); });
    ASSERT_FALSE(found.empty());
    EXPECT_EQ(found.front().family, Family::pulse);
    EXPECT_EQ(found.front().course, Course::still);
    EXPECT_NEAR(std::min(found.front().from, 100.0 - found.front().from), 21.0, 1.0);
}

TEST(SpectralEnvelopeMotion, SmoothOutlinesNoiseAndChordsTellNothing) {
    EXPECT_TRUE(motionsOf(notesAt({longNote}), 2.8, [](double t, double hz) { return saw(t * hz, hz); }).empty());
    // Closing at 12 dB per octave, with a vibrato.
    EXPECT_TRUE(motionsOf(notesAt({longNote}), 2.8, [](double t, double hz) {
                    const double turns = t * hz + 0.1 * std::sin(2.0 * pi * 5.0 * t);
                    double sum = 0.0;
                    for (int n = 1; n * hz < 9000.0; ++n)
                        sum += std::sin(2.0 * pi * n * turns) / n / (1.0 + std::pow(n * hz * (0.3 + t) / 900.0, 2.0));
                    return sum;
                }).empty());
    std::mt19937 random(7);
    std::uniform_real_distribution<double> noise(-1.0, 1.0);
    EXPECT_TRUE(motionsOf(notesAt({longNote}), 2.8, [&](double, double) { return noise(random); }).empty());
    Note third = longNote;
    third.key += 4;
    EXPECT_TRUE(
        motionsOf(notesAt({longNote, third}), 2.8, [](double t, double hz) { return saw(t * hz, hz); }).empty());
    EXPECT_TRUE(motionsOf(notesAt({{.start = 0.1, .end = 0.15, .key = 48, .velocity = 100.0}}), 0.5,
                          [](double t, double hz) { return pulse(t, hz, 0.2); })
                    .empty())
        << "too short to tell";
}

} // namespace
} // namespace facet
