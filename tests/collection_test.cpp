// The producer's collection of patches, and the common kinds to begin from.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/parameters/archetypes.h"
#include "core/parameters/patch_json.h"
#include "core/project/collection.h"
#include "core/project/instrument_shelf.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <set>

namespace facet {
namespace {

Patch named(const std::string& name, double cents = 0.0) {
    Patch patch;
    patch.name = name;
    patch.set({"layer:a/source:a", "cents"}, cents);
    return patch;
}

TEST(Collecting, KeepsPatchesWithTheirTags) {
    const testing::TemporaryFolder folder;
    Collection collection(folder / "collection");
    EXPECT_TRUE(collection.all().empty()) << "a folder that is not there yet";
    collection.add(named("Zinc", 5.0), {"lead"});
    const auto file = collection.add(named("amber", 9.0), {"bass", "dark"});
    auto all = collection.all();
    ASSERT_EQ(all.size(), 2u);
    EXPECT_EQ(all[0].patch, named("amber", 9.0)) << "by name, whatever the case";
    EXPECT_EQ(all[0].tags, (std::vector<std::string>{"bass", "dark"}));
    EXPECT_EQ(readPatch(file).value({"layer:a/source:a", "cents"}), 9.0) << "a patch file like any other";

    collection.setTags(file, {"sub"});
    EXPECT_EQ(collection.all()[0].tags, (std::vector<std::string>{"sub"}));
    EXPECT_EQ(collection.all()[0].patch, named("amber", 9.0));

    // Nothing is overwritten and nothing is lost.
    EXPECT_NE(collection.add(named("amber", 1.0), {}), file);
    EXPECT_EQ(collection.all().size(), 3u);
    collection.remove(file);
    EXPECT_EQ(collection.all().size(), 2u);
    EXPECT_TRUE(std::filesystem::exists(folder / "collection" / "removed" / "amber.json"));
}

TEST(Collecting, TakesNamesThatAFileCannotHave) {
    const testing::TemporaryFolder folder;
    Collection collection(folder / "c");
    for (const char* name : {"", "../up", "a/b", ".hidden", "   "}) collection.add(named(name), {});
    EXPECT_EQ(collection.all().size(), 5u);
    for (const auto& entry : std::filesystem::directory_iterator(folder / "c"))
        EXPECT_EQ(entry.path().parent_path(), folder / "c");
    EXPECT_FALSE(std::filesystem::exists(folder / "up.json"));
}

TEST(Collecting, LeavesOutWhatCannotBeReadAndSaysSo) {
    const testing::TemporaryFolder folder;
    Collection collection(folder / "c");
    collection.add(named("Fine"), {});
    writeWholeFile(folder / "c" / "broken.json", "{\"format\": ");
    writeWholeFile(folder / "c" / "other.json", "[1, 2]");
    std::vector<std::string> problems;
    EXPECT_EQ(collection.all(&problems).size(), 1u);
    EXPECT_EQ(problems.size(), 2u);
    // A place where no folder can be made.
    writeWholeFile(folder / "file", "x");
    EXPECT_THROW(Collection(folder / "file" / "c").add(named("A"), {}), Error);
}

TEST(Collecting, FindsByWordsOfNameAndTags) {
    const CollectedPatch patch{"", {"Bass", "very dark"}, named("Round Nine")};
    for (const char* text : {"", "round", "NINE", "bas", "dark", "nine dark", " ver  rou"})
        EXPECT_TRUE(patch.matches(text)) << text;
    for (const char* text : {"ound", "bright", "nine bright"}) EXPECT_FALSE(patch.matches(text)) << text;
    EXPECT_EQ(tagsFrom("bass, dark ,Bass,, x y "), (std::vector<std::string>{"bass", "dark", "x y"}));
}

TEST(Collecting, KeepsTheOwnDefaultApart) {
    const testing::TemporaryFolder folder;
    Collection collection(folder / "c");
    EXPECT_EQ(collection.ownDefault(), std::nullopt);
    collection.setOwnDefault(named("Mine", 3.0));
    EXPECT_EQ(collection.ownDefault(), named("Mine", 3.0));
    EXPECT_TRUE(collection.all().empty());
    collection.clearOwnDefault();
    EXPECT_EQ(collection.ownDefault(), std::nullopt);
}

TEST(Archetypes, SoundAndDifferAndSurviveTheirFiles) {
    std::set<std::string> names;
    std::vector<std::vector<float>> sounds;
    for (const Patch& patch : archetypes()) {
        SCOPED_TRACE(patch.name);
        EXPECT_TRUE(names.insert(patch.name).second);
        EXPECT_EQ(patchFromJson(patchToJson(patch)), patch);
        const Recording sound = render(patch, testing::oneNote(48, 0.0, 1.0, 1.5));
        double power = 0.0;
        float peak = 0.0f;
        for (float v : sound.channels[0]) {
            power += static_cast<double>(v) * v;
            peak = std::max(peak, std::abs(v));
        }
        const double rmsDb = 10.0 * std::log10(power / static_cast<double>(sound.channels[0].size()));
        EXPECT_GT(rmsDb, -40.0);
        EXPECT_LT(peak, 1.25f);
        for (const auto& other : sounds) EXPECT_NE(other, sound.channels[0]);
        sounds.push_back(sound.channels[0]);
    }
    EXPECT_EQ(archetypes().front(), [] {
        Patch empty;
        empty.name = "Empty patch";
        return empty;
    }());
}

TEST(Shelf, KeepsInstrumentsByName) {
    const testing::TemporaryFolder folder;
    InstrumentShelf shelf(folder / "instruments");
    EXPECT_TRUE(shelf.all().empty()) << "a folder that is not there yet";
    Instrument first{"Slate/2", "", Patch(), {}}, second{"Chalk", "", Patch(), {}};
    shelf.keep(first);
    shelf.keep(second);
    first.about = "once more";
    shelf.keep(first);
    auto all = shelf.all();
    ASSERT_EQ(all.size(), 2u) << "one of the same name takes the place of the other";
    EXPECT_EQ(*all[0], second);
    EXPECT_EQ(*all[1], first);

    writeWholeFile(folder / "instruments" / "broken.json", "{");
    std::vector<std::string> problems;
    EXPECT_EQ(shelf.all(&problems).size(), 2u);
    ASSERT_EQ(problems.size(), 1u);
    EXPECT_TRUE(problems[0].starts_with("broken.json: "));

    shelf.remove("Slate/2");
    shelf.remove("Nobody's");
    EXPECT_EQ(shelf.all().size(), 1u);
    EXPECT_TRUE(std::filesystem::exists(folder / "instruments" / "removed" / "Slate-2.json")) << "to fetch back";
}

} // namespace
} // namespace facet
