// What was measured to move, made in a patch and measured again: there and back through engine and analysis.
#include "core/engine/render.h"
#include "core/match/starts/spectral_envelope_starts.h"
#include "core/match/evidence/spectral_envelope_motion.h"

#include <cmath>
#include <gtest/gtest.h>

namespace facet {
namespace {

using Family = SpectralEnvelopeMotion::Family;
using Course = SpectralEnvelopeMotion::Course;

Performance twoNotes() {
    Performance played;
    played.notes = {{0.05, 1.55, 45, 0.0, 100.0}, {1.65, 3.15, 52, 0.0, 100.0}};
    played.rateHz = 48000;
    played.frames = static_cast<int>(3.4 * played.rateHz);
    played.channelCount = 1;
    played.normalize();
    return played;
}

/// What is heard of it best.
SpectralEnvelopeMotion heard(const SpectralEnvelopeMotion& asked) {
    Patch patch;
    patch.set({"layer:a/source:a", "wave"}, static_cast<double>(Wave::saw));
    applySpectralEnvelopeMotion(patch, asked);
    const Recording sound = render(patch, twoNotes());
    const auto found = spectralEnvelopeMotions(measureProfile(sound, twoNotes()), sound, 2);
    if (found.empty()) ADD_FAILURE() << "nothing moves";
    return found.empty() ? SpectralEnvelopeMotion{} : found.front();
}

SpectralEnvelopeMotion swinging(Family family, double from, double to, double rateHz) {
    SpectralEnvelopeMotion motion;
    motion.family = family;
    motion.course = Course::cycle;
    motion.from = from;
    motion.to = to;
    motion.rateHz = rateHz;
    return motion;
}

TEST(MovingShape, AWidthSwingsAsItWasMeasured) {
    const SpectralEnvelopeMotion found = heard(swinging(Family::pulse, 15.0, 45.0, 1.3));
    EXPECT_EQ(found.family, Family::pulse);
    EXPECT_EQ(found.course, Course::cycle);
    EXPECT_NEAR(found.from, 15.0, 1.5);
    EXPECT_NEAR(found.to, 45.0, 1.5);
    EXPECT_NEAR(found.rateHz, 1.3, 0.03);
    EXPECT_TRUE(found.withNotes);
}

TEST(MovingShape, AWidthRunsFromOneToAnother) {
    SpectralEnvelopeMotion asked;
    asked.course = Course::ramp;
    asked.from = 40.0;
    asked.to = 12.0;
    asked.seconds = 0.8;
    for (bool bent : {false, true}) {
        asked.bent = bent;
        const SpectralEnvelopeMotion found = heard(asked);
        EXPECT_EQ(found.course, Course::ramp);
        EXPECT_EQ(found.bent, bent);
        EXPECT_NEAR(found.from, 40.0, 1.5);
        EXPECT_NEAR(found.to, 12.0, 1.5);
        EXPECT_NEAR(found.seconds, 0.8, bent ? 0.15 : 0.05);
    }
}

TEST(MovingShape, ASyncedSawFallsAsItWasMeasured) {
    SpectralEnvelopeMotion asked;
    asked.family = Family::synced;
    asked.course = Course::ramp;
    asked.from = 30.0;
    asked.to = 9.0;
    asked.seconds = 0.3;
    asked.bent = true;
    const SpectralEnvelopeMotion found = heard(asked);
    EXPECT_EQ(found.family, Family::synced);
    EXPECT_EQ(found.course, Course::ramp);
    EXPECT_NEAR(found.from, 30.0, 1.0);
    EXPECT_NEAR(found.to, 9.0, 0.5);
    EXPECT_NEAR(found.seconds, 0.3, 0.05);
}

TEST(MovingShape, EffectsSwingWithTheRecordingNotWithItsNotes) {
    SpectralEnvelopeMotion phaser = swinging(Family::phaser, 12.0 * std::log2(350.0), 12.0 * std::log2(1400.0), 0.7);
    phaser.stages = 6;
    const SpectralEnvelopeMotion found = heard(phaser);
    EXPECT_EQ(found.family, Family::phaser);
    EXPECT_EQ(found.stages, 6);
    EXPECT_NEAR(found.from, phaser.from, 1.0);
    EXPECT_NEAR(found.to, phaser.to, 1.0);
    EXPECT_NEAR(found.rateHz, 0.7, 0.03);
    EXPECT_FALSE(found.withNotes);
}

TEST(MovingShape, NeedsRoom) {
    Patch full;
    for (int i = 0; i < mostEffects; ++i) full.add(full.freePath(ModuleKind::equalizer));
    EXPECT_THROW(applySpectralEnvelopeMotion(full, swinging(Family::flanger, 1.0, 3.0, 0.5)), Error);
}

} // namespace
} // namespace facet
