// What the partials say of source and filter: against sums of sines whose levels follow from the formulas of sources
// and analog filters.
#include "core/analysis/profile.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/match/evidence/source_filter.h"
#include "core/match/starts/source_filter_starts.h"
#include "core/parameters/elements.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

constexpr double pi = std::numbers::pi;

/// A line of keys of equal length, a fifth of it silent.
Performance lineOf(const std::vector<int>& keys, const std::vector<double>& velocities, double length) {
    Performance line;
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const double start = 0.1 + length * static_cast<double>(i);
        line.notes.push_back({start, start + 0.8 * length, keys[i], 0.0, velocities[i % velocities.size()]});
    }
    line.frames = static_cast<int>((0.2 + length * static_cast<double>(keys.size())) * 48000);
    line.channelCount = 1;
    return line;
}

/// Sums of sines: amplitude(n, seconds since the note, Hz, note) for each partial.
Recording sung(const Performance& line, const std::function<double(int, double, double, const Note&)>& amplitude) {
    return testing::soundOf(line.seconds(), 48000, [&](double t) {
        double sum = 0.0;
        for (const Note& note : line.notes) {
            if (t < note.start || t > note.end + 0.02) continue;
            const double since = t - note.start, f0 = hzFromKey(note.key);
            const double edge = std::min({1.0, since / 0.003, std::max(0.0, (note.end + 0.02 - t) / 0.02)});
            for (int n = 1; n <= 30 && n * f0 < 16000.0; ++n)
                sum += 0.2 * edge * amplitude(n, since, n * f0, note) * std::sin(2.0 * pi * n * f0 * since + 0.7 * n);
        }
        return sum;
    });
}

/// Magnitude of an analog two-pole low-pass.
double lowPass(double hz, double cutoff, double q) {
    const std::complex<double> s(0.0, hz / cutoff);
    return std::abs(1.0 / (s * s + s / q + 1.0));
}

std::vector<SourceFilterFit> fitsOf(const Recording& sound, const Performance& line, std::size_t most = 6) {
    return sourceFilterFits(measureProfile(sound, line), sound, 18000.0, most);
}

TEST(SourceAndFilter, OfASawWhoseLowPassClosesAreReadWithTheirValues) {
    // 12 dB per octave from 2400 Hz at middle C and the hardest stroke to 300 Hz, by e in 150 ms, an octave by an
    // octave of key.
    const Performance line = lineOf({48, 60, 53, 64, 48, 57}, {120.0}, 0.55);
    const Recording sound = sung(line, [](int n, double t, double hz, const Note& note) {
        const double cutoff = 300.0 * std::exp2(3.0 * std::exp(-t / 0.15) + (note.key - 60) / 12.0);
        return lowPass(hz, cutoff, 1.0) / n;
    });
    const auto fits = fitsOf(sound, line);
    ASSERT_FALSE(fits.empty());
    const SourceFilterFit& best = fits.front();
    EXPECT_EQ(wordsOf(best), "saw, low-pass 12 dB");
    EXPECT_LT(best.errorDb, 2.0);
    EXPECT_NEAR(best.cutoff.rest, std::log2(300.0), 0.5);
    EXPECT_NEAR(best.cutoff.envelope, 3.0, 0.8);
    EXPECT_NEAR(best.cutoff.perOctave, 1.0, 0.3);
    EXPECT_NEAR(std::log2(best.cutoff.decay / 0.15), 0.0, 0.8);

    Patch patch;
    applySourceFilterFit(patch, measureProfile(sound, line), best);
    EXPECT_EQ(patch.value({"layer:a/filter:a", "slope"}), static_cast<double>(FilterSlope::twoPole));
    EXPECT_NEAR(patch.value({"layer:a/filter:a", "envelope"}), 36.0, 10.0);
    EXPECT_NEAR(patch.value({"layer:a/filter:a", "key_tracking"}), 100.0, 30.0);
}

TEST(SourceAndFilter, TellWavesApart) {
    struct Case {
        const char* words;
        std::function<double(int)> wave;
    };
    const Performance line = lineOf({50, 57, 53, 60}, {100.0}, 0.5);
    for (const Case& each : {Case{"saw, low-pass 12 dB", [](int n) { return 1.0 / n; }},
                             Case{"triangle, low-pass 12 dB", [](int n) { return n % 2 ? 1.0 / n / n : 0.0; }},
                             Case{"pulse 50 %, low-pass 12 dB", [](int n) { return n % 2 ? 1.0 / n : 0.0; }},
                             Case{"pulse 23 %, low-pass 12 dB", [](int n) { return std::sin(pi * n * 0.23) / n; }}}) {
        const Recording sound =
            sung(line, [&](int n, double, double hz, const Note&) { return each.wave(n) * lowPass(hz, 2500.0, 1.4); });
        const auto fits = fitsOf(sound, line);
        ASSERT_FALSE(fits.empty());
        EXPECT_EQ(wordsOf(fits.front()), each.words);
    }
}

TEST(SourceAndFilter, ReadAWidthThatGoesRoundAndACutoffThatOpensThroughThePhrase) {
    const Performance line = lineOf({48, 48}, {100.0}, 1.6);
    const Recording moved = sung(line, [](int n, double t, double hz, const Note&) {
        return std::sin(pi * n * (0.3 + 0.15 * std::sin(2.0 * pi * 1.3 * t))) / n * lowPass(hz, 4000.0, 0.7);
    });
    const auto widths = fitsOf(moved, line);
    ASSERT_FALSE(widths.empty());
    EXPECT_EQ(widths.front().source.moving, SourceStory::Moving::width);
    EXPECT_NEAR(widths.front().place.cycleHz, 1.3, 0.15);
    EXPECT_NEAR(widths.front().place.cycleDepth, 15.0, 5.0);

    const Performance phrase = lineOf({48, 51, 55, 48, 51, 55}, {100.0}, 0.5);
    const Recording opened = sung(phrase, [&](int n, double t, double hz, const Note& note) {
        return lowPass(hz, 400.0 * std::exp2(3.0 * (t + note.start - 0.1) / 2.9), 1.0) / n;
    });
    const auto ways = fitsOf(opened, phrase);
    ASSERT_FALSE(ways.empty());
    EXPECT_NEAR(ways.front().cutoff.along, 3.0, 0.8);
}

TEST(SourceAndFilter, ReadAModulatedSineWithWhatLiesBelowItAndWhatVelocityDoes) {
    // Side bands at odd multiples alone, by J. M. Chowning, "The synthesis of complex audio spectra by means of
    // frequency modulation", J. Audio Eng. Soc. 21(7), 1973: a modulator at twice the pitch whose index falls from 3 to
    // 0.5, half as far for soft notes; where two bands fall together their powers add here. A sine an octave below.
    const Performance line = lineOf({60, 63, 67, 58, 60, 65}, {127.0, 50.0}, 0.6);
    const Recording sound = testing::soundOf(line.seconds(), 48000, [&](double t) {
        double sum = 0.0;
        for (const Note& note : line.notes) {
            if (t < note.start || t > note.end + 0.02) continue;
            const double since = t - note.start, turn = 2.0 * pi * hzFromKey(note.key) * since;
            const double edge = std::min({1.0, since / 0.003, std::max(0.0, (note.end + 0.02 - t) / 0.02)});
            const double index = (0.5 + 2.5 * std::exp(-since / 0.25)) * (1.0 - 0.6 * (1.0 - note.velocity / 127.0));
            // The modulator is a quarter of its cycle ahead, as free oscillators are somehow.
            sum += 0.3 * edge * (std::sin(turn + index * std::sin(2.0 * turn + 0.5 * pi)) + 0.3 * std::sin(0.5 * turn));
        }
        return sum;
    });
    const auto fits = fitsOf(sound, line);
    ASSERT_FALSE(fits.empty());
    EXPECT_EQ(wordsOf(fits.front()), "sine, phase moved at 2 times its pitch + sine an octave below, no filter");
    EXPECT_GT(fits.front().place.envelope, 1.0);
    EXPECT_GT(fits.front().place.velocity, 0.4);

    Patch patch;
    applySourceFilterFit(patch, measureProfile(sound, line), fits.front());
    EXPECT_EQ(patch.value({"layer:a/source:b", "octave"}), -1.0) << "what is heard below";
    EXPECT_EQ(patch.value({"layer:a/source:c", "ratio_over"}), 2.0) << "what moves the phase";
    EXPECT_EQ(patch.value({"layer:a/source:c", "level"}), -60.0);
    EXPECT_TRUE(std::any_of(patch.modules().begin(), patch.modules().end(), [](const auto& m) {
        return m.kind == ModuleKind::link && m.contents().from == "layer:a/source:c" && m.contents().by == "velocity";
    }));
}

TEST(SourceAndFilter, ReadNotesThatTremble) {
    // 30 cents to either side: at partial 20 that is more than a third of the way to the next.
    const Performance line = lineOf({48, 52, 45}, {100.0}, 1.2);
    const Recording sound = testing::soundOf(line.seconds(), 48000, [&](double t) {
        double sum = 0.0;
        for (const Note& note : line.notes) {
            if (t < note.start || t > note.end) continue;
            const double since = t - note.start, f0 = hzFromKey(note.key), hz = 5.5;
            const double depth = f0 * (std::exp2(30.0 / 1200.0) - 1.0);
            const double turn = 2.0 * pi * f0 * since - depth / hz * std::cos(2.0 * pi * hz * since);
            const double edge = std::min({1.0, since / 0.003, (note.end - t) / 0.02});
            for (int n = 1; n <= 40; ++n) sum += 0.1 * edge / n * lowPass(n * f0, 2000.0, 0.7) * std::sin(n * turn);
        }
        return sum;
    });
    const auto fits = fitsOf(sound, line);
    ASSERT_FALSE(fits.empty());
    EXPECT_EQ(wordsOf(fits.front()), "saw, low-pass 12 dB");
    EXPECT_NEAR(fits.front().cutoff.rest + fits.front().cutoff.envelope, std::log2(2000.0), 0.4);
    EXPECT_LT(fits.front().errorDb, 1.5);
}

TEST(SourceAndFilter, TellTheSameToneInAllNotesByItsPartials) {
    const std::vector<double> drawbars{1.0, 0.6, 0.0, 0.8, 0.0, 0.3, 0.0, 0.7};
    const Performance line = lineOf({48, 60, 67, 53}, {100.0}, 0.5);
    const Recording sound = sung(line, [&](int n, double, double, const Note&) {
        return n <= 8 ? drawbars[static_cast<std::size_t>(n - 1)] : 0.0;
    });
    const auto fits = fitsOf(sound, line);
    ASSERT_FALSE(fits.empty());
    EXPECT_EQ(wordsOf(fits.front()), "partials, no filter");
    Patch patch;
    applySourceFilterFit(patch, measureProfile(sound, line), fits.front());
    const auto& partials = patch.find("layer:a/source:a")->contents().partialsDb;
    ASSERT_GE(partials.size(), 8u);
    EXPECT_NEAR(partials[3] - partials[0], dbFromGain(0.8), 2.0);
    EXPECT_LT(partials[2], -20.0);
}

TEST(SourceAndFilter, AreToldAnOctaveUpWhereTheNotesWereReadFromWhatLiesBelow) {
    // A pulse an octave above the notes (all even partials) whose width moves, over a sine at the notes: no story of
    // sources at the notes has both.
    const Performance line = lineOf({45, 57, 50, 61, 45, 54}, {120.0}, 0.5);
    const auto sound = [&](bool octaveUp) {
        return sung(line, [octaveUp](int n, double t, double hz, const Note&) {
            const double width = 0.1 + 0.38 * std::exp(-t / 0.12);
            const auto pulse = [width](int partial) { return 2.0 * std::sin(pi * partial * width) / partial; };
            const double source = !octaveUp ? pulse(n) : n % 2 == 0 ? pulse(n / 2) : n == 1 ? 0.8 : 0.0;
            return lowPass(hz, 3000.0, 1.0) * source;
        });
    };
    const auto up = fitsOf(sound(true), line);
    ASSERT_FALSE(up.empty());
    EXPECT_EQ(up.front().octave, 1) << wordsOf(up.front());
    EXPECT_EQ(up.front().source.moving, SourceStory::Moving::width);
    EXPECT_TRUE(up.front().source.second);
    Patch patch;
    applySourceFilterFit(patch, measureProfile(sound(true), line), up.front());
    EXPECT_EQ(patch.value({"layer:a/source:a", "octave"}), 1.0);
    EXPECT_EQ(patch.value({"layer:a/source:b", "octave"}), 0.0) << "the sine plays the notes as they are";
    for (const SourceFilterFit& each : fitsOf(sound(false), line)) EXPECT_EQ(each.octave, 0) << wordsOf(each);
}

TEST(SourceAndFilter, SayNothingOfNoise) {
    const Performance line = lineOf({60}, {100.0}, 1.0);
    std::uint32_t state = 1;
    const Recording noise = testing::soundOf(1.2, 48000, [&](double) {
        state = state * 1664525u + 1013904223u;
        return static_cast<double>(state >> 8) / (1 << 23) - 1.0;
    });
    for (const SourceFilterFit& each : fitsOf(noise, line)) EXPECT_GT(each.errorDb, 2.0) << wordsOf(each);
    EXPECT_TRUE(fitsOf(testing::soundOf(1.0, 48000, [](double) { return 0.0; }), line).empty());
}

TEST(SourceAndFilter, ReadTwoPeaksSideBySideAsFormants) {
    // 500 Hz and 1200 Hz, the same for all keys, each 1/(s² + s/q + 1).
    const Performance line = lineOf({45, 48, 52, 57, 60}, {100.0}, 0.5);
    const auto band = [](double hz, double center, double q) {
        const std::complex<double> s(0.0, hz / center);
        return 1.0 / (s * s + s / q + 1.0);
    };
    const Recording sound = sung(line, [&](int n, double, double hz, const Note&) {
        return 2.0 / n * std::abs(band(hz, 500.0, 6.0) + band(hz, 1200.0, 6.0));
    });
    const auto fits = fitsOf(sound, line);
    ASSERT_FALSE(fits.empty());
    EXPECT_EQ(wordsOf(fits.front()), "saw, formants");
    EXPECT_EQ(fits.front().second, 1.25);
    EXPECT_NEAR(std::exp2(fits.front().cutoff.rest), 500.0, 60.0);
    EXPECT_NEAR(fits.front().cutoff.perOctave, 0.0, 0.1);
    Patch patch;
    applySourceFilterFit(patch, measureProfile(sound, line), fits.front());
    const auto elements = elementsOf(patch);
    EXPECT_TRUE(std::any_of(elements.begin(), elements.end(),
                            [](const PatchElement& each) { return each.element == Element::formants; }));
}

} // namespace
} // namespace facet
