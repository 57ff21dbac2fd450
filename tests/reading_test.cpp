// How a patch reads, and what its modules look like.
#include "core/base/error.h"
#include "core/engine/inspect/preview.h"
#include "core/engine/render.h"
#include "core/engine/inspect/stage.h"
#include "core/parameters/changes.h"
#include "core/parameters/find.h"
#include "core/parameters/partial_table.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/reading.h"
#include "core/parameters/sections.h"
#include "core/parameters/value_entry.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a";

std::string shown(const Patch& patch, const std::string& path, std::size_t most = 6) {
    std::string line;
    for (const ImportantValue& value : importantValues(patch, *patch.find(path), most))
        line += value.label + " " + value.value + "; ";
    return line;
}

TEST(Reading, TellsWhatAModuleIsKnownByAndWhatWasChanged) {
    Patch patch;
    EXPECT_EQ(shown(patch, source), "wave saw; level 0 dB; ");
    patch.set({source, "octave"}, -1.0);
    patch.set({source, "voices"}, 5.0);
    EXPECT_EQ(shown(patch, source), "wave saw; octave −1 oct; level 0 dB; stacked voices 5; ");
    EXPECT_EQ(shown(patch, source, 3), "wave saw; octave −1 oct; level 0 dB; ") << "what it is known by has room first";
    EXPECT_EQ(shown(patch, "layer:a/envelope:level"), "attack 2 ms; decay 500 ms; sustain 100 %; release 2 ms; ");
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::comb));
    EXPECT_EQ(shown(patch, filter).find("resonance"), std::string::npos) << "a comb has none";
}

TEST(Reading, TellsWhereSourcesGo) {
    Patch patch;
    const auto goes = [&] { return destinationOf(patch, *patch.find(source)); };
    EXPECT_EQ(goes(), "to the effects") << "the filter is off";
    patch.set({filter, "on"}, 1.0);
    EXPECT_EQ(goes(), "to filter");
    patch.add("layer:a/filter:b");
    patch.set({"layer:a/filter:b", "on"}, 1.0);
    EXPECT_EQ(goes(), "to filter 1");
    patch.set({source, "route"}, static_cast<double>(Route::both));
    EXPECT_EQ(goes(), "to both filters");
    patch.set({source, "route"}, static_cast<double>(Route::pastEffects));
    EXPECT_EQ(goes(), "past filters and effects");
}

TEST(Reading, KnowsWhatMovesWhatBothWays) {
    Patch patch;
    patch.set({filter, "on"}, 1.0);
    ASSERT_EQ(modulationsOf(patch).size(), 1u) << "the level envelope alone";
    EXPECT_EQ(targetLabel(patch, modulationsOf(patch)[0]), "layer level");
    EXPECT_EQ(amountLabel(patch, modulationsOf(patch)[0]), "");
    patch.set({filter, "envelope"}, 24.0);
    patch.set({filter, "velocity"}, 6.0);
    patch.add("layer:a/lfo:a");
    patch.add("link:a");
    ModuleData link;
    link.from = "layer:a/lfo:a";
    link.to = source + "/cents";
    patch.setData("link:a", link);
    patch.set({"link:a", "amount"}, 15.0);
    patch.set({"link:a", "on"}, 0.0);
    std::string all;
    for (const Modulation& m : modulationsOf(patch))
        all += moverLabel(patch, m) + " moves " + targetLabel(patch, m) + " " + amountLabel(patch, m) +
               (m.muted ? " (muted)" : "") + "; ";
    EXPECT_EQ(all, "Level envelope moves layer level ; Filter envelope moves Filter cutoff +24 st; "
                   "Velocity moves Filter cutoff 6 st; LFO moves Source 1 cents +15 ct (muted); ");
    EXPECT_EQ(targetLabel(patch, modulationsOf(patch).back(), source), "cents") << "at home";
}

TEST(Reading, OffersMoversOfTheSameLayerAndSourcesOnlyWhereTheyCanMoveBySample) {
    Patch patch;
    patch.add("layer:b");
    patch.add("layer:b/lfo:a");
    patch.add("layer:a/lfo:a");
    const auto offered = [&](const Address& target, const std::string& path) {
        for (const Mover& mover : moversFor(patch, target))
            if (mover.path == path) return true;
        return false;
    };
    EXPECT_TRUE(offered({source, "cents"}, "layer:a/lfo:a"));
    EXPECT_FALSE(offered({source, "cents"}, "layer:b/lfo:a"));
    EXPECT_TRUE(offered({source, "cents"}, "layer:a/source:b"));
    EXPECT_FALSE(offered({source, "pan"}, "layer:a/source:b"));
    EXPECT_TRUE(offered({"output", "level"}, "layer:b/lfo:a"));
    EXPECT_TRUE(offered({source, "pan"}, "velocity"));
}

TEST(Entries, AreCalculatedAndUnderstandNotes) {
    const Patch patch;
    const auto read = [&](const char* address, const char* text, double present = 0.0, double tempo = 120.0) {
        return readEntry(patch.descriptor(Address::parse(address)), text, {present, tempo}).value_or(-999.0);
    };
    const char* attack = "layer:a/envelope:level/attack";
    const char* cutoff = "layer:a/filter:a/cutoff";
    EXPECT_EQ(read(attack, "280 ms"), 280.0);
    EXPECT_EQ(read(attack, "x2", 35.0), 70.0);
    EXPECT_EQ(read(attack, "×2", 35.0), 70.0);
    EXPECT_EQ(read(attack, "/4", 100.0), 25.0);
    EXPECT_EQ(read(attack, "* 1.5", 100.0), 150.0);
    EXPECT_EQ(read(attack, "250+30"), 280.0);
    EXPECT_EQ(read(attack, "1.2 s / 4"), 300.0);
    EXPECT_EQ(read(attack, "1 s − 20 ms x 2"), 1960.0) << "from left to right";
    EXPECT_EQ(read("layer:a/level", "-12 dB"), -12.0) << "a sign at the beginning is the number's";
    EXPECT_EQ(read("layer:a/level", "-6-3"), -9.0);
    // A quarter note lasts 60000/BPM ms.
    EXPECT_NEAR(read(attack, "1/16", 0.0, 96.0), 156.25, 1e-9);
    EXPECT_NEAR(read(attack, "1/8 dotted", 0.0, 96.0), 468.75, 1e-9);
    // Key numbers and frequencies of the equal-tempered scale at A4 = 440 Hz (MIDI Tuning Standard).
    EXPECT_NEAR(read(cutoff, "A4"), 440.0, 1e-9);
    EXPECT_NEAR(read(cutoff, "c2"), 65.406, 1e-3);
    EXPECT_NEAR(read(cutoff, "F#3"), 184.997, 1e-3);
    EXPECT_NEAR(read(cutoff, "Bb1"), 58.270, 1e-3);
    for (const char* wrong : {"x", "banana", "2 x banana", "/0", "1/0", "C", "5 kHz"})
        EXPECT_EQ(read(attack, wrong, 10.0), -999.0) << wrong;
}

TEST(Find, KnowsNamesAndOtherWordsOfTheTrade) {
    Patch patch;
    patch.set({filter, "on"}, 1.0);
    const auto first = [&](const char* words) {
        const auto found = findParameters(patch, words, 5);
        return found.empty() ? std::string() : found.front().text();
    };
    EXPECT_EQ(first("cutoff"), filter + "/cutoff");
    EXPECT_EQ(first("brightness"), filter + "/cutoff");
    EXPECT_EQ(first("unison"), source + "/voices");
    EXPECT_EQ(first("portamento"), "voicing/glide");
    EXPECT_EQ(first("level att"), "layer:a/envelope:level/attack");
    EXPECT_EQ(first("source 2 cents"), "layer:a/source:b/cents");
    EXPECT_EQ(first(""), "");
    EXPECT_EQ(first("no such thing"), "");
    EXPECT_LE(findParameters(patch, "l", 3).size(), 3u);
}

TEST(Sections, AreCopiedResetAndDrawnAtRandom) {
    Patch patch;
    patch.add("layer:a/filter:b");
    patch.set({filter, "cutoff"}, 700.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::ladder));
    const std::string copied = sectionToText(patch, filter);
    const Patch pasted = withSection(patch, "layer:a/filter:b", copied);
    EXPECT_EQ(pasted.value({"layer:a/filter:b", "cutoff"}), 700.0);
    EXPECT_EQ(pasted.find("layer:a/filter:b")->values, patch.find(filter)->values);
    EXPECT_THROW(withSection(patch, source, copied), Error) << "of another kind";
    EXPECT_THROW(withSection(patch, filter, "some text"), Error);
    EXPECT_THROW(withSection(patch, filter, "{\"format\": \"facet-section\"}"), Error);
    EXPECT_THROW(sectionToText(patch, "layer:q"), Error);
    // What a module holds goes with it.
    ModuleData partials;
    partials.partialsDb = {0.0, -6.0, -12.0};
    patch.setData(source, partials);
    EXPECT_EQ(withSection(patch, "layer:a/source:b", sectionToText(patch, source))
                  .find("layer:a/source:b")
                  ->contents()
                  .partialsDb,
              partials.partialsDb);

    EXPECT_EQ(withDefaults(patch, filter).value({filter, "cutoff"}), Patch().value({filter, "cutoff"}));
    EXPECT_EQ(withModuleOf(patch, filter, Patch()).value({filter, "cutoff"}), Patch().value({filter, "cutoff"}));

    patch.set({filter, "on"}, 1.0);
    const Address cutoff{filter, "cutoff"}, resonance{filter, "resonance"};
    const Patch drawn = withRandomValues(patch, filter, {}, 5);
    EXPECT_NE(drawn.value(cutoff), 700.0);
    EXPECT_EQ(drawn, withRandomValues(patch, filter, {}, 5));
    const Patch locked = withRandomValues(patch, filter, {{cutoff}, {}}, 5);
    EXPECT_EQ(locked.value(cutoff), 700.0);
    EXPECT_EQ(locked.value(resonance), drawn.value(resonance)) << "a lock changes nothing else";
    for (std::uint64_t seed = 0; seed < 50; ++seed) {
        const double hz = withRandomValues(patch, filter, {}, seed).value(cutoff);
        EXPECT_GE(hz, patch.descriptor(cutoff).priorLow);
        EXPECT_LE(hz, patch.descriptor(cutoff).priorHigh);
        const double ranged = withRandomValues(patch, filter, {{}, {{cutoff, {300.0, 400.0}}}}, seed).value(cutoff);
        EXPECT_GE(ranged, 299.9);
        EXPECT_LE(ranged, 400.1);
    }
}

TEST(Changes, AreListedAndTakenBackOneByOne) {
    Patch before;
    before.add("reverb:a");
    before.add("delay:a");
    before.set({filter, "cutoff"}, 800.0);
    before.tie({{{source, "cents"}, {"layer:a/source:b", "cents"}}, false});
    Patch after = before;
    after.set({filter, "cutoff"}, 1200.0);
    after.add("layer:a/lfo:a");
    after.moveEffect("delay:a", 0);
    after.remove("reverb:a");
    after.add("chorus:a");
    after.untie({source, "cents"});
    ModuleData drawn;
    drawn.shape = {{0.0, 0.0}, {1.0, 1.0}};
    after.setData("layer:a/lfo:a", drawn);
    const auto changes = changesBetween(before, after);
    const auto find = [&](const std::string& what) {
        return std::find_if(changes.begin(), changes.end(), [&](const PatchChange& c) { return c.what == what; });
    };
    ASSERT_NE(find("Filter cutoff"), changes.end());
    EXPECT_EQ(find("Filter cutoff")->before, "800 Hz");
    EXPECT_EQ(find("Filter cutoff")->after, "1.2 kHz");
    ASSERT_NE(find("LFO"), changes.end());
    ASSERT_NE(find("Reverb"), changes.end());
    ASSERT_NE(find("Ties"), changes.end());
    EXPECT_EQ(changes.size(), 5u);
    // One taken back leaves the others; all of them lead back to where it was.
    EXPECT_EQ(withoutChange(after, before, *find("Filter cutoff")).value({filter, "cutoff"}), 800.0);
    EXPECT_TRUE(withoutChange(after, before, *find("Filter cutoff")).find("chorus:a"));
    Patch back = after;
    for (const PatchChange& change : changes) back = withoutChange(back, before, change);
    for (const PatchChange& rest : changesBetween(before, back)) back = withoutChange(back, before, rest); // the order
    EXPECT_TRUE(back.soundsLike(before));
    EXPECT_EQ(back.ties(), before.ties());
    EXPECT_TRUE(changesBetween(before, before).empty());

    // What others depend on is told, not broken.
    Patch linked = before;
    linked.add("layer:a/lfo:a");
    linked.add("link:a");
    ModuleData link;
    link.from = "layer:a/lfo:a";
    link.to = filter + "/cutoff";
    linked.setData("link:a", link);
    Patch without = linked;
    without.remove("layer:a/lfo:a"); // and the link with it
    const auto both = changesBetween(linked, without);
    const auto ofLink = std::find_if(both.begin(), both.end(), [](const auto& c) { return c.path == "link:a"; });
    ASSERT_NE(ofLink, both.end());
    EXPECT_THROW(withoutChange(without, linked, *ofLink), Error);
}

TEST(Partials, AreChangedOneByOneAndAllTogether) {
    PartialLevels levels;
    EXPECT_EQ(partialLevel(levels, 1), 0.0) << "a table without levels sounds its fundamental";
    levels = withPartial(levels, 3, -9.0);
    EXPECT_EQ(levels, (PartialLevels{0.0, absentPartialDb, -9.0}));
    levels = withPartial(levels, 3, absentPartialDb);
    EXPECT_EQ(levels, PartialLevels{0.0}) << "nothing absent at the end";
    EXPECT_EQ(withPartial(levels, 2, 5.0)[1], 0.0) << "full scale at most";
    EXPECT_EQ(withPartial(levels, 1, absentPartialDb), PartialLevels{absentPartialDb});
    // A saw's partials fall as 1/n (Fourier series).
    EXPECT_EQ(sawPartials().size(), static_cast<std::size_t>(tablePartials));
    EXPECT_NEAR(sawPartials()[3], -12.04, 0.01);
    const PartialLevels odd = everyOther(sawPartials(), true);
    EXPECT_EQ(partialLevel(odd, 2), absentPartialDb);
    EXPECT_NEAR(partialLevel(odd, 3), -9.54, 0.01);
    EXPECT_EQ(everyOther(sawPartials(), false).size(), 64u);
    EXPECT_NEAR(partialLevel(scaled(sawPartials(), 2.0), 4), -24.08, 0.01) << "as a triangle's, without its gaps";
}

/// Level of the engine's response at a frequency: a sine through the filter against the sine alone.
double measuredGainDb(Patch patch, double hz) {
    patch.set({source, "wave"}, static_cast<double>(Wave::sine));
    patch.set({source, "follow"}, 0.0);
    patch.set({source, "fixed"}, hz);
    patch.set({source, "level"}, -30.0); // small enough for a ladder not to saturate
    const auto level = [&](double on) {
        patch.set({filter, "on"}, on);
        const auto x = render(patch, testing::oneNote(60, 0.0, 1.0, 1.0)).channels[0];
        return testing::componentDb(x, 24000, 16384, hz, 48000.0);
    };
    return level(1.0) - level(0.0);
}

TEST(FilterPicture, IsWhatTheEngineDoes) {
    for (int kind = 0; kind <= static_cast<int>(FilterKind::allPass); ++kind)
        for (double slope : {0.0, 1.0}) {
            Patch patch;
            patch.set({filter, "kind"}, kind);
            patch.set({filter, "slope"}, slope);
            patch.set({filter, "cutoff"}, 1000.0);
            patch.set({filter, "resonance"}, 6.0);
            patch.set({filter, "feedback"}, -60.0);
            const double hz[] = {150.0, 700.0, 1000.0, 1300.0, 4000.0};
            const auto drawn = previewOfFilter(patch, filter, hz);
            for (std::size_t i = 0; i < std::size(hz); ++i) {
                const double measured = measuredGainDb(patch, hz[i]);
                if (measured < -60.0) continue; // the middle of a notch
                EXPECT_NEAR(drawn[i], measured, 0.35)
                    << "kind " << kind << ", slope " << slope << ", " << hz[i] << " Hz";
            }
        }
    // Moved by octaves it is the same further up.
    Patch patch;
    patch.set({filter, "cutoff"}, 500.0);
    const double low[] = {250.0}, high[] = {1000.0};
    EXPECT_NEAR(previewOfFilter(patch, filter, low)[0], previewOfFilter(patch, filter, high, 2.0)[0], 0.05);
}

TEST(SourcePicture, IsOneCycle) {
    Patch patch;
    const auto saw = previewOfSource(patch, source, 100);
    EXPECT_NEAR(saw[0], -1.0f, 1e-5);
    EXPECT_NEAR(saw[50], 0.0f, 1e-5);
    EXPECT_NEAR(saw[99], 0.98f, 1e-5);
    patch.set({source, "wave"}, static_cast<double>(Wave::harmonics));
    ModuleData partials;
    partials.partialsDb = {-120.0, 0.0}; // the octave alone
    patch.setData(source, partials);
    const auto octave = previewOfSource(patch, source, 100);
    for (std::size_t i = 0; i < 50; ++i) EXPECT_NEAR(octave[i], octave[i + 50], 1e-3) << i;
    EXPECT_GT(*std::max_element(octave.begin(), octave.end()), 0.9f);
    // Silent and switched off it is drawn all the same; the second of two is the second.
    patch.set({"layer:a/source:b", "wave"}, static_cast<double>(Wave::sine));
    EXPECT_NEAR(previewOfSource(patch, "layer:a/source:b", 100)[25], 1.0f, 1e-3);
    EXPECT_THROW(previewOfSource(patch, "layer:a/source:x", 100), Error);
    EXPECT_THROW(previewOfSource(patch, filter, 100), Error);
}

TEST(SourcePicture, HasThePartialsOfTheTextbook) {
    // Fourier series of the plain waves: a saw 1/n, a square odd ones as 1/n, a triangle odd ones as 1/n² (R. N.
    // Bracewell, "The Fourier Transform and Its Applications", 3rd ed., 2000).
    Patch patch;
    const auto partials = [&](Wave wave) {
        patch.set({source, "wave"}, static_cast<double>(wave));
        return previewOfPartials(patch, source, 9);
    };
    const auto saw = partials(Wave::saw);
    patch.set({source, "width"}, 50.0);
    const auto square = partials(Wave::pulse), triangle = partials(Wave::triangle), sine = partials(Wave::sine);
    ASSERT_EQ(saw.size(), 9u);
    for (int n = 1; n <= 9; ++n) {
        const auto i = static_cast<std::size_t>(n - 1);
        EXPECT_NEAR(saw[i], -20.0 * std::log10(n), 0.1) << n;
        if (n % 2 == 1) {
            EXPECT_NEAR(square[i], -20.0 * std::log10(n), 0.1) << n;
            EXPECT_NEAR(triangle[i], -40.0 * std::log10(n), 0.1) << n;
        } else {
            EXPECT_LT(square[i], -40.0) << n;
            EXPECT_LT(triangle[i], -60.0) << n;
        }
        if (n > 1) {
            EXPECT_EQ(sine[i], -80.0) << n;
        }
    }
    EXPECT_TRUE(partials(Wave::noise).empty());
}

TEST(ShapePicture, BelongsToTheModuleThatIsAsked) {
    Patch patch;
    patch.add("layer:b");
    patch.add("layer:a/lfo:a");
    patch.add("layer:b/lfo:a");
    patch.add("layer:b/envelope:a");
    patch.set({"layer:b/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    patch.set({"layer:b/envelope:a", "attack"}, 777.0);
    EXPECT_NEAR(previewOfLfo(patch, "layer:b/lfo:a", 101)[30], 1.0f, 1e-6);
    EXPECT_NEAR(previewOfLfo(patch, "layer:a/lfo:a", 101)[25], 1.0f, 1e-3) << "a sine by default";
    EXPECT_NEAR(previewOfEnvelope(patch, "layer:b/envelope:a").attack, 0.777, 1e-9);
    EXPECT_NEAR(previewOfEnvelope(patch, "layer:b/envelope:level").attack, 0.002, 1e-9);
}

/// A sine of a level through one stage that is on.
Patch throughStage(const std::string& stage, double sineDb) {
    Patch patch;
    patch.set({source, "wave"}, static_cast<double>(Wave::sine));
    patch.set({source, "level"}, sineDb);
    if (!patch.find(stage)) patch.add(stage);
    patch.set({stage, "on"}, 1.0);
    return patch;
}

const Performance heldNote = testing::oneNote(57, 0.0, 1.0, 1.2);

TEST(Stages, TellWhatArrivesWhateverComesAfter) {
    Patch patch = throughStage("saturation:a", -12.0);
    patch.set({"output", "level"}, -20.0);
    patch.add("reverb:a");
    patch.set({"reverb:a", "on"}, 1.0);
    const StageReading reading = readStage(patch, "saturation:a", heldNote);
    EXPECT_NEAR(reading.peakDb, -12.0, 0.1);
    EXPECT_NEAR(reading.loudDb, -12.0 - 3.01, 0.1) << "crest factor of a sine: 3.01 dB (IEC 60050-801, from memory)";
    // In front of it, and beside.
    patch.add("saturation:b");
    patch.set({"saturation:b", "on"}, 1.0);
    EXPECT_NE(readStage(patch, "saturation:b", heldNote).peakDb, reading.peakDb) << "behind the first";
    patch.set({"saturation:b", "chain"}, static_cast<double>(Chain::send));
    patch.set({"layer:a", "send"}, -6.0);
    EXPECT_NEAR(readStage(patch, "saturation:b", heldNote).peakDb, -18.0, 0.1);
    patch.set({source, "level"}, -60.0);
    EXPECT_LT(readStage(patch, "saturation:a", heldNote).peakDb, -100.0);
    EXPECT_TRUE(readStage(patch, "saturation:a", heldNote).addedDb.empty());
}

TEST(Stages, AtAFilterAreWhatItsSourcesGiveIt) {
    Patch patch = throughStage(filter, -6.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::ladder));
    // Neither the envelope nor the layer's level nor an effect stands before the filter.
    patch.set({"layer:a/envelope:level", "attack"}, 900.0);
    patch.set({"layer:a", "level"}, -30.0);
    patch.add("saturation:a");
    patch.set({"saturation:a", "on"}, 1.0);
    EXPECT_NEAR(readStage(patch, filter, heldNote).peakDb, -6.0, 0.1);
    // What goes past it does not arrive; what goes into the other one arrives behind that only.
    const std::string second = "layer:a/source:b";
    patch.set({second, "on"}, 1.0);
    patch.set({second, "wave"}, static_cast<double>(Wave::sine));
    patch.set({second, "octave"}, 2.0);
    patch.set({second, "route"}, static_cast<double>(Route::pastFilters));
    EXPECT_NEAR(readStage(patch, filter, heldNote).peakDb, -6.0, 0.1);
    patch.set({second, "route"}, static_cast<double>(Route::filter1));
    EXPECT_GT(readStage(patch, filter, heldNote).peakDb, -3.0);
    // Chords: one note, as the filter of each voice gets it.
    Performance chord = heldNote;
    chord.notes.push_back({0.0, 1.0, 61, 0.0, 100.0});
    chord.notes.push_back({0.0, 1.0, 64, 0.0, 100.0});
    patch.set({second, "on"}, 0.0);
    EXPECT_NEAR(readStage(patch, filter, chord).peakDb, -6.0, 0.1);
}

TEST(Stages, AddWhatTheirCurveSays) {
    // y = x − 4/27 x³ of a sine of amplitude a makes a third partial of a³/27 beside a first of a − a³/9 (power
    // reduction of sin³), and no other.
    Patch patch = throughStage("saturation:a", 0.0);
    patch.set({"saturation:a", "curve"}, static_cast<double>(SaturationCurve::cubic));
    patch.set({"saturation:a", "drive"}, 0.0);
    const auto added = readStage(patch, "saturation:a", heldNote).addedDb;
    ASSERT_GE(added.size(), 8u);
    EXPECT_NEAR(added[1], 20.0 * std::log10((1.0 / 27.0) / (1.0 - 1.0 / 9.0)), 0.1);
    for (std::size_t n : {0u, 2u, 3u, 5u}) EXPECT_LT(added[n], -70.0) << n;
    patch.set({"saturation:a", "drive"}, 12.0);
    EXPECT_GT(readStage(patch, "saturation:a", heldNote).addedDb[1], added[1] + 6.0) << "more when driven";
    // A ladder saturates as it is driven.
    Patch ladder = throughStage(filter, 0.0);
    ladder.set({filter, "kind"}, static_cast<double>(FilterKind::ladder));
    ladder.set({filter, "cutoff"}, 8000.0);
    const auto clean = readStage(ladder, filter, heldNote).addedDb;
    ladder.set({filter, "drive"}, 18.0);
    EXPECT_GT(readStage(ladder, filter, heldNote).addedDb[1], clean[1] + 10.0);
}

TEST(Stages, TellHowFarLevelsAreHeldDown) {
    // The static curve of a compressor: (level − threshold) (1 − 1/ratio), D. Giannoulis, M. Massberg, J. D. Reiss,
    // "Digital dynamic range compressor design", J. Audio Eng. Soc. 60 (6), 2012.
    Patch patch = throughStage("compressor:a", -6.0);
    for (const auto& [field, value] : {std::pair("threshold", -26.0), {"ratio", 4.0}, {"knee", 0.0}, {"attack", 1.0}})
        patch.set({"compressor:a", field}, value);
    const StageReading reading = readStage(patch, "compressor:a", heldNote);
    ASSERT_TRUE(reading.reduction);
    EXPECT_NEAR(reading.reduction->most, 20.0 * 0.75, 0.5);
    EXPECT_GT(reading.reduction->mean, 5.0);
    EXPECT_LT(reading.reduction->mean, reading.reduction->most);
    patch.set({"compressor:a", "threshold"}, 0.0);
    EXPECT_LT(readStage(patch, "compressor:a", heldNote).reduction->most, 0.1);
    EXPECT_FALSE(readStage(throughStage("saturation:a", 0.0), "saturation:a", heldNote).reduction);
}

TEST(Stages, AreThoseThatDependOnLevelAndAreOn) {
    Patch patch = throughStage("saturation:a", 0.0);
    patch.add("chorus:a");
    patch.set({"chorus:a", "on"}, 1.0);
    EXPECT_TRUE(dependsOnLevel(patch, *patch.find("saturation:a")));
    EXPECT_FALSE(dependsOnLevel(patch, *patch.find("chorus:a")));
    EXPECT_FALSE(dependsOnLevel(patch, *patch.find(filter))) << "off, and a clean kind";
    patch.set({"saturation:a", "on"}, 0.0);
    EXPECT_FALSE(dependsOnLevel(patch, *patch.find("saturation:a")));
}

TEST(Pictures, CanBeMadeOfEveryFixture) {
    const auto folder = std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches";
    int count = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        SCOPED_TRACE(entry.path().filename().string());
        ++count;
        const Patch patch = readPatch(entry.path());
        for (const auto& module : patch.modules()) {
            EXPECT_LE(importantValues(patch, module, 7).size(), 7u);
            const double hz[] = {20.0, 1000.0, 20000.0};
            if (module.kind == ModuleKind::source) {
                for (float v : previewOfSource(patch, module.path, 64)) ASSERT_LE(std::abs(v), 1.21f);
            } else if (module.kind == ModuleKind::lfo) {
                for (float v : previewOfLfo(patch, module.path, 64)) ASSERT_LE(std::abs(v), 1.001f);
            } else if (module.kind == ModuleKind::envelope) {
                EXPECT_GE(previewOfEnvelope(patch, module.path).decay, 0.0);
            } else if (module.kind == ModuleKind::filter) {
                for (double db : previewOfFilter(patch, module.path, hz)) ASSERT_TRUE(std::isfinite(db));
            }
        }
        for (const Modulation& m : modulationsOf(patch)) {
            EXPECT_FALSE(moverLabel(patch, m).empty());
            EXPECT_FALSE(targetLabel(patch, m).empty());
        }
    }
    EXPECT_GT(count, 10) << "there are fixtures";
}

} // namespace
} // namespace facet
