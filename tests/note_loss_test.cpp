// The loss that follows the notes: what it is deaf to, and that it holds to the right construction where values are
// off.
#include "core/base/units.h"
#include "core/compare/loss.h"
#include "core/compare/note_loss.h"
#include "core/engine/render.h"
#include "core/match/targets/telling_moments.h"
#include "tests/support/fixtures.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string source = "layer:a/source:a", filter = "layer:a/filter:a", level = "layer:a/envelope:level",
                  filterEnvelope = "layer:a/envelope:filter";

/// Eight notes of a bass, some softer, two tied.
Performance bassLine() {
    Performance line;
    const int keys[] = {33, 45, 36, 40, 43, 33, 48, 38};
    for (int i = 0; i < 8; ++i) {
        const double start = 0.08 + 0.4 * i;
        line.notes.push_back({start, start + (i == 4 ? 0.45 : 0.3), keys[i], 0.0, i % 3 == 0 ? 120.0 : 70.0});
    }
    line.frames = static_cast<int>(3.6 * 48000);
    line.channelCount = 1;
    return line;
}

Patch closingBass() {
    Patch patch;
    patch.set({level, "decay"}, 500.0);
    patch.set({level, "sustain"}, 50.0);
    patch.set({level, "release"}, 60.0);
    patch.set({filter, "on"}, 1.0);
    patch.set({filter, "cutoff"}, 300.0);
    patch.set({filter, "resonance"}, 9.0);
    patch.set({filter, "envelope"}, 36.0);
    patch.set({filterEnvelope, "decay"}, 250.0);
    patch.set({filterEnvelope, "sustain"}, 0.0);
    return patch;
}

/// What a render of the telling notes comes to.
class Followed {
public:
    Followed(const Recording& reference, const Performance& played)
        : moments_(tellingMoments(played, 4)), some_(momentsOf(played, moments_, usualMoment)),
          loss_(reference, played, moments_, 20.0, 18000.0) {}
    double of(const Patch& patch, std::uint64_t seed = 1) const {
        Performance seeded = some_;
        seeded.seed = seed;
        return Loss::value(loss_.residual(render(patch, seeded)));
    }

private:
    std::vector<std::vector<std::size_t>> moments_;
    Performance some_;
    NoteLoss loss_;
};

TEST(NoteLoss, IsDeafToLevelAndToWhereCyclesBegin) {
    const Performance line = bassLine();
    const Followed followed(render(closingBass(), line), line);
    EXPECT_LT(followed.of(closingBass()), 0.6) << "each note of a part begins elsewhere in its cycle";
    Patch louder = closingBass();
    louder.set({"output", "level"}, -9.0);
    EXPECT_NEAR(followed.of(louder), followed.of(closingBass()), 0.02);
    EXPECT_LT(followed.of(closingBass(), 5), 0.6) << "other start phases";
    Patch square = closingBass();
    square.set({source, "wave"}, static_cast<double>(Wave::pulse));
    EXPECT_GT(followed.of(square), 2.0);
}

TEST(NoteLoss, HoldsToTheRightConstructionWhereItsValuesAreOff) {
    // Saw behind a low-pass with every value off against noise behind it with every value right.
    const Performance line = bassLine();
    const Recording reference = render(closingBass(), line);
    const Followed followed(reference, line);
    Patch off = closingBass();
    off.set({filter, "cutoff"}, 300.0 * 1.4);
    off.set({filterEnvelope, "decay"}, 375.0);
    off.set({level, "decay"}, 330.0);
    Patch noise = closingBass();
    noise.set({source, "wave"}, static_cast<double>(Wave::noise));
    noise.set({source, "color"}, -6.0);
    EXPECT_LT(1.2 * followed.of(off), followed.of(noise));
}

TEST(NoteLoss, TakesWhatRingsOnForAnUpperBound) {
    const Performance line = bassLine();
    Patch echoing = closingBass();
    const std::string delay = echoing.freePath(ModuleKind::delay);
    echoing.add(delay);
    echoing.set({delay, "on"}, 1.0);
    echoing.set({delay, "time"}, 310.0);
    echoing.set({delay, "mix"}, 35.0);
    const Followed ofEchoing(render(echoing, line), line), ofDry(render(closingBass(), line), line);
    Patch open = closingBass();
    open.set({filter, "cutoff"}, 900.0);
    EXPECT_LT(ofEchoing.of(closingBass()), 0.6 * ofEchoing.of(open)) << "dry, of a recording with echoes";
    EXPECT_LT(ofEchoing.of(closingBass()), ofDry.of(echoing)) << "too much counts more than too little";
}

TEST(NoteLoss, IsANumberForANarrowFocusAndForTheShortestNotes) {
    Performance line = bassLine();
    for (const bool brief : {false, true}) {
        if (brief)
            for (Note& note : line.notes) note.end = note.start + 0.012;
        const auto moments = tellingMoments(line, 4);
        const Recording sound = render(closingBass(), line);
        for (const double high : {430.0, 18000.0}) {
            const NoteLoss loss(sound, line, moments, 400.0, high);
            const double value =
                Loss::value(loss.residual(render(closingBass(), momentsOf(line, moments, usualMoment))));
            EXPECT_GE(value, 0.0) << brief << " " << high; // NaN is not
            EXPECT_LT(value, 5.0) << brief << " " << high;
        }
    }
}

TEST(TellingMoments, AreTheExtremesAndTheTied) {
    const Performance line = bassLine();
    const auto moments = tellingMoments(line, 8);
    std::vector<int> keys;
    bool tied = false;
    for (const auto& moment : moments) {
        for (const std::size_t n : moment) keys.push_back(line.notes[n].key);
        tied = tied || moment == std::vector<std::size_t>{4, 5};
    }
    EXPECT_TRUE(std::find(keys.begin(), keys.end(), 33) != keys.end());
    EXPECT_TRUE(std::find(keys.begin(), keys.end(), 48) != keys.end());
    EXPECT_TRUE(tied) << "the fifth note lasts into the sixth";
    EXPECT_LE(tellingMoments(line, 3).size(), 3u);
    EXPECT_TRUE(tellingMoments(Performance{}, 4).empty());
    double seconds = 0.0;
    const Performance some = momentsOf(line, {{0}, {6}}, usualMoment, &seconds);
    ASSERT_EQ(some.notes.size(), 2u);
    EXPECT_EQ(some.notes[1].start, line.notes[6].start) << "at their times";
    EXPECT_GT(seconds, 0.6);
    EXPECT_LT(seconds, 1.5);
}

TEST(TellingMoments, KeepChordsTogetherAndCutWhatLastsLong) {
    Performance chords;
    for (int key : {50, 53, 57}) chords.notes.push_back({0.1, 4.0, key, 0.0, 90.0});
    for (int key : {48, 52, 55}) chords.notes.push_back({4.1, 8.0, key, 0.0, 90.0});
    chords.frames = 9 * 48000;
    const auto moments = tellingMoments(chords, 4);
    ASSERT_EQ(moments.size(), 2u);
    EXPECT_EQ(moments[0].size(), 3u);
    for (const Note& note : momentsOf(chords, moments, usualMoment).notes) EXPECT_LT(note.end - note.start, 2.0);
}

} // namespace
} // namespace facet
