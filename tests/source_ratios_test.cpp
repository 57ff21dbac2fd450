// What lines beside the multiples of a note's pitch tell: sounds made from formulas, nothing of the engine. Sidebands
// of a modulated sine: J. M. Chowning, J. Audio Eng. Soc. 21 (7), 1973; a product of sines is its sum and difference.
#include "core/match/evidence/source_ratios.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <gtest/gtest.h>
#include <numbers>
#include <random>

namespace facet {
namespace {

using Relation = SourceRatio::Relation;

constexpr double rate = 48000.0, seconds = 1.0, pitch = 130.81;

/// One channel of so many turns of the note's pitch → sample.
Recording sounding(const std::function<double(double)>& wave) {
    Recording recording;
    recording.rateHz = rate;
    recording.channels.resize(1);
    for (int i = 0; i < static_cast<int>(seconds * rate); ++i)
        recording.channels[0].push_back(static_cast<float>(0.3 * wave(pitch * i / rate)));
    return recording;
}

double sine(double turns) { return std::sin(2.0 * std::numbers::pi * turns); }

/// Fourier series of a saw below 5 kHz.
double saw(double turns) {
    double sum = 0.0;
    for (int n = 1; n <= 30; ++n) sum += sine(n * turns) / n;
    return sum;
}

std::vector<SourceRatio> ratiosOf(const std::function<double(double)>& wave) {
    return sourceRatiosOf(sounding(wave), 0.0, seconds, pitch);
}

const SourceRatio* kindOf(const std::vector<SourceRatio>& found, Relation relation) {
    const auto it =
        std::find_if(found.begin(), found.end(), [&](const SourceRatio& each) { return each.relation == relation; });
    return it == found.end() ? nullptr : &*it;
}

TEST(SourceRatios, ASecondSawStandsAtItsInterval) {
    for (int semitones : {-17, -5, 3, 5, 7, 16}) {
        const auto found =
            ratiosOf([&](double turns) { return saw(turns) + 0.5 * saw(turns * std::pow(2.0, semitones / 12.0)); });
        ASSERT_FALSE(found.empty()) << semitones;
        EXPECT_EQ(found.front().relation, Relation::interval) << semitones;
        EXPECT_EQ(found.front().semitones, semitones);
    }
}

TEST(SourceRatios, SumAndDifferenceTellTheRatioOfAMultiplication) {
    struct {
        int over, under;
    } const ratios[] = {{7, 5}, {10, 3}, {5, 2}};
    for (const auto& [over, under] : ratios) {
        const auto found =
            ratiosOf([over = over, under = under](double turns) { return sine(turns) * sine(turns * over / under); });
        const SourceRatio* multiplies = kindOf(found, Relation::ringModulation);
        ASSERT_TRUE(multiplies) << over;
        EXPECT_EQ(multiplies->over, over);
        EXPECT_EQ(multiplies->under, under);
        EXPECT_GT(multiplies->agreement, 0.8);
    }
}

TEST(SourceRatios, SidebandsTellTheRatioOfAPhaseModulation) {
    struct {
        double ratio;
        int over, under;
        double cents;
    } const ratios[] = {{1.4, 7, 5, 0.0}, {3.5, 7, 2, 0.0}, {2.76, 11, 4, 6.3}, {1.41421356, 7, 5, 17.5}};
    for (const auto& asked : ratios) {
        const auto found = ratiosOf([&](double turns) { return sine(turns + 0.3 * sine(turns * asked.ratio)); });
        const SourceRatio* modulates = kindOf(found, Relation::phaseModulation);
        ASSERT_TRUE(modulates) << asked.ratio;
        const double shown = std::pow(2.0, modulates->cents / 1200.0) * modulates->over / modulates->under;
        EXPECT_NEAR(1200.0 * std::log2(shown / asked.ratio), 0.0, 8.0) << asked.ratio;
        EXPECT_LE(modulates->under, 8);
    }
}

TEST(SourceRatios, NothingIsToldOfHarmonicSoundsAndOfShortOnes) {
    EXPECT_TRUE(ratiosOf(saw).empty());
    EXPECT_TRUE(ratiosOf([](double turns) { return sine(turns + 0.4 * sine(2.0 * turns)); }).empty());
    const auto fifth = [](double turns) { return saw(turns) + saw(1.5 * turns); };
    EXPECT_TRUE(sourceRatiosOf(sounding(fifth), 0.0, 0.05, pitch).empty());
    EXPECT_TRUE(sourceRatiosOf(sounding([](double) { return 0.0; }), 0.0, seconds, pitch).empty());
}

TEST(SourceRatios, NoiseHasNoRatioThatAgrees) {
    std::mt19937 random(5);
    std::normal_distribution<double> normal;
    const auto found = ratiosOf([&](double) { return normal(random); });
    for (const SourceRatio& each : found) EXPECT_LT(each.agreement, 0.75);
}

} // namespace
} // namespace facet
