// How a patch reads, and what its modules look like.
#include "core/base/error.h"
#include "core/engine/preview.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/reading.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <filesystem>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a";

std::string told(const Patch& patch, const std::string& path, std::size_t most = 6) {
    std::string line;
    for (const ToldValue& value : toldValues(patch, *patch.find(path), most))
        line += value.label + " " + value.value + "; ";
    return line;
}

TEST(Reading, TellsWhatAModuleIsKnownByAndWhatWasChanged) {
    Patch patch;
    EXPECT_EQ(told(patch, source), "wave saw; level 0 dB; ");
    patch.set({source, "octave"}, -1.0);
    patch.set({source, "voices"}, 5.0);
    EXPECT_EQ(told(patch, source), "wave saw; octave −1 oct; level 0 dB; stacked voices 5; ");
    EXPECT_EQ(told(patch, source, 3), "wave saw; octave −1 oct; level 0 dB; ") << "what it is known by has room first";
    EXPECT_EQ(told(patch, "layer:a/envelope:level"), "attack 2 ms; decay 500 ms; sustain 100 %; release 2 ms; ");
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "kind"}, static_cast<double>(FilterKind::comb));
    EXPECT_EQ(told(patch, filter).find("resonance"), std::string::npos) << "a comb has none";
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
    ASSERT_EQ(movementsOf(patch).size(), 1u) << "the level envelope alone";
    EXPECT_EQ(targetLabel(patch, movementsOf(patch)[0]), "layer level");
    EXPECT_EQ(amountLabel(patch, movementsOf(patch)[0]), "");
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
    for (const Movement& m : movementsOf(patch))
        all += moverLabel(patch, m) + " moves " + targetLabel(patch, m) + " " + amountLabel(patch, m) +
               (m.muted ? " (muted)" : "") + "; ";
    EXPECT_EQ(all, "Level envelope moves layer level ; Filter envelope moves Filter cutoff +24 st; "
                   "Velocity moves Filter cutoff 6 st; LFO moves Source 1 cents +15 ct (muted); ");
    EXPECT_EQ(targetLabel(patch, movementsOf(patch).back(), source), "cents") << "at home";
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

TEST(Pictures, CanBeMadeOfEveryFixture) {
    const auto folder = std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches";
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        SCOPED_TRACE(entry.path().filename().string());
        const Patch patch = readPatch(entry.path());
        for (const auto& module : patch.modules()) {
            EXPECT_LE(toldValues(patch, module, 7).size(), 7u);
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
        for (const Movement& m : movementsOf(patch)) {
            EXPECT_FALSE(moverLabel(patch, m).empty());
            EXPECT_FALSE(targetLabel(patch, m).empty());
        }
    }
}

} // namespace
} // namespace facet
