// Searches that keep to what a described instrument can do.
#include "core/engine/render.h"
#include "core/instruments/played_on.h"
#include "core/match/match.h"
#include "core/match/proposals/instrument_proposals.h"
#include "core/match/report.h"
#include "core/base/json.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a";

std::shared_ptr<const Instrument> shipped(const std::string& name) {
    return std::make_shared<const Instrument>(
        readInstrument(std::filesystem::path(FACET_SOURCE_DIR) / "instruments" / (name + ".json")));
}

MatchSettings on(std::shared_ptr<const Instrument> instrument, int evaluations) {
    MatchSettings settings;
    settings.instrument = std::move(instrument);
    settings.seconds = 0.0;
    settings.evaluations = evaluations;
    return settings;
}

/// Whether every value is one that the instrument can be set to.
void expectPlayable(const Instrument& instrument, const Patch& patch) {
    ASSERT_TRUE(isOf(instrument, patch));
    for (const Address& address : patch.addresses()) {
        const double value = patch.value(address);
        if (instrument.holds(address)) {
            EXPECT_EQ(value, instrument.patch.value(address)) << address.text();
        } else if (const InstrumentControl* control = instrument.controlOf(address)) {
            EXPECT_NEAR(control->nearest(value), value, 1e-6 * (1.0 + std::abs(value))) << address.text();
        }
    }
}

TEST(DescribedSearch, FindsSettingsOfTheInstrument) {
    const auto instrument = shipped("stacked");
    Patch right = instrument->patch;
    const auto set = [&](const std::string& name, double position) {
        for (const InstrumentControl& each : instrument->controls)
            if (each.name == name) right.setNearest(each.address, each.scale->valueAt(position));
    };
    set("Cutoff", 60.0);
    set("Resonance", 40.0);
    set("Level decay", 40.0);
    set("Level sustain", 30.0);
    const Performance performance = testing::oneNote(52, 0.05, 0.7, 1.2);
    const MatchResult found = match(render(right, performance), performance, on(instrument, 500));
    expectPlayable(*instrument, found.best.patch);
    for (const ScoredPatch& each : found.runnersUp) expectPlayable(*instrument, each.patch);
    EXPECT_GT(found.best.likeness, 90.0);
    EXPECT_NEAR(std::log2(found.best.patch.value({filter, "cutoff"}) / right.value({filter, "cutoff"})), 0.0, 0.3);
    EXPECT_NEAR(found.best.patch.value({"layer:a/envelope:level", "sustain"}), 30.0, 8.0);
    const Json report = parseJson(matchReport(found));
    EXPECT_EQ(report.at("instrument"), "Saltmarsh");
    EXPECT_NEAR(report.at("settings").at("Cutoff").get<double>(), 60.0, 5.0);
    EXPECT_EQ(report.at("settings").at("Wave"), "saw");
}

TEST(DescribedSearch, KeepsToTheInstrumentWhateverTheSound) {
    // Two operators and no filter for a chord of saws through a room: as near as it comes, and nothing else.
    const auto instrument = shipped("four-operators");
    Patch other;
    other.set({filter, "on"}, 1.0);
    other.add("reverb:a");
    other.set({"reverb:a", "on"}, 1.0);
    const Performance performance = testing::oneNote(48, 0.05, 0.5, 1.0);
    MatchSettings settings = on(instrument, 150);
    settings.start = other; // a patch of another making: its locks mean nothing on the instrument
    settings.limits.locks.insert({filter, "cutoff"});
    const MatchResult found = match(render(other, performance), performance, settings);
    expectPlayable(*instrument, found.best.patch);
    EXPECT_GE(found.best.likeness, found.before.likeness);
}

TEST(DescribedSearch, ObeysLocksAndRangesOfTheInstrumentsOwnPatch) {
    const auto instrument = shipped("plain");
    Patch right = instrument->patch;
    right.set({filter, "cutoff"}, 900.0);
    const Performance performance = testing::oneNote(45, 0.05, 0.5, 0.9);
    MatchSettings settings = on(instrument, 150);
    settings.start = instrument->patch;
    settings.start.set({filter, "cutoff"}, instrument->controlOf({filter, "cutoff"})->nearest(3000.0));
    settings.limits.locks.insert({filter, "cutoff"});
    settings.limits.ranges[{filter, "resonance"}] = {0.0, 3.0};
    const MatchResult found = match(render(right, performance), performance, settings);
    EXPECT_EQ(found.best.patch.value({filter, "cutoff"}), settings.start.value({filter, "cutoff"}));
    EXPECT_LE(found.best.patch.value({filter, "resonance"}), 3.0 + 1e-6);
    EXPECT_GE(found.best.patch.value({filter, "resonance"}), -1e-6);
}

TEST(OtherSettings, AreTheInstrumentsOwn) {
    const auto instrument = shipped("four-operators");
    const Patch own = playedOn(*instrument, instrument->patch);
    const std::vector<Patch> all = otherSettings(*instrument, own);
    for (const Patch& each : all) {
        EXPECT_TRUE(isOf(*instrument, each));
        EXPECT_FALSE(each.soundsLike(own));
        EXPECT_TRUE(withinReachOf(*instrument, each).soundsLike(each));
    }
    // The second operator is silent: it is tried in each of its ratios at once.
    const Address amount{"link:a", "amount"}, ratio{"layer:a/source:b", "ratio_over"};
    for (int over = 1; over <= 16; ++over)
        EXPECT_TRUE(std::any_of(all.begin(), all.end(), [&](const Patch& each) {
            return each.value(amount) > 0.0 && each.value(ratio) == over;
        })) << over;
}

} // namespace
} // namespace facet
