// A patch in the parts that producers set in one go, and what is said of each.
#include "core/engine/compile/graph.h"
#include "core/engine/render.h"
#include "core/parameters/part_words.h"
#include "core/parameters/relevance.h"
#include "core/parameters/signal_parts.h"
#include "tests/support/fixtures.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", second = "layer:a/source:b", filter = "layer:a/filter:a";

std::set<std::string> idsOf(const std::vector<SignalPart>& parts) {
    std::set<std::string> ids;
    for (const SignalPart& each : parts) ids.insert(each.id);
    return ids;
}

/// What is said of the part at a place; empty where the patch has none.
std::string said(const Patch& patch, PartPlace place) {
    for (const SignalPart& each : partsOf(patch))
        if (each.place == place) return wordsOf(each, patch);
    return {};
}

/// A bass as somebody would build it: two saws, a filter that closes, a stack, vibrato, an echo.
Patch builtPatch() {
    Patch patch;
    patch.set({second, "on"}, 1.0);
    patch.set({second, "octave"}, -1.0);
    for (const std::string& each : {source, second}) {
        patch.set({each, "voices"}, 7.0);
        patch.set({each, "detune"}, 14.2);
        patch.set({each, "spread"}, 80.0);
    }
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "cutoff"}, 166.0);
    patch.set({filter, "envelope"}, 40.0);
    patch.set({filter, "velocity"}, 9.0);
    patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
    patch.set({"layer:a/envelope:filter", "decay"}, 283.0);
    patch.set({"layer:a/envelope:level", "attack"}, 420.0);
    patch.set({"layer:a/envelope:level", "attack_curve"}, 60.0);
    patch.set({"voicing", "mode"}, static_cast<double>(VoiceMode::mono));
    patch.set({"voicing", "glide"}, 80.0);
    patch.add("layer:a/lfo:a");
    patch.set({"layer:a/lfo:a", "rate"}, 5.6);
    patch.set({"layer:a/lfo:a", "fade"}, 250.0);
    testing::link(patch, "layer:a/lfo:a", source + "/cents", 30.0);
    testing::link(patch, "layer:a/lfo:a", second + "/cents", 30.0);
    patch.add("delay:a");
    patch.set({"delay:a", "on"}, 1.0);
    patch.set({"delay:a", "time"}, 375.0);
    patch.set({"delay:a", "feedback"}, 35.0);
    patch.set({"delay:a", "cross"}, 1.0);
    patch.set({"output", "level"}, -6.0);
    return patch;
}

TEST(SignalParts, TheEmptyPatchHasNone) {
    EXPECT_TRUE(partsOf(Patch()).empty());
    EXPECT_TRUE(withParts(Patch(), {}).soundsLike(Patch()));
}

TEST(SignalParts, StandInTheOrderOfTheSignalPath) {
    const auto parts = partsOf(builtPatch());
    std::vector<PartPlace> places;
    for (const SignalPart& each : parts) places.push_back(each.place);
    EXPECT_EQ(places,
              (std::vector{PartPlace::sources, PartPlace::stack, PartPlace::filter, PartPlace::level, PartPlace::touch,
                           PartPlace::glide, PartPlace::pitchMotion, PartPlace::effect, PartPlace::output}));
}

TEST(SignalParts, AreToldInWordsOfTheTrade) {
    const Patch patch = builtPatch();
    EXPECT_EQ(said(patch, PartPlace::sources), "Two saws an octave apart");
    EXPECT_EQ(said(patch, PartPlace::stack), "Stack 7 voices, ±14 ct, 80 % wide");
    EXPECT_EQ(said(patch, PartPlace::filter), "Close the filter: low-pass 24 dB, 1.7 kHz → 170 Hz in 280 ms");
    EXPECT_EQ(said(patch, PartPlace::level), "Attack 420 ms, curved, release 2 ms");
    EXPECT_EQ(said(patch, PartPlace::touch), "Harder is brighter: 9 st of cutoff");
    EXPECT_EQ(said(patch, PartPlace::glide), "Mono, glide 80 ms");
    EXPECT_EQ(said(patch, PartPlace::pitchMotion), "Vibrato 5.6 Hz, ±30 ct, after 250 ms");
    EXPECT_EQ(said(patch, PartPlace::effect), "Repeat every 375 ms, 35 % back, from side to side, mix 35 %");
}

TEST(SignalParts, TellRarerThingsToo) {
    Patch patch;
    patch.set({source, "wave"}, static_cast<double>(Wave::sine));
    patch.set({second, "on"}, 1.0);
    patch.set({second, "wave"}, static_cast<double>(Wave::sine));
    patch.set({second, "level"}, -60.0);
    patch.set({second, "ratio_over"}, 2.0);
    testing::link(patch, second, source + "/phase", 120.0);
    EXPECT_EQ(said(patch, PartPlace::sources), "Sine");
    EXPECT_EQ(said(patch, PartPlace::modulation), "A sine at 2 : 1 moves the phase by 120°");

    Patch noisy;
    noisy.set({second, "on"}, 1.0);
    noisy.set({second, "wave"}, static_cast<double>(Wave::noise));
    noisy.set({second, "level"}, -24.0);
    EXPECT_EQ(said(noisy, PartPlace::noise), "White noise, −24 dB");

    Patch opening;
    opening.set({filter, "on"}, 1.0);
    opening.set({filter, "slope"}, static_cast<double>(FilterSlope::twoPole));
    opening.set({filter, "cutoff"}, 400.0);
    opening.set({filter, "envelope"}, 24.0);
    opening.set({"layer:a/envelope:filter", "attack"}, 900.0);
    opening.set({"layer:a/envelope:filter", "sustain"}, 100.0);
    EXPECT_EQ(said(opening, PartPlace::filter), "Open the filter: low-pass 12 dB, 400 Hz → 1.6 kHz in 900 ms");

    Patch falling;
    falling.add("layer:a/envelope:a");
    falling.set({"layer:a/envelope:a", "attack"}, 0.0);
    falling.set({"layer:a/envelope:a", "decay"}, 60.0);
    falling.set({"layer:a/envelope:a", "sustain"}, 0.0);
    testing::link(falling, "layer:a/envelope:a", source + "/semitone", 12.0);
    EXPECT_EQ(said(falling, PartPlace::pitchMotion), "Pitch falls by 12 st in 60 ms");

    Patch gated;
    gated.add("layer:a/lfo:a");
    gated.set({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::drawn));
    gated.set({"layer:a/lfo:a", "rate"}, 2.0);
    ModuleData steps;
    for (int i = 0; i < 4; ++i) {
        steps.shape.push_back({0.25 * i, 1.0 - 0.25 * i});
        steps.shape.push_back({0.25 * i + 0.24, 1.0 - 0.25 * i});
    }
    gated.setData("layer:a/lfo:a", steps);
    testing::link(gated, "layer:a/lfo:a", source + "/amplitude", 50.0);
    EXPECT_EQ(said(gated, PartPlace::levelMotion), "Gate of 4 steps in 500 ms, falling");
}

TEST(SignalParts, AllTogetherAreThePatchAndNoneIsTheEmptyOne) {
    for (const std::string& name : testing::fixtureNames()) {
        const Patch patch = testing::fixturePatch(name);
        const auto parts = partsOf(patch);
        EXPECT_EQ(withParts(patch, idsOf(parts)), patch) << name;
        EXPECT_TRUE(withParts(patch, {}).soundsLike(Patch())) << name;
        // Each value and module stands in one part.
        std::map<std::string, int> modules;
        std::map<Address, int> values;
        for (const SignalPart& each : parts) {
            for (const std::string& path : each.modules) ++modules[path];
            for (const Address& address : each.values) ++values[address];
            EXPECT_FALSE(wordsOf(each, patch).empty()) << name << " " << each.id;
        }
        for (const auto& [path, times] : modules) EXPECT_EQ(times, 1) << name << " " << path;
        for (const auto& [address, times] : values) EXPECT_EQ(times, 1) << name << " " << address.text();
    }
}

TEST(SignalParts, EveryBeginningOfAFixtureCanBeRendered) {
    for (const std::string& name : testing::fixtureNames()) {
        const Patch patch = testing::fixturePatch(name);
        std::set<std::string> ids;
        for (const SignalPart& each : partsOf(patch)) {
            ids.insert(each.id);
            EXPECT_NO_THROW(compile(withParts(patch, ids))) << name << " up to " << each.id;
        }
    }
}

TEST(SignalParts, OnePartGoesOverToAnotherPatch) {
    const Patch from = builtPatch();
    Patch onto;
    onto.add("layer:a/lfo:a"); // the key is taken there
    onto.set({"layer:a/lfo:a", "rate"}, 1.0);
    testing::link(onto, "layer:a/lfo:a", filter + "/cutoff", 12.0);
    onto.set({filter, "resonance"}, 20.0);
    for (const SignalPart& part : partsOf(from)) {
        const Patch with = withPartOf(onto, from, part);
        EXPECT_EQ(with.value({"layer:a/lfo:a", "rate"}), 1.0) << "what was there moves as before";
        switch (part.place) {
        case PartPlace::pitchMotion:
            EXPECT_EQ(said(with, PartPlace::pitchMotion), "Vibrato 5.6 Hz, ±30 ct, after 250 ms");
            EXPECT_EQ(said(with, PartPlace::filterMotion), "LFO on the cutoff: 1 Hz, ±12 st");
            break;
        case PartPlace::filter:
            EXPECT_EQ(with.value({filter, "cutoff"}), 166.0);
            EXPECT_EQ(with.value({filter, "resonance"}), -3.0) << "what the other leaves alone is as there";
            break;
        case PartPlace::effect: EXPECT_EQ(with.value({"delay:a", "time"}), 375.0); break;
        default: break;
        }
    }
}

TEST(SignalParts, SettingsAreRoundedAndOnlyWhatIsHeard) {
    const Patch patch = builtPatch();
    std::map<std::string, std::string> set;
    for (const SignalPart& each : partsOf(patch))
        for (const PartSetting& setting : settingsOf(each, patch)) {
            EXPECT_FALSE(set.contains(setting.label)) << setting.label;
            set[setting.label] = setting.text;
        }
    EXPECT_EQ(set.at("Filter cutoff"), "170 Hz");
    EXPECT_EQ(set.at("Filter"), "on");
    EXPECT_EQ(set.at("Source 1 detune"), "14 ct");
    EXPECT_EQ(set.at("LFO to source 1 cents"), "+30 ct");
    EXPECT_EQ(set.at("Delay time"), "375 ms") << "told though it is the default, and to the beat";
    EXPECT_FALSE(set.contains("Source 1 pulse width")) << "a saw has none";
    EXPECT_FALSE(set.contains("Level envelope decay")) << "it leads nowhere";
    EXPECT_FALSE(set.contains("Delay low cut")) << "as it is by default";
    EXPECT_EQ(roundedText(patch.descriptor({filter, "cutoff"}), 1722.0), "1.7 kHz");
    EXPECT_EQ(roundedText(patch.descriptor({"layer:a/envelope:level", "decay"}), 384.0), "380 ms");
}

TEST(SignalParts, FeedbackAroundFiltersThatAreOffIsInert) {
    Patch open;
    const Address feedback{"layer:a", "feedback"};
    EXPECT_FALSE(matters(open, *open.find("layer:a"), open.descriptor(feedback)));
    Patch fed = open;
    fed.set(feedback, 90.0);
    const Performance phrase = testing::fixturePhrase();
    EXPECT_EQ(render(open, phrase).channels, render(fed, phrase).channels);
    open.set({filter, "on"}, 1.0);
    fed.set({filter, "on"}, 1.0);
    open.set({filter, "cutoff"}, 800.0);
    fed.set({filter, "cutoff"}, 800.0);
    EXPECT_TRUE(matters(open, *open.find("layer:a"), open.descriptor(feedback)));
    EXPECT_NE(render(open, phrase).channels, render(fed, phrase).channels);
}

} // namespace
} // namespace facet
