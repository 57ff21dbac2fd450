// Scales of an instrument's controls, measured from recordings.
#include "core/base/error.h"
#include "core/measuring/measured_scale.h"
#include "core/measuring/outermost_voice.h"
#include "core/measuring/simulated_take.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <numbers>

namespace facet {
namespace {

constexpr int note = 48;

Instrument plain() { return readInstrument(std::filesystem::path(FACET_SOURCE_DIR) / "instruments" / "plain.json"); }

/// By how much of the way the measured scale misses the truth at positions that were not measured, at worst.
double worstMiss(const std::string& name) {
    const Instrument instrument = plain();
    const auto control = std::find_if(instrument.controls.begin(), instrument.controls.end(),
                                      [&](const InstrumentControl& each) { return each.name == name; });
    const MeasuringSetup setup = measuringSetup(instrument, *control);
    const std::vector<double> positions{0.0, 2.0, 4.0, 6.0, 8.0, 10.0};
    const auto notes = notesApart(simulatedTake(setup, *control, positions, note), positions.size(), "take");
    std::vector<MeasuredPosition> measured = measurePositions(setup, *control, positions, notes, note, 2);
    const ControlScale scale = scaleThrough(measured, *control, instrument.patch.shownDescriptor(control->address));
    double worst = 0.0;
    for (const double position : {3.0, 5.0, 7.0, 9.0})
        worst = std::max(worst, std::abs(scale.positionOf(simulatedValue(*control, position)) - position) / 10.0);
    return worst;
}

TEST(MeasuredScale, OfACutoffHoldsBetweenThePositions) { EXPECT_LT(worstMiss("Cutoff"), 0.05); }
TEST(MeasuredScale, OfADecayHoldsBetweenThePositions) { EXPECT_LT(worstMiss("Level decay"), 0.05); }

TEST(MeasuredScale, OfALevelHoldsBetweenThePositions) { EXPECT_LT(worstMiss("Level 2"), 0.05); }
TEST(MeasuredScale, OfAPulseWidthIsNoneBeyondTheSquare) { EXPECT_LT(worstMiss("Width 1"), 0.05); }

TEST(OutermostVoice, IsFoundNearAndFar) {
    // Sums of sines: voices of eight saw partials and more at known distances, phases anyhow.
    const double f0 = 130.81;
    for (const double cents : {0.0, 3.0, 12.0, 45.0}) {
        Recording sound;
        sound.channels.assign(1, std::vector<float>(2 * 48000, 0.0f));
        for (int voice = -3; voice <= 3; ++voice)
            for (int k = 1; k <= 60; ++k) {
                const double hz = k * f0 * std::exp2(cents * voice / 3.0 / 1200.0),
                             phase = 1.7 * voice + 0.9 * k * voice;
                for (std::size_t i = 0; i < sound.channels[0].size(); ++i)
                    sound.channels[0][i] += static_cast<float>(
                        0.05 / k * std::sin(2.0 * std::numbers::pi * hz * static_cast<double>(i) / 48000.0 + phase));
            }
        EXPECT_NEAR(outermostVoiceCents(sound, 0.1, 1.9, f0), cents, 0.3 + 0.03 * cents);
    }
    Recording brief;
    brief.channels.assign(1, std::vector<float>(4800, 0.1f));
    EXPECT_TRUE(std::isnan(outermostVoiceCents(brief, 0.0, 0.1, f0)));
}

TEST(MeasuringSetup, TellsWhatIsHeardThroughTheControlOnly) {
    const Instrument fieldstone = plain();
    const auto told = [&](const Instrument& instrument, const std::string& control, const std::string& other) {
        const auto& all = instrument.controls;
        const auto found = std::find_if(all.begin(), all.end(), [&](const auto& each) { return each.name == control; });
        const auto settings = measuringSetup(instrument, *found).settings;
        const auto set =
            std::find_if(settings.begin(), settings.end(), [&](const auto& each) { return each.control == other; });
        return set == settings.end() ? std::string() : set->text;
    };
    EXPECT_FALSE(told(fieldstone, "Vibrato 1", "LFO rate").empty());
    const Instrument quarry =
        readInstrument(std::filesystem::path(FACET_SOURCE_DIR) / "instruments" / "four-operators.json");
    // The third operator moves the second, which must move the first to be heard.
    EXPECT_NE(told(quarry, "Ratio 3", "Level 2"), "0 of 99");
    EXPECT_NE(told(quarry, "Ratio 3", "Level 3"), "0 of 99");
    EXPECT_EQ(told(quarry, "Ratio 3", "Level 4"), "0 of 99");
}

TEST(MeasuredScale, RefusesSilenceMissingNotesAndChoices) {
    Recording silence;
    silence.channels.assign(1, std::vector<float>(48000, 0.0f));
    EXPECT_THROW(notesApart(silence, 2, "silence"), Error);
    const Instrument instrument = plain();
    EXPECT_THROW(measuringSetup(instrument, instrument.controls.front()), Error);
    const auto& width = instrument.controls[1];
    const MeasuringSetup setup = measuringSetup(instrument, width);
    for (const auto& wrong : std::vector<std::vector<double>>{{}, {5.0}, {0.0, 11.0}, {NAN, 2.0}, {3.0, 3.0}})
        EXPECT_THROW(requirePositions(width, wrong), Error);
    EXPECT_NO_THROW(requirePositions(width, {0.0, 10.0}));
    EXPECT_THROW(notesApart(simulatedTake(setup, width, {0.0, 10.0}, note), 3, "two"), Error);
}

TEST(MeasuredScale, LeavesOutWhatGoesBack) {
    const Instrument instrument = plain();
    const InstrumentControl& width = instrument.controls[1]; // from 50 % down to 5 %
    std::vector<MeasuredPosition> positions;
    for (const auto& [at, value] : std::vector<std::pair<double, double>>{{0, 50}, {4, 45}, {6, 49}, {8, 20}, {10, 5}})
        positions.push_back({at, value, value, value, true, {}});
    const ControlScale scale = scaleThrough(positions, width, instrument.patch.shownDescriptor(width.address));
    EXPECT_TRUE(scale.problem().empty());
    EXPECT_EQ(std::count_if(positions.begin(), positions.end(), [](const auto& each) { return each.isIdentifiable; }), 4);
}

} // namespace
} // namespace facet
