// Sheets: few and round values that sound alike, and the page that tells them.
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/parameters/noticed.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/parameters/rounding.h"
#include "core/parameters/value_text.h"
#include "core/recipe/macros.h"
#include "core/recipe/sheet.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a", level = "layer:a/envelope:level";

/// A pulse through a filter that closes, with an echo, as a search leaves it.
Patch foundPatch() {
    Patch patch;
    patch.name = "Found";
    patch.set({source, "wave"}, static_cast<double>(Wave::pulse));
    patch.set({source, "width"}, 24.7312);
    patch.set({source, "pan"}, -0.8127);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "cutoff"}, 493.187);
    patch.set({filter, "resonance"}, 6.3331);
    patch.set({filter, "envelope"}, 29.613);
    patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 307.77);
    patch.set({"layer:a/envelope:filter", "decay_curve"}, 1.9127);
    patch.set({level, "decay"}, 411.3);
    patch.set({level, "sustain"}, 31.2);
    patch.add("delay:a");
    patch.set({"delay:a", "on"}, 1.0);
    patch.set({"delay:a", "time"}, 321.9);
    patch.set({"delay:a", "mix"}, 33.33);
    patch.set({"output", "level"}, -9.0431);
    return patch;
}

MoveTarget targetOf(const Patch& patch, std::uint64_t seed = 3) {
    Performance phrase = testing::fixturePhrase();
    auto sound = std::make_shared<const Recording>(render(patch, phrase));
    auto profile = std::make_shared<const Profile>(measureProfile(*sound, phrase));
    phrase.seed = seed;
    return {std::move(sound), std::move(profile), phrase};
}

/// Significant digits of a number as it is written.
int digitsOf(const std::string& text) {
    std::string digits;
    for (const char c : text)
        if (c >= '0' && c <= '9') digits += c;
    if (const auto first = digits.find_first_not_of('0'); first != digits.npos) digits.erase(0, first);
    if (text.find('.') == text.npos)
        while (digits.ends_with('0')) digits.pop_back();
    return static_cast<int>(digits.size());
}

TEST(Rounding, HasTheDigitsThatPeopleWrite) {
    const Patch patch = foundPatch();
    const auto rounded = [&](const Address& a, double value, int digits) {
        return roundedTo(patch.shownDescriptor(a), value, digits);
    };
    EXPECT_EQ(rounded({filter, "cutoff"}, 493.187, 1), 500.0);
    EXPECT_EQ(rounded({filter, "cutoff"}, 493.187, 2), 490.0);
    EXPECT_EQ(rounded({filter, "cutoff"}, 493.187, 3), 493.0);
    EXPECT_EQ(rounded({filter, "resonance"}, 6.3331, 2), 6.0);
    EXPECT_NEAR(rounded({filter, "resonance"}, 6.3331, 3), 6.3, 1e-9);
    EXPECT_EQ(rounded({level, "sustain"}, 31.2, 1), 30.0);
    EXPECT_EQ(rounded({"delay:a", "time"}, 321.9, 2), 322.0) << "to the beat";
    EXPECT_EQ(rounded({source, "wave"}, 3.0, 1), 3.0);
    EXPECT_EQ(rounded({filter, "cutoff"}, 19999.0, 1), 20000.0) << "within its range";
}

/// A listener for whom each value counts by how far it is from where it was, in steps that are noticed.
class RoundedPatchTest : public ::testing::Test {
protected:
    const Patch exact = foundPatch();
    std::map<Address, double> counts; ///< likeness for each noticed step; else a half
    int asked = 0;

    LikenessOf listener() {
        return [this](const std::vector<Patch>& patches) {
            std::vector<double> all;
            for (const Patch& patch : patches) {
                ++asked;
                double likeness = 97.0;
                for (const Address& each : exact.addresses()) {
                    const auto own = counts.find(each);
                    const double step = own == counts.end() ? 0.5 : own->second;
                    if (!patch.has(each)) continue;
                    const double apart =
                        noticedSteps(exact.shownDescriptor(each), exact.value(each), patch.value(each));
                    if (matters(exact, *exact.find(each.module), exact.descriptor(each))) likeness -= step * apart;
                }
                all.push_back(std::max(0.0, likeness));
            }
            return all;
        };
    }
};

TEST_F(RoundedPatchTest, LosesNoMoreThanOneAndSetsOnlyWhatMatters) {
    counts[{source, "pan"}] = 0.01;
    counts[{"output", "level"}] = 0.0;
    const RoundedPatch rounded = roundedPatch(exact, listener());
    EXPECT_EQ(rounded.exact, 97.0);
    EXPECT_GE(rounded.likeness, 96.0);
    EXPECT_TRUE(rounded.isAlike());
    EXPECT_EQ(rounded.patch.value({source, "pan"}), 0.0);
    EXPECT_EQ(rounded.patch.value({"output", "level"}), Patch().value({"output", "level"}));
    for (const Address& each : {Address{source, "pan"}, Address{"output", "level"}})
        EXPECT_NE(std::find(rounded.leftOut.begin(), rounded.leftOut.end(), each), rounded.leftOut.end());
    Patch set;
    set.add("delay:a");
    for (const RoundedValue& each : rounded.values) set.set(each.address, rounded.patch.value(each.address));
    EXPECT_TRUE(set.soundsLike(rounded.patch)) << "nothing is set that is not told";
    EXPECT_LT(asked, 150);
}

TEST_F(RoundedPatchTest, TakesMoreDigitsWhereTheyAreHeardAndFewerWhereNot) {
    counts[{filter, "cutoff"}] = 20.0;
    counts[{"layer:a/envelope:filter", "decay"}] = 0.0;
    counts[{level, "decay"}] = 0.05;
    const RoundedPatch rounded = roundedPatch(exact, listener());
    EXPECT_TRUE(rounded.isAlike());
    EXPECT_EQ(rounded.patch.value({filter, "cutoff"}), 493.0);
    EXPECT_NE(rounded.patch.value({level, "decay"}), 411.3);
    EXPECT_EQ(rounded.patch.value({"layer:a/envelope:filter", "decay"}),
              Patch().value({"layer:a/envelope:filter", "decay"}))
        << "nobody hears it";
}

TEST_F(RoundedPatchTest, SaysWhereNoRoundingIsAlike) {
    counts[{filter, "cutoff"}] = 1e5;
    const RoundedPatch rounded = roundedPatch(exact, listener());
    EXPECT_FALSE(rounded.isAlike());
}

TEST_F(RoundedPatchTest, KnowsHowFarEachValueMayBeOff) {
    counts[{filter, "cutoff"}] = 2.0;
    const RoundedPatch rounded = roundedPatch(exact, listener());
    const auto ranges = alikeRanges(rounded, listener());
    ASSERT_EQ(ranges.size(), rounded.values.size());
    for (std::size_t i = 0; i < ranges.size(); ++i) {
        const Address& address = rounded.values[i].address;
        const double value = rounded.patch.value(address);
        EXPECT_LE(ranges[i].low, value) << address.text();
        EXPECT_GE(ranges[i].high, value) << address.text();
        if (address == Address{filter, "cutoff"}) {
            EXPECT_NEAR(std::log2(ranges[i].high / ranges[i].low), 0.125, 0.07) << "half a step to either side";
        }
    }
}

TEST_F(RoundedPatchTest, IsStopped) {
    std::stop_source stop;
    stop.request_stop();
    EXPECT_THROW(roundedPatch(exact, listener(), {stop.get_token(), {}}), Cancelled);
}

TEST(Recipe, OfAFoundPatchIsEnoughToSetItAnew) {
    const Patch found = foundPatch();
    const ReferenceScore score({targetOf(found)});
    const Recipe recipe = recipeOf(found, score, equalWeights, 2);
    EXPECT_TRUE(recipe.isAlike) << recipe.exact << " " << recipe.likeness;
    EXPECT_GE(recipe.likeness, recipe.exact - 1.0);
    std::size_t could = 0;
    for (const auto& module : found.modules())
        for (const auto& d : parametersOf(module.kind))
            if (takesPart(found, module) && matters(found, module, d)) ++could;
    EXPECT_LE(static_cast<double>(valuesIn(recipe)), 0.6 * static_cast<double>(could));
    // As somebody would who only has the words.
    Patch set;
    set.add("delay:a");
    for (const RecipeLine& line : recipe.lines) {
        EXPECT_FALSE(line.title.empty());
        for (const RecipeValue& each : line.values) {
            EXPECT_LE(digitsOf(each.text), 3) << each.label << " " << each.text;
            EXPECT_EQ(each.label.find('/'), std::string::npos) << "an address is no word";
            const auto value = parseValue(set.shownDescriptor(each.address), each.text);
            ASSERT_TRUE(value) << each.text;
            set.setNearest(each.address, *value);
        }
    }
    for (const Address& each : recipe.patch.addresses())
        EXPECT_EQ(set.value(each), recipe.patch.value(each)) << each.text();
    EXPECT_GE(score.of(set, equalWeights, 2, {}).comparison.likeness, 95.0);
    ASSERT_FALSE(recipe.mattersMost.empty());
    for (std::size_t i = 1; i < recipe.mattersMost.size(); ++i)
        EXPECT_GE(recipe.lines[recipe.mattersMost[i - 1]].costs, recipe.lines[recipe.mattersMost[i]].costs);
}

TEST(Recipe, SaysWhatARecordingCannotTell) {
    Performance one = testing::oneNote(45, 0.02, 0.6, 1.2, 48000);
    const Patch patch;
    auto sound = std::make_shared<const Recording>(render(patch, one));
    auto profile = std::make_shared<const Profile>(measureProfile(*sound, one));
    const Recipe recipe = recipeOf(patch, ReferenceScore({{sound, profile, one}}), equalWeights, 2);
    EXPECT_EQ(recipe.untold.size(), 3u) << "one key, one velocity, both sides the same";
    EXPECT_EQ(valuesIn(recipe), 0u) << "the empty patch sets nothing";
}

TEST(Recipe, SpellsOutPartialsAndDrawnSteps) {
    Patch patch;
    patch.set({source, "wave"}, static_cast<double>(Wave::harmonics));
    ModuleData data;
    data.partialsDb = {-6.0, -12.0, -120.0, -30.0};
    patch.setData(source, data);
    const Recipe recipe = recipeOf(patch, ReferenceScore({targetOf(patch)}), equalWeights, 2);
    ASSERT_FALSE(recipe.lines.empty());
    EXPECT_EQ(recipe.lines.front().contents, "Source 1: partials 1 to 4 at 0, -6, –, -24 dB");
}

/// Measures of what is heard when a macro stands at its end.
SoundMeasures atEnd(const Patch& patch, const ProposedMacro& macro, const Performance& phrase) {
    Patch moved = withMacro(patch, macro);
    for (const auto& module : std::vector<Patch::Module>(moved.modules()))
        if (module.kind == ModuleKind::macro) moved.set({module.path, "value"}, 100.0);
    return measuresOf(render(moved, phrase), phrase);
}

TEST(Macros, LeadWhereTheirNamesSayWithinTheirLimits) {
    const Performance phrase = testing::fixturePhrase();
    for (const char* name : {"swept-ensemble", "sliding-lead", "struck-reed", "velocity-bell"}) {
        const Patch patch = testing::fixturePatch(name);
        const SoundMeasures now = measuresOf(render(patch, phrase), phrase);
        const auto macros = proposedMacros(patch, phrase, 2);
        ASSERT_GE(macros.size(), 2u) << name;
        ASSERT_LE(macros.size(), 4u) << name;
        std::set<Direction> directions;
        for (const ProposedMacro& macro : macros) {
            EXPECT_TRUE(directions.insert(macro.direction).second);
            EXPECT_FALSE(macro.moves.empty());
            EXPECT_LE(macro.moves.size(), 3u);
            EXPECT_EQ(macro.name, nameOf(macro.direction));
            EXPECT_NEAR(measuresOf(render(withMacro(patch, macro), phrase), phrase).levelDb, now.levelDb, 0.2)
                << "at rest the patch sounds as it did";
            const SoundMeasures end = atEnd(patch, macro, phrase);
            EXPECT_GE(end.levelDb, now.levelDb - 12.5) << name << " " << macro.name;
            EXPECT_LE(end.levelDb, now.levelDb + 6.5) << name << " " << macro.name;
            EXPECT_LE(end.harshDb, std::max(-6.0, now.harshDb + 0.5) + 0.5) << name << " " << macro.name;
            switch (macro.direction) {
            case Direction::brighter: EXPECT_GT(end.centroidOctaves, now.centroidOctaves + 0.25) << name; break;
            case Direction::darker: EXPECT_LT(end.centroidOctaves, now.centroidOctaves - 0.25) << name; break;
            case Direction::longer: EXPECT_GT(end.seconds, 1.2 * now.seconds) << name; break;
            case Direction::shorter: EXPECT_LT(end.seconds, now.seconds / 1.2) << name; break;
            case Direction::softer: EXPECT_LT(end.onsetDb, now.onsetDb - 2.5) << name; break;
            case Direction::wider: EXPECT_GT(end.sideDb, now.sideDb + 2.0) << name; break;
            case Direction::wilder: EXPECT_GT(end.motionDb, now.motionDb + 0.5) << name; break;
            }
        }
    }
}

TEST(Macros, LeavePitchesAlone) {
    const Performance phrase = testing::fixturePhrase();
    const Patch patch = testing::fixturePatch("sliding-lead");
    const auto pitch = [&](const Patch& of) {
        const Profile profile = measureProfile(render(of, phrase), phrase);
        return profile.notes.front().cents;
    };
    const double before = pitch(patch);
    for (const ProposedMacro& macro : proposedMacros(patch, phrase, 2)) {
        Patch moved = withMacro(patch, macro);
        for (const auto& module : std::vector<Patch::Module>(moved.modules()))
            if (module.kind == ModuleKind::macro) moved.set({module.path, "value"}, 100.0);
        EXPECT_NEAR(pitch(moved), before, 10.0) << macro.name;
    }
}

Page smallPage() {
    Page page{"Bass <1> & more", {}};
    page.blocks.push_back(PageParagraph{"Rebuilt | well."});
    page.blocks.push_back(PageHeading{"Settings"});
    page.blocks.push_back(PageTable{{"Set", "to"}, {{"Filter cutoff", "420 Hz"}, {"Größe", "1"}}});
    page.blocks.push_back(PageList{{"one", "two"}, true});
    page.blocks.push_back(
        PagePlots{"Pictures", {{"Level", {"s", 0.0, 2.0}, {"dB", -60.0, 0.0}, {{"a", {{0.0, -60.0}, {2.0, 0.0}}}}}}});
    page.blocks.push_back(PageSounds{"Sounds", {{"As rebuilt", "fLaC"}}});
    return page;
}

TEST(SheetPage, IsTextInColumns) {
    EXPECT_EQ(pageText(smallPage()),
              "Bass <1> & more\n===============\nRebuilt | well.\n\nSettings\n--------\n"
              "  Set             to\n  Filter cutoff   420 Hz\n  Größe           1\n\n1. one\n2. two\n");
}

TEST(SheetPage, IsMarkdownThatReadsNothingAsAMark) {
    const std::string text = pageMarkdown(smallPage());
    EXPECT_TRUE(text.starts_with("# Bass \\<1\\> & more\n")) << text;
    EXPECT_NE(text.find("Rebuilt \\| well."), text.npos);
    EXPECT_NE(text.find("| Filter cutoff | 420 Hz |\n"), text.npos);
    EXPECT_EQ(text.find("Pictures"), text.npos);
}

TEST(SheetPage, IsOneHtmlFileThatHoldsThePatchAgain) {
    Patch patch = foundPatch();
    patch.name = "A </script> in its name";
    const std::string html = pageHtml(smallPage(), patchToJson(patch));
    EXPECT_NE(html.find("<h1>Bass &lt;1&gt; &amp; more</h1>"), html.npos);
    EXPECT_NE(html.find("<svg "), html.npos);
    EXPECT_NE(html.find("data:audio/flac;base64,ZkxhQw=="), html.npos);
    EXPECT_EQ(html.find("http://www.w3.org/2000/svg"), html.rfind("http")) << "nothing is fetched from elsewhere";
    EXPECT_EQ(patchFromJson(dataOfPage(html)), patch);
    EXPECT_TRUE(dataOfPage(pageHtml(smallPage(), "")).empty());
}

TEST(SheetPlot, MarksRoundValuesWithinItsAxes) {
    EXPECT_EQ((PlotAxis{"Hz", 30.0, 16000.0, true}.marks(7)), (std::vector<double>{100.0, 1000.0, 10000.0}));
    EXPECT_EQ((PlotAxis{"dB", -60.0, 0.0}.marks(5)), (std::vector<double>{-60.0, -40.0, -20.0, 0.0}));
    EXPECT_EQ((PlotAxis{"s", 0.0, 0.0}.marks(5)), std::vector<double>());
    EXPECT_EQ(PlotAxis::text(10000.0), "10k");
    EXPECT_EQ(PlotAxis::text(-40.0), "−40");
    EXPECT_NEAR((PlotAxis{"Hz", 10.0, 1000.0, true}.place(100.0)), 0.5, 1e-9);
}

TEST(Sheet, TellsOtherWaysOnlyWhereTheyAreMadeOfSomethingElse) {
    SheetSubject subject;
    subject.name = "Echoing pulse";
    subject.patch = foundPatch();
    subject.targets = {targetOf(subject.patch)};
    Patch same = foundPatch(), saw = foundPatch();
    same.set({filter, "cutoff"}, 600.0);
    saw.set({source, "wave"}, static_cast<double>(Wave::saw));
    subject.others = {{"darker", same}, {"a saw", saw}};
    const Sheet sheet = sheetOf(subject, 2);
    ASSERT_EQ(sheet.others.size(), 1u);
    EXPECT_EQ(sheet.others.front().name, "a saw");
    EXPECT_LT(sheet.others.front().likeness, sheet.recipe.likeness);
    EXPECT_FALSE(sheet.build.steps.empty());
    EXPECT_EQ(sheet.sounds.size(), 2 + sheet.build.steps.size());
    const std::string text = pageText(pageOfSheet(sheet));
    for (const char* said : {"Echoing pulse", "Rebuilt from a recording", "What matters most", "Pulse 25 %",
                             "Step by step", "Other ways", "Worth playing", "Filter cutoff"})
        EXPECT_NE(text.find(said), text.npos) << said << "\n" << text;
}

TEST(Sheet, IsToldByItsOwnSoundWithoutARecording) {
    SheetSubject subject;
    subject.patch = foundPatch();
    subject.sounds = false;
    const Sheet sheet = sheetOf(subject, 2);
    EXPECT_FALSE(sheet.isRebuilt);
    EXPECT_GT(sheet.recipe.exact, 99.0);
    EXPECT_TRUE(sheet.sounds.empty());
    subject.patch.set({source, "on"}, 0.0);
    EXPECT_THROW(sheetOf(subject, 2), Error);
}

} // namespace
} // namespace facet
