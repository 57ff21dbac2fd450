// What the lines of the patch say of their modules; no window is needed for that.
#include "app/views/patch/module_words.h"
#include "core/engine/inspect/stage.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string lfo = "layer:a/lfo:a", sourceA = "layer:a/source:a", sourceB = "layer:a/source:b";

std::string title(const Patch& patch, const std::string& path) {
    return titleOf(patch, *patch.find(path), modulationsOf(patch)).toStdString();
}

std::string connections(const Patch& patch, const std::string& path, const Performance& performance = {},
                        const StageReading* stage = nullptr) {
    return connectionsOf(patch, *patch.find(path), modulationsOf(patch), performance, stage).toStdString();
}

TEST(ModuleWords, KnowAnLfoByWhatItMovesFirst) {
    Patch patch;
    patch.add(lfo);
    EXPECT_EQ(title(patch, lfo), "LFO");
    EXPECT_EQ(connections(patch, lfo), "moves nothing yet");
    testing::link(patch, lfo, "layer:a/filter:a/cutoff", 12.0);
    EXPECT_EQ(title(patch, lfo), "LFO → cutoff");
    EXPECT_EQ(connections(patch, lfo).rfind("moves Filter cutoff", 0), 0u) << connections(patch, lfo);
    patch.set({"link:a", "on"}, 0.0);
    EXPECT_EQ(title(patch, lfo), "LFO") << "a muted link moves nothing";
    EXPECT_EQ(connections(patch, lfo), "moves nothing yet");
}

TEST(ModuleWords, CountWhatHasNoRoom) {
    Patch patch;
    patch.add(lfo);
    for (const char* to : {"layer:a/filter:a/cutoff", "layer:a/source:a/cents", "layer:a/level"})
        testing::link(patch, lfo, to, 1.0);
    const std::string words = connections(patch, lfo);
    EXPECT_NE(words.find("and 2 more"), std::string::npos) << words;
}

TEST(ModuleWords, SayWhereASourceGoes) {
    Patch patch;
    EXPECT_FALSE(connections(patch, sourceA).empty());
    EXPECT_EQ(connections(patch, sourceB), "") << "one that is off goes nowhere";
    patch.set({sourceB, "on"}, 1.0);
    testing::link(patch, sourceB, sourceA + "/phase", 40.0);
    EXPECT_NE(connections(patch, sourceB).find("moves Source 1 start phase"), std::string::npos)
        << connections(patch, sourceB);
    patch.set({sourceB, "level"}, -60.0);
    EXPECT_EQ(connections(patch, sourceB).rfind("moves", 0), 0u) << "one that is not heard only moves";
}

TEST(ModuleWords, NameTheEndsOfALink) {
    Patch patch;
    patch.add("macro:a");
    testing::link(patch, "macro:a", "layer:a/source:a/level", -12.0);
    EXPECT_EQ(connections(patch, "link:a"), "Macro moves Source 1 level");
    patch.add("link:b");
    EXPECT_EQ(connections(patch, "link:b"), "moves nothing yet");
}

TEST(ModuleWords, SayWhatAnEffectStandsOnAndWhatArrivesThere) {
    Patch patch;
    patch.add("compressor:a");
    patch.set({"compressor:a", "on"}, 1.0);
    EXPECT_EQ(connections(patch, "compressor:a"), "");
    patch.set({"compressor:a", "chain"}, static_cast<double>(Chain::send));
    EXPECT_EQ(connections(patch, "compressor:a"), "on the send bus");
    StageReading stage;
    stage.peakDb = -6.0;
    stage.loudDb = -12.0;
    stage.reduction = StageReading::Reduction{8.0, 3.0};
    const std::string both = connections(patch, "compressor:a", {}, &stage);
    EXPECT_EQ(both.rfind("on the send bus · ", 0), 0u) << both;
    EXPECT_NE(both.find("8"), std::string::npos) << both;
}

TEST(ModuleWords, WarnOfTooFewVoices) {
    Patch patch;
    patch.set({"voicing", "voices"}, 2.0);
    Performance chord = testing::oneNote(60, 0.0, 1.0, 1.5);
    for (int key : {64, 67, 71}) chord.notes.push_back({0.0, 1.0, key, 0.0, 100.0});
    chord.normalize();
    EXPECT_EQ(connections(patch, "voicing", chord), "the phrase needs 4 voices");
    patch.set({"voicing", "voices"}, 4.0);
    EXPECT_EQ(connections(patch, "voicing", chord), "");
}

TEST(ModuleWords, LeaveOutTheLayerWhoseLinesTheseAre) {
    Patch patch;
    patch.add("layer:b");
    const std::string path = "layer:b/source:a";
    const std::string whole = patch.labelOf(*patch.find(path));
    EXPECT_NE(whole.find('('), std::string::npos) << whole << ": with two layers a label says whose it is";
    EXPECT_EQ(title(patch, path).find('('), std::string::npos) << title(patch, path);
    EXPECT_EQ(withoutLayerName(patch, "macro:a", "Macro 1").toStdString(), "Macro 1") << "of no layer";
}

} // namespace
} // namespace facet
