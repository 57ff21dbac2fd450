#include "core/base/error.h"
#include "core/base/json.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/value_text.h"
#include "tests/support/files.h"

#include <cmath>
#include <fstream>
#include <gtest/gtest.h>
#include <set>

namespace facet {
namespace {

using testing::sentenceOf;

TEST(ParameterTable, IsSound) {
    std::set<std::pair<ModuleKind, std::string_view>> seen;
    for (const auto& d : parameterTable()) {
        SCOPED_TRACE(std::string(wordOf(d.module)) + "/" + std::string(d.field));
        EXPECT_TRUE(seen.emplace(d.module, d.field).second) << "twice in the table";
        EXPECT_LT(d.low, d.high);
        EXPECT_TRUE(d.defaultValue >= d.low && d.defaultValue <= d.high);
        EXPECT_FALSE(d.label.empty() || d.help.empty());
        EXPECT_EQ(d.unit == Unit::choice, !d.choices.empty());
        if (d.unit == Unit::choice) {
            EXPECT_EQ(static_cast<double>(d.choices.size()), d.high + 1);
        }
        if (d.isSearched()) {
            EXPECT_TRUE(d.priorLow >= d.low && d.priorHigh <= d.high);
        }
        if (d.scale == Scale::logarithmic) {
            EXPECT_GT(d.low + d.logOffset, 0.0);
        }
        // A link, and a macro through links, answers for what it moves.
        if (d.module != ModuleKind::link && d.module != ModuleKind::macro) {
            EXPECT_NE(d.facets, 0) << "answers for nothing";
        }
    }
}

TEST(ParameterTable, ScalesAndTextsRoundTrip) {
    for (const auto& d : parameterTable())
        for (double position : {0.0, 0.1, 0.37, 0.5, 0.93, 1.0}) {
            SCOPED_TRACE(std::string(d.field));
            const double value = d.fromUnit(position);
            EXPECT_NEAR(d.fromUnit(d.toUnit(value)), value, 1e-9 * (1.0 + std::abs(value)));
            const auto read = parseValue(d, textOf(d, value));
            ASSERT_TRUE(read) << textOf(d, value);
            EXPECT_NEAR(*read, value, 0.006 * std::abs(value) + 0.006) << textOf(d, value); // three digits
        }
}

TEST(ValueText, ReadsWhatPeopleType) {
    const Patch patch;
    const auto read = [&](const char* address, const char* text) {
        return parseValue(patch.descriptor(Address::parse(address)), text);
    };
    EXPECT_EQ(read("layer:a/filter:a/cutoff", "2.5k"), 2500.0);
    EXPECT_EQ(read("layer:a/filter:a/cutoff", "440"), 440.0);
    EXPECT_EQ(read("layer:a/filter:a/cutoff", "1,5 kHz"), 1500.0);
    EXPECT_EQ(read("layer:a/envelope:level/decay", "1.2 s"), 1200.0);
    EXPECT_EQ(read("layer:a/envelope:level/decay", "280ms"), 280.0);
    EXPECT_EQ(read("output/level", "−12 dB"), -12.0);
    EXPECT_EQ(read("output/level", "-12"), -12.0);
    EXPECT_EQ(read("layer:a/source:a/wave", "Pulse"), 3.0);
    EXPECT_EQ(read("layer:a/source:a/on", "off"), 0.0);
    EXPECT_EQ(read("output/level", "loud"), std::nullopt);
    EXPECT_EQ(read("output/level", "12 Hz"), std::nullopt);
    EXPECT_EQ(read("layer:a/source:a/wave", "sawish"), std::nullopt);
    EXPECT_EQ(read("output/level", ""), std::nullopt);
}

TEST(Patches, EmptyIsOneSawWithoutFilter) {
    const Patch patch;
    EXPECT_EQ(patch.value({"layer:a/source:a", "on"}), 1.0);
    EXPECT_EQ(patch.value({"layer:a/source:b", "on"}), 0.0);
    EXPECT_EQ(patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::saw));
    EXPECT_EQ(patch.value({"layer:a/filter:a", "on"}), 0.0);
    EXPECT_EQ(patch.value({"layer:a/envelope:level", "attack"}), 2.0);
    EXPECT_EQ(patch.value({"layer:a/envelope:level", "release"}), 2.0);
    EXPECT_EQ(patch, patchFromJson(R"({"format": "facet-patch", "version": 1, "name": "Empty"})"));
}

TEST(Patches, RefuseWhatIsWrong) {
    Patch patch;
    EXPECT_NE(sentenceOf([&] {
                  patch.set({"layer:a/filter:a", "cutoff"}, 5.0);
              }).find("20 Hz to 20 kHz"),
              std::string::npos);
    EXPECT_NE(sentenceOf([&] { patch.set({"layer:a/filter:a", "cutoff"}, NAN); }), "");
    EXPECT_NE(sentenceOf([&] { patch.set({"layer:a/source:a", "voices"}, 2.5); }), "");
    EXPECT_NE(sentenceOf([&] { patch.set({"layer:z", "level"}, 0.0); }), "");
    EXPECT_NE(sentenceOf([&] { Address::parse("cutoff"); }), "");
    EXPECT_EQ(patch, Patch()) << "a refused value changed the patch";
}

TEST(Patches, SurviveTheirFile) {
    Patch patch;
    patch.name = "Däck ♯1";
    patch.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::pulse));
    patch.set({"layer:a/source:a", "cents"}, 12.345678901234567);
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    const testing::TemporaryFolder folder;
    writePatch(folder / "p.json", patch);
    EXPECT_EQ(readPatch(folder / "p.json"), patch);
    Patch other = patch;
    other.set({"layer:a/source:a", "cents"}, 12.3);
    EXPECT_NE(readPatch(folder / "p.json"), other);
    EXPECT_EQ(changedAddresses(patch, other), (std::vector<Address>{{"layer:a/source:a", "cents"}}));
}

TEST(Patches, KeepWhatANewerProgramWrote) {
    const std::string text = R"({"format": "facet-patch", "version": 1, "name": "x", "mood": {"a": [1, 2]},
        "modules": {"layer:a/source:a": {"sparkle": 7, "width": 40.0}, "layer:q/granulator:z": {"size": 3}}})";
    const Patch patch = patchFromJson(text);
    EXPECT_EQ(patch.value({"layer:a/source:a", "width"}), 40.0);
    const auto again = parseJson(patchToJson(patch));
    EXPECT_EQ(again["mood"]["a"][1], 2);
    EXPECT_EQ(again["modules"]["layer:a/source:a"]["sparkle"], 7);
    EXPECT_EQ(again["modules"]["layer:a/source:a"]["width"], 40.0);
    EXPECT_EQ(again["modules"]["layer:q/granulator:z"]["size"], 3);
}

TEST(Patches, DamagedFilesGetOneClearSentence) {
    const auto refused = [](const std::string& text) { return sentenceOf([&] { patchFromJson(text); }); };
    EXPECT_NE(refused("{ not json").find("not valid JSON"), std::string::npos);
    EXPECT_NE(refused("[]").find("not a Facet patch"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "other", "version": 1})").find("not a Facet patch"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-patch", "version": 9})").find("newer Facet"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-patch"})").find("version"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-patch", "version": 1, "modules": {"layer:a/filter:a": {"cutoff": "high"}}})")
                  .find("layer:a/filter:a/cutoff"),
              std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-patch", "version": 1, "modules": {"layer:a/filter:a": {"cutoff": 1e9}}})")
                  .find("layer:a/filter:a/cutoff"),
              std::string::npos);
    EXPECT_NE(
        refused(R"({"format": "facet-patch", "version": 1, "modules": {"layer:a/source:a": {"wave": "square-ish"}}})")
            .find("noise or sample"),
        std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-patch", "version": 1, "modules": 3})"), "");
}

TEST(Schema, InTheDocumentationIsTheTables) {
    std::ifstream file(std::string(FACET_SOURCE_DIR) + "/docs/patch.schema.json");
    const std::string text(std::istreambuf_iterator<char>(file), {});
    EXPECT_EQ(text, patchSchema()) << "run: facet-cli params --json > docs/patch.schema.json";
}

TEST(Ties, KeepTheirDistanceWhereOneComesToItsEnd) {
    const Address a{"layer:a/source:a", "cents"}, b{"layer:a/source:b", "cents"};
    Patch patch;
    const double high = patch.descriptor(a).high, low = patch.descriptor(a).low;
    patch.set(a, 0.0);
    patch.set(b, 10.0);
    patch.tie({{a, b}, true});
    patch.set(a, high); // the other would have to go 10 further
    EXPECT_DOUBLE_EQ(patch.value(b), high);
    EXPECT_DOUBLE_EQ(patch.value(a), high - 10.0) << "both stop";
    patch.set(b, 10.0);
    EXPECT_NEAR(patch.value(a), 0.0, 1e-9) << "nothing was lost";
    patch.set(b, low);
    EXPECT_DOUBLE_EQ(patch.value(a), low);
    EXPECT_DOUBLE_EQ(patch.value(b), low + 10.0);
    patch.untie(a);
    patch.tie({{a, b}, false});
    patch.set(b, high);
    EXPECT_EQ(patch.value(a), high) << "equal ones have one range";
}

} // namespace
} // namespace facet
