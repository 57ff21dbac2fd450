// Instruments that somebody owns: scales, descriptions, and patches as they play them.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/base/random.h"
#include "core/recipe/sheet.h"
#include "tests/support/files.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a";

std::filesystem::path shipped(const std::string& name) {
    return std::filesystem::path(FACET_SOURCE_DIR) / "instruments" / (name + ".json");
}

ControlScale scaleOf(ControlScale::Law law, double low, double high, double exponent = 1.0, double step = 0.0) {
    ControlScale scale;
    scale.law = law;
    scale.low = low;
    scale.high = high;
    scale.exponent = exponent;
    scale.step = step;
    return scale;
}

TEST(ControlScale, FollowsItsLaw) {
    using Law = ControlScale::Law;
    EXPECT_NEAR(scaleOf(Law::linear, -50.0, 50.0).valueAt(7.5), 25.0, 1e-9);
    EXPECT_NEAR(scaleOf(Law::logarithmic, 20.0, 20000.0).valueAt(5.0), 632.456, 1e-2);
    EXPECT_NEAR(scaleOf(Law::power, 0.0, 5000.0, 3.0).valueAt(5.0), 625.0, 1e-9);
    EXPECT_NEAR(scaleOf(Law::linear, 100.0, 0.0).positionOf(25.0), 7.5, 1e-9) << "the other way round";
    EXPECT_NEAR(scaleOf(Law::linear, 0.0, 12.0, 1.0, 1.0).nearest(7.3), 7.2, 1e-9) << "step 1 of 10";
    ControlScale drawn;
    drawn.law = Law::points;
    drawn.points = {{0.0, 30.0}, {4.0, 480.0}, {10.0, 16000.0}};
    EXPECT_TRUE(drawn.problem().empty());
    EXPECT_NEAR(drawn.valueAt(2.0), 120.0, 1e-9) << "along the logarithm";
    EXPECT_NEAR(drawn.positionOf(120.0), 2.0, 1e-9);
    EXPECT_TRUE(drawn.reaches(16000.0));
    EXPECT_FALSE(drawn.reaches(20.0));
}

TEST(ControlScale, PositionsAndValuesAreEachOthersInverse) {
    Random random(5);
    for (int i = 0; i < 200; ++i) {
        ControlScale scale;
        scale.law = static_cast<ControlScale::Law>(i % 4);
        scale.first = 10.0 * random.unit();
        scale.last = scale.first + 1.0 + 100.0 * random.unit();
        scale.low = 1.0 + 100.0 * random.unit();
        scale.high = scale.low + (i % 8 < 4 ? 1.0 : -0.5) * scale.low * (0.1 + random.unit());
        scale.exponent = 0.3 + 4.0 * random.unit();
        scale.points = {{0.0, scale.low}, {3.0, 0.5 * (scale.low + scale.high)}, {7.0, scale.high}};
        ASSERT_TRUE(scale.problem().empty()) << scale.problem();
        const double begin = i % 4 == 3 ? 0.0 : scale.first, end = i % 4 == 3 ? 7.0 : scale.last;
        for (int k = 0; k <= 10; ++k) {
            const double at = begin + (end - begin) * k / 10.0;
            EXPECT_NEAR(scale.positionOf(scale.valueAt(at)), at, 1e-6 * (end - begin));
        }
        EXPECT_EQ(scale.valueAt(end + 50.0), scale.valueAt(end)) << "beyond the end";
    }
}

TEST(ControlScale, SaysWhatIsWrongWithIt) {
    ControlScale back;
    back.law = ControlScale::Law::points;
    back.points = {{0.0, 1.0}, {5.0, 3.0}, {5.0, 4.0}};
    EXPECT_NE(back.problem().find("position"), std::string::npos);
    back.points = {{0.0, 1.0}, {5.0, 3.0}, {6.0, 2.0}};
    EXPECT_NE(back.problem().find("value"), std::string::npos);
    EXPECT_FALSE(scaleOf(ControlScale::Law::logarithmic, 0.0, 10.0).problem().empty());
    EXPECT_FALSE(scaleOf(ControlScale::Law::linear, 3.0, 3.0).problem().empty());
    EXPECT_FALSE(scaleOf(ControlScale::Law::power, 0.0, 3.0, 0.0).problem().empty());
    EXPECT_FALSE(scaleOf(ControlScale::Law::linear, 0.0, std::nan("")).problem().empty());
}

TEST(Instrument, ShippedOnesAreReadAndWrittenAgain) {
    for (const char* name : {"plain", "four-operators", "stacked"}) {
        const Instrument instrument = readInstrument(shipped(name));
        EXPECT_GE(instrument.controls.size(), 15u) << name;
        EXPECT_EQ(instrumentFromJson(instrumentToJson(instrument)), instrument) << name;
        EXPECT_TRUE(lackingOn(instrument, playedOn(instrument, Patch())).empty()) << name;
    }
}

TEST(Instrument, PlaysWhatItCanAsItIs) {
    Random random(11);
    for (const char* name : {"plain", "four-operators", "stacked"}) {
        const Instrument instrument = readInstrument(shipped(name));
        for (int i = 0; i < 20; ++i) {
            Patch own = instrument.patch;
            for (const InstrumentControl& control : instrument.controls) {
                const double value = control.scale
                                         ? control.scale->nearest(control.scale->valueAt(100.0 * random.unit()))
                                         : control
                                               .choices[static_cast<std::size_t>(
                                                   random.unit() * 0.999 * static_cast<double>(control.choices.size()))]
                                               .second;
                own.setNearest(control.address, value);
            }
            const Patch played = playedOn(instrument, own);
            for (const InstrumentControl& control : instrument.controls) {
                const auto& d = own.descriptor(control.address);
                EXPECT_NEAR(d.toUnit(played.value(control.address)), d.toUnit(own.value(control.address)), 1e-4)
                    << name << " " << control.name;
            }
        }
    }
}

TEST(Instrument, SaysWhereItsControlsStandAndWhatItLacks) {
    const Instrument plain = readInstrument(shipped("plain"));
    Patch patch;
    patch.set({source, "wave"}, static_cast<double>(Wave::pulse));
    patch.set({source, "width"}, 50.0);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "slope"}, static_cast<double>(FilterSlope::fourPole));
    patch.set({filter, "cutoff"}, 600.0);
    patch.set({"layer:a/envelope:level", "sustain"}, 40.0);
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "rate"}, 5.5);
    testing::link(patch, "layer:a/lfo:a", source + "/cents", 30.0);
    patch.add("reverb:a");
    patch.set({"reverb:a", "on"}, 1.0);
    const Patch played = playedOn(plain, patch);
    std::map<std::string, ControlSetting> set;
    for (const ControlSetting& each : settingsOn(plain, played)) set[each.control] = each;
    EXPECT_EQ(set.at("Wave 1").text, "square");
    EXPECT_EQ(set.at("Cutoff").text, "5.0 of 10") << "600 Hz is the middle of 20 Hz to 18 kHz";
    EXPECT_EQ(set.at("Cutoff").value, "600 Hz");
    EXPECT_EQ(set.at("Level sustain").text, "4.0 of 10");
    EXPECT_EQ(set.at("LFO rate").value, "5.5 Hz");
    EXPECT_NEAR(played.value({"link:a", "amount"}), 30.0, 0.5) << "as vibrato";
    EXPECT_FALSE(set.contains("Level attack curve"));
    EXPECT_EQ(set.at("Level 2").value, "−60 dB") << "one source is played";
    const auto lacking = lackingOn(plain, patch);
    ASSERT_EQ(lacking.size(), 1u) << (lacking.empty() ? "" : lacking.front());
    EXPECT_TRUE(lacking.front().starts_with("Reverb"));
}

TEST(Instrument, IsRefusedInOneSentenceWhereItContradictsItself) {
    const std::string text = readWholeFile(shipped("plain"));
    const auto with = [&](const std::string& from, const std::string& to) {
        std::string changed = text;
        const auto at = changed.find(from);
        EXPECT_NE(at, changed.npos) << from;
        return changed.replace(at, from.size(), to);
    };
    for (const std::string& wrong :
         {std::string("{}"), std::string("nothing"), text.substr(0, text.size() / 2),
          with("\"version\": 1", "\"version\": 9"), with("layer:a/source:a/wave", "layer:a/source:z/wave"),
          with("\"square\": \"pulse\"", "\"square\": \"cube\""), with("\"logarithmic\"", "\"wavy\""),
          with("layer:a/source:a/width", "layer:a/source:a/octave"), with("\"controls\"", "\"knobs\"")}) {
        const std::string sentence = testing::sentenceOf([&] { instrumentFromJson(wrong); });
        EXPECT_FALSE(sentence.empty()) << wrong.substr(0, 80);
        EXPECT_EQ(sentence.find('\n'), std::string::npos);
    }
}

TEST(Instrument, IsToldOnTheSheet) {
    SheetSubject subject;
    subject.name = "Bass";
    subject.patch.set({filter, "on"}, 1.0);
    subject.patch.set({filter, "cutoff"}, 420.0);
    subject.patch.add("reverb:a");
    subject.patch.set({"reverb:a", "on"}, 1.0);
    subject.patch.set({"reverb:a", "mix"}, 60.0);
    subject.sounds = false;
    subject.instrument = readInstrument(shipped("plain"));
    const Sheet sheet = sheetOf(subject, 2);
    ASSERT_TRUE(sheet.played);
    EXPECT_LT(sheet.played->likeness, sheet.recipe.likeness) << "it has no room";
    const std::string text = pageText(pageOfSheet(sheet));
    for (const char* said : {"On Fieldstone", "Cutoff", " of 10", "It cannot do this", "Reverb"})
        EXPECT_NE(text.find(said), text.npos) << said << "\n" << text;
}

} // namespace
} // namespace facet
