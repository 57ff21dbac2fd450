// The elements of construction: read from patches, taken out of them, ruled out, and heard.
#include "core/base/error.h"
#include "core/match/heard_elements.h"
#include "core/match/proposals/added_element.h"
#include "core/parameters/elements.h"
#include "core/parameters/patch_json.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <algorithm>
#include <gtest/gtest.h>
#include <set>

namespace facet {
namespace {

using testing::link;

std::set<Element> namesOf(const Patch& patch) {
    std::set<Element> names;
    for (const PatchElement& each : elementsOf(patch)) names.insert(each.element);
    return names;
}

/// A gated stack over a moved pulse, through a low-pass that an envelope moves, in chorus and a hall.
Patch rich() {
    Patch patch;
    patch.set({"layer:a/source:a", "voices"}, 5.0);
    patch.set({"layer:a/source:b", "on"}, 1.0);
    patch.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::pulse));
    patch.set({"layer:a/source:b", "octave"}, -1.0);
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 600.0);
    patch.set({"layer:a/filter:a", "envelope"}, 36.0);
    patch.set({"layer:a/filter:a", "velocity"}, 12.0);
    patch.set({"layer:a", "velocity"}, 9.0);
    for (const char* path : {"layer:a/lfo:a", "layer:a/lfo:b", "chorus:a", "reverb:a"}) patch.add(path);
    patch.set({"chorus:a", "on"}, 1.0);
    patch.set({"reverb:a", "on"}, 1.0);
    patch.set({"layer:a/lfo:b", "shape"}, static_cast<double>(LfoShape::square));
    link(patch, "layer:a/lfo:a", "layer:a/source:b/width", 20.0);
    link(patch, "layer:a/lfo:b", "layer:a/level", -20.0);
    return patch;
}

TEST(Elements, HaveUniqueWordsThatAreReadBack) {
    std::set<std::string_view> words;
    for (int i = 0; i < elementCount; ++i) {
        const auto element = static_cast<Element>(i);
        EXPECT_TRUE(words.insert(wordOf(element)).second) << wordOf(element);
        EXPECT_EQ(elementOfWord(wordOf(element)), element);
    }
    EXPECT_EQ(elementsOfWords(" chorus , second source"), (std::set{Element::chorus, Element::otherSource}));
    EXPECT_TRUE(elementsOfWords("effects").contains(Element::reverb));
    EXPECT_FALSE(elementsOfWords("effects").contains(Element::lowPass));
    try {
        elementsOfWords("chorus, wobble");
        ADD_FAILURE();
    } catch (const Error& error) {
        EXPECT_NE(std::string(error.what()).find("“wobble”"), std::string::npos);
        EXPECT_NE(std::string(error.what()).find("low-pass"), std::string::npos) << "says which there are";
    }
}

TEST(Elements, AreReadFromAnyPatch) {
    EXPECT_EQ(namesOf(Patch()), std::set{Element::saw});
    EXPECT_EQ(namesOf(rich()),
              (std::set{Element::saw, Element::stacked, Element::pulse, Element::otherSource, Element::movedWidth,
                        Element::lowPass, Element::sweptFilter, Element::velocityToFilter, Element::velocityToLevel,
                        Element::gate, Element::chorus, Element::reverb}));
    Patch fm;
    fm.set({"layer:a/source:b", "on"}, 1.0);
    fm.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::sine));
    fm.set({"layer:a/source:b", "level"}, -60.0);
    link(fm, "layer:a/source:b", "layer:a/source:a/phase", 90.0);
    EXPECT_EQ(namesOf(fm), std::set{Element::fm}) << "what is heard through what it does alone is no source";
    Patch two;
    two.set({"layer:a/source:b", "on"}, 1.0);
    two.set({"layer:a/source:b", "wave"}, two.value({"layer:a/source:a", "wave"}));
    two.set({"layer:a/source:b", "cents"}, 9.0);
    EXPECT_EQ(namesOf(two), (std::set{Element::saw, Element::detunedSources}));
    Patch vowel;
    vowel.add("layer:a/filter:b");
    vowel.set({"layer:a", "routing"}, static_cast<double>(FilterRouting::parallel));
    for (const char* path : {"layer:a/filter:a", "layer:a/filter:b"}) {
        vowel.set({path, "on"}, 1.0);
        vowel.set({path, "kind"}, static_cast<double>(FilterKind::bandPass));
    }
    EXPECT_EQ(namesOf(vowel), (std::set{Element::saw, Element::formants}));
}

TEST(Elements, AreTakenOutOneByOne) {
    const Patch patch = rich();
    const std::set<Element> before = namesOf(patch);
    for (const PatchElement& each : elementsOf(patch)) {
        ASSERT_TRUE(each.without) << wordOf(each.element);
        const std::set<Element> after = namesOf(*each.without);
        EXPECT_FALSE(after.contains(each.element)) << wordOf(each.element);
        // Nothing new comes in its place; what belonged to it goes along.
        EXPECT_TRUE(std::includes(before.begin(), before.end(), after.begin(), after.end())) << wordOf(each.element);
    }
}

TEST(Elements, MoveOverThePhraseByCurvesToo) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    const std::vector<std::string> curves{"layer:a/filter:a/cutoff"};
    const auto elements = elementsOf(patch, curves);
    EXPECT_TRUE(std::any_of(elements.begin(), elements.end(),
                            [](const PatchElement& each) { return each.element == Element::filterOpens; }));
}

TEST(RuledOut, IsNothingOfAPatchAnyMore) {
    const std::set<Element> unwanted{Element::pulse, Element::stacked, Element::gate, Element::reverb};
    const std::set<Element> left = namesOf(withoutElements(rich(), unwanted));
    for (const Element each : unwanted) EXPECT_FALSE(left.contains(each)) << wordOf(each);
    EXPECT_TRUE(left.contains(Element::chorus));
    EXPECT_TRUE(left.contains(Element::sweptFilter));
    // The only source has to play something else.
    const std::set<Element> other = namesOf(withoutElements(Patch(), {Element::saw}));
    ASSERT_EQ(other.size(), 1u);
    EXPECT_FALSE(other.contains(Element::saw));
    EXPECT_TRUE(withoutElements(rich(), {}).soundsLike(rich()));
}

TEST(HeardElements, CountOnlyWhereTheyChangeTheSound) {
    Patch patch = rich();
    patch.add("equalizer:a");
    patch.set({"equalizer:a", "on"}, 1.0); // flat: there, but not heard
    Performance phrase = testing::oneNote(45, 0.05, 0.9, 2.2, 48000, 2);
    phrase.notes.push_back({1.1, 1.7, 57, 0.0, 50.0});
    phrase.normalize();
    const auto elements = heardElements(patch, phrase, 2);
    const auto costOf = [&](Element element) {
        const auto found = std::find_if(elements.begin(), elements.end(),
                                        [&](const HeardElement& each) { return each.element.element == element; });
        return found == elements.end() ? -1.0 : found->cost;
    };
    EXPECT_LT(costOf(Element::equalizer), leastHeardCost);
    EXPECT_GE(costOf(Element::equalizer), 0.0);
    for (const Element heard : {Element::lowPass, Element::sweptFilter, Element::gate, Element::reverb})
        EXPECT_GT(costOf(heard), leastHeardCost) << wordOf(heard);
    const auto again = heardElements(patch, phrase, 1);
    ASSERT_EQ(again.size(), elements.size());
    for (std::size_t i = 0; i < again.size(); ++i) EXPECT_EQ(again[i].cost, elements[i].cost);
}

TEST(AddedElements, AreThereAfterwardsAndNothingElseIsGone) {
    for (const Patch& patch : {Patch(), rich()})
        for (int i = 0; i < elementCount; ++i) {
            const auto element = static_cast<Element>(i);
            const Patch with = withElements(patch, {element});
            EXPECT_EQ(namesOf(with).contains(element), canBeAdded(element) || namesOf(patch).contains(element))
                << wordOf(element);
            EXPECT_TRUE(withElements(with, {element}).soundsLike(with)) << wordOf(element) << ": once is enough";
            // A wave takes a wave's place; formants take the place of the filter that stood there.
            constexpr auto waves = static_cast<int>(Element::sample);
            if (i <= waves || element == Element::fm || element == Element::feedbackFm || element == Element::sync ||
                element == Element::formants || element == Element::movedWidth || element == Element::ring ||
                (element >= Element::lowPass && element <= Element::allPass) || element == Element::gate ||
                element == Element::tremolo)
                continue;
            for (const Element before : namesOf(patch))
                EXPECT_TRUE(namesOf(with).contains(before)) << wordOf(element) << " took out " << wordOf(before);
        }
}

TEST(AddedElements, StandBesideEachOther) {
    const std::set<Element> wanted =
        elementsOfWords("pulse, sine, noise, low-pass, high-pass, vibrato, chorus, reverb, velocity to level");
    const std::set<Element> made = namesOf(withElements(Patch(), wanted));
    for (const Element each : wanted) EXPECT_TRUE(made.contains(each)) << wordOf(each);
    EXPECT_FALSE(made.contains(Element::saw)) << "a wave that nobody wants makes room";
    EXPECT_TRUE(withElements(rich(), {}).soundsLike(rich()));
}

TEST(AddedElements, AreLeftOutWhereThereIsNoRoom) {
    Patch full;
    for (int i = 0; i < 2; ++i) full.add(full.freePath(ModuleKind::source, "layer:a"));
    for (const char* source : {"a", "b", "c", "d"}) full.set({std::string("layer:a/source:") + source, "on"}, 1.0);
    EXPECT_NO_THROW(withElements(full, elementsOfWords("fm, ring, noise, second source")));
}

TEST(HeardElements, CountWhatACurveOfThePerformanceMoves) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 300.0);
    Performance performance = testing::oneNote(45, 0.0, 1.4, 1.6);
    performance.setCurve({"layer:a/filter:a/cutoff", {{0.0, 0.4}, {1.4, 0.85}}});
    const auto elements = heardElements(patch, performance, 2);
    const auto opens = std::find_if(elements.begin(), elements.end(), [](const HeardElement& each) {
        return each.element.element == Element::filterOpens;
    });
    ASSERT_NE(opens, elements.end());
    EXPECT_EQ(opens->element.curve, "layer:a/filter:a/cutoff");
    EXPECT_GT(opens->cost, 5.0);
    EXPECT_TRUE(withoutCurve(performance, opens->element.curve).curves.empty());
}

} // namespace
} // namespace facet
