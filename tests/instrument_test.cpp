// Instruments that somebody owns: scales, descriptions, and patches as they play them.
#include "core/instruments/reach.h"
#include "core/match/out_of_reach.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/base/random.h"
#include "core/parameters/signal_parts.h"
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
                                         ? control.nearest(control.scale->valueAt(100.0 * random.unit()))
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
    EXPECT_EQ(set.at("LFO rate").value, "5.3 Hz") << "7.3 of 10; 7.4 is 5.7 Hz";
    EXPECT_NEAR(played.value({"link:a", "amount"}), 30.0, 0.5) << "as vibrato";
    EXPECT_FALSE(set.contains("Level attack curve"));
    EXPECT_EQ(set.at("Level 2").value, "−60 dB") << "one source is played";
    EXPECT_FALSE(set.contains("Wave 2")) << "what it would play is nobody's business";
    const auto lacking = lackingOn(plain, patch);
    ASSERT_EQ(lacking.size(), 1u) << (lacking.empty() ? "" : lacking.front().part);
    EXPECT_TRUE(lacking.front().part.starts_with("Reverb"));
    EXPECT_TRUE(lacking.front().instead.empty());
    EXPECT_EQ(lacking.front().around.find("reverb:a"), nullptr);
    EXPECT_EQ(lacking.front().around.value({filter, "cutoff"}), 600.0);
}

TEST(Instrument, SaysWhatComesNearestToWhatItLacks) {
    const Instrument plain = readInstrument(shipped("plain"));
    Patch patch;
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "cutoff"}, 500.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::bandPass));
    patch.add("layer:a/lfo:a");
    patch.add("layer:a/lfo:b");
    patch.set({"layer:a/lfo:a", "rate"}, 6.0);
    testing::link(patch, "layer:a/lfo:a", source + "/cents", 20.0);
    patch.set({"layer:a/lfo:b", "rate"}, 0.5);
    testing::link(patch, "layer:a/lfo:b", filter + "/cutoff", 12.0);
    const auto lacking = lackingOn(plain, patch);
    ASSERT_EQ(lacking.size(), 2u);
    EXPECT_EQ(static_cast<FilterKind>(lacking[0].around.value({filter, "kind"})), FilterKind::lowPass);
    EXPECT_FALSE(lacking[0].instead.empty());
    EXPECT_EQ(lacking[0].around.value({filter, "cutoff"}), 500.0) << "what it can do stays";
    EXPECT_NE(lacking[1].part.find("0.5"), std::string::npos) << lacking[1].part;
    EXPECT_NE(lacking[1].instead.find("6"), std::string::npos) << "one LFO moves both: " << lacking[1].instead;
}

TEST(Instrument, IsTunedByWhateverControlsItHas) {
    // A fifth below the note: by an octave down and seven semitones up on the one, by no means on the other.
    Patch patch;
    patch.set({source, "semitone"}, -5.0);
    patch.set({source, "level"}, -6.0);
    patch.set({"layer:a/source:b", "on"}, 1.0);
    patch.set({"layer:a/source:b", "semitone"}, -5.0);
    patch.set({"layer:a/source:b", "cents"}, 8.0);
    patch.set({"layer:a/source:b", "level"}, -9.0);
    const Patch plain = playedOn(readInstrument(shipped("plain")), patch);
    EXPECT_EQ(plain.value({"layer:a/source:b", "octave"}), -1.0);
    EXPECT_EQ(plain.value({"layer:a/source:b", "semitone"}), 7.0);
    EXPECT_NEAR(plain.value({"layer:a/source:b", "cents"}), 8.0, 0.1);
    EXPECT_NEAR(plain.value({"layer:a/source:b", "level"}), -3.0, 0.1) << "against the first";

    Patch operators;
    operators.set({source, "wave"}, static_cast<double>(Wave::sine));
    operators.set({"layer:a/source:b", "on"}, 1.0);
    operators.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::sine));
    operators.set({"layer:a/source:b", "octave"}, 2.0);
    operators.set({"layer:a/source:b", "level"}, silentSourceDb);
    operators.add("layer:a/envelope:a");
    operators.set({"layer:a/envelope:a", "decay"}, 300.0);
    operators.set({"layer:a/envelope:a", "sustain"}, 0.0);
    testing::link(operators, "layer:a/source:b", source + "/phase", 20.0);
    testing::link(operators, "layer:a/source:b", source + "/phase", 60.0);
    ModuleData ends = operators.find("link:b")->contents();
    ends.by = "layer:a/envelope:a";
    operators.setData("link:b", ends);
    const Patch four = playedOn(readInstrument(shipped("four-operators")), operators);
    EXPECT_EQ(four.value({"layer:a/source:b", "ratio_over"}), 4.0) << "two octaves up";
    EXPECT_NEAR(four.value({"link:a", "amount"}), 80.0, 2.0) << "both together";
    EXPECT_NEAR(four.value({"layer:a/envelope:a", "sustain"}), 25.0, 1.0) << "what stays of them";
    EXPECT_NEAR(four.value({"layer:a/envelope:a", "decay"}), 300.0, 30.0);
}

TEST(Instrument, OwnPatchesKeepWhatIsNotHeard) {
    const Instrument plain = readInstrument(shipped("plain"));
    Patch own = plain.patch;
    own.set({"layer:a/source:b", "semitone"}, 7.0); // while its level is nothing
    own.set({"layer:a/lfo:a", "rate"}, 3.0);
    own.set({filter, "cutoff"}, 4321.0);
    own.set({"output", "level"}, -9.0);
    EXPECT_TRUE(isOf(plain, own));
    EXPECT_TRUE(withinReachOf(plain, own).soundsLike(own));
    own.set({filter, "key_tracking"}, 150.0);     // the control ends at 100 %
    own.set({"layer:a/source:a", "blend"}, 50.0); // it has none
    const Patch within = withinReachOf(plain, own);
    EXPECT_EQ(within.value({filter, "key_tracking"}), 100.0);
    EXPECT_EQ(within.value({"layer:a/source:a", "blend"}), plain.patch.value({"layer:a/source:a", "blend"}));
    EXPECT_TRUE(plain.holds({"layer:a/source:a", "blend"}));
    EXPECT_FALSE(plain.holds({"output", "level"})) << "every instrument has a volume";
    own.add("reverb:a");
    EXPECT_FALSE(isOf(plain, own));
}

TEST(Instrument, OwnPatchesAreToldWithoutWhatIsSilentInThem) {
    const Instrument plain = readInstrument(shipped("plain"));
    Patch own = playedOn(plain, plain.patch);
    own.set({filter, "cutoff"}, 900.0);
    const Patch told = withoutSilent(own);
    EXPECT_EQ(told.find("link:a"), nullptr);
    EXPECT_EQ(told.find("layer:a/lfo:a"), nullptr);
    EXPECT_FALSE(told.has({"layer:a/source:c", "on"}) && told.value({"layer:a/source:c", "on"}) > 0.5);
    EXPECT_EQ(told.value({filter, "cutoff"}), 900.0);
    own.set({"link:c", "amount"}, 12.0);
    EXPECT_NE(withoutSilent(own).find("layer:a/lfo:a"), nullptr) << "it moves the cutoff";
    SheetSubject subject;
    subject.name = "Own";
    subject.patch = own;
    subject.sounds = false;
    subject.instrument = plain;
    const Sheet sheet = sheetOf(subject, 2);
    const std::string text = pageText(pageOfSheet(sheet));
    EXPECT_EQ(text.find("−60 dB", 0), text.find("−60 dB", text.find("On Fieldstone"))) << "silent sources\n" << text;
    EXPECT_EQ(text.find("It cannot do this"), text.npos);
}

TEST(WithoutSilent, LeavesWhatIsMovedOrServesAnother) {
    Patch patch;
    patch.add("layer:a/lfo:a");
    patch.add("layer:a/lfo:b");
    testing::link(patch, "layer:a/lfo:a", source + "/cents", 0.0); // link:a, which another one opens
    testing::link(patch, "layer:a/lfo:b", "link:a/amount", 30.0);
    patch.set({"layer:a/source:b", "on"}, 1.0);
    patch.set({"layer:a/source:b", "level"}, silentSourceDb);
    patch.set({source, "sync"}, 3.0); // with source b
    EXPECT_TRUE(withoutSilent(patch).soundsLike(patch));
    EXPECT_EQ(withoutSilent(patch).value({"layer:a/source:b", "on"}), 1.0);
    patch.set({source, "sync"}, 0.0);
    EXPECT_FALSE(withoutSilent(patch).has({"layer:a/source:b", "on"}) &&
                 withoutSilent(patch).value({"layer:a/source:b", "on"}) > 0.5);
    patch.set({"link:b", "amount"}, 0.0); // now neither does anything, and one goes with the other
    const Patch less = withoutSilent(patch);
    for (const char* gone : {"link:a", "link:b", "layer:a/lfo:a", "layer:a/lfo:b"})
        EXPECT_EQ(less.find(gone), nullptr) << gone;
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
          with("layer:a/source:a/width", "layer:a/source:a/octave"), with("\"controls\"", "\"knobs\""),
          with("\"Width 1\"", "\"\""), with("\"Width 2\"", "\"Width 1\""),
          with("\"to\": \"layer:a/source:a/cents\"", "\"to\": \"link:a/amount\"")}) {
        const std::string sentence = testing::sentenceOf([&] { instrumentFromJson(wrong); });
        EXPECT_FALSE(sentence.empty()) << wrong.substr(0, 80);
        EXPECT_EQ(sentence.find('\n'), std::string::npos);
    }
}

TEST(Instrument, TellsWhatItCanMakeAtAll) {
    const std::set<Element> fieldstone = elementsWithin(readInstrument(shipped("plain")));
    for (const Element each : {Element::saw, Element::pulse, Element::noise, Element::sweptFilter, Element::filterLfo,
                               Element::vibrato, Element::glide, Element::keyTracking})
        EXPECT_TRUE(fieldstone.contains(each)) << wordOf(each);
    for (const Element each : {Element::reverb, Element::delay, Element::fm, Element::comb})
        EXPECT_FALSE(fieldstone.contains(each)) << wordOf(each);
    const std::set<Element> saltmarsh = elementsWithin(readInstrument(shipped("stacked")));
    for (const Element each : {Element::stacked, Element::reverb, Element::chorus})
        EXPECT_TRUE(saltmarsh.contains(each));
    EXPECT_TRUE(elementsWithin(readInstrument(shipped("four-operators"))).contains(Element::fm));
    // What the recording speaks for and it has no way to make is named, and nothing else.
    const std::map<Element, std::string> evidence{{Element::reverb, "rings 1.2 s"},
                                                  {Element::vibrato, "5 Hz"},
                                                  {Element::delay, "375 ms"},
                                                  {Element::saw, "saw"}};
    EXPECT_EQ(outOfReach(evidence, {}, readInstrument(shipped("plain"))),
              (std::set<Element>{Element::delay, Element::reverb}));
    EXPECT_EQ(outOfReach(evidence, {}, readInstrument(shipped("stacked"))),
              (std::set<Element>{Element::vibrato, Element::delay}));
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
