// Times that are those of notes at a tempo.
#include "core/parameters/note_timing.h"
#include "core/parameters/part_words.h"
#include "core/parameters/signal_parts.h"
#include "tests/support/fixtures.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

const std::string lfo = "layer:a/lfo:a", level = "layer:a/level";
constexpr double tempo = 110.0; // a 16th lasts 136.4 ms, a dotted 8th 409.1 ms

Patch repeating(double milliseconds) {
    Patch patch;
    patch.add("delay:a");
    patch.set({"delay:a", "on"}, 1.0);
    patch.set({"delay:a", "mix"}, 30.0);
    patch.set({"delay:a", "time"}, milliseconds);
    return patch;
}

/// A square LFO on a destination of the first layer.
Patch cycling(double hertz, const std::string& to, double amount) {
    Patch patch;
    patch.add(lfo);
    patch.set({lfo, "shape"}, static_cast<double>(LfoShape::square));
    patch.set({lfo, "rate"}, hertz);
    testing::link(patch, lfo, to, amount);
    return patch;
}

std::string said(const Patch& patch, PartPlace place) {
    for (const SignalPart& each : partsOf(patch))
        if (each.place == place) return wordsOf(each, patch);
    return {};
}

TEST(NoteTiming, NamesTheNoteValueOfARepeatAndOfAGate) {
    EXPECT_TRUE(said(timedInNotes(repeating(410.0), tempo), PartPlace::effect).starts_with("Repeat every 1/8 dotted"));
    EXPECT_EQ(said(timedInNotes(cycling(7.3, level, 15.0), tempo), PartPlace::levelMotion),
              "Gate, 50 % open, each 1/16");
}

TEST(NoteTiming, LeavesWhatIsNoNoteValue) {
    for (const double milliseconds : {425.0, 390.0, 3000.0}) {
        const Patch patch = repeating(milliseconds);
        EXPECT_TRUE(timedInNotes(patch, tempo).soundsLike(patch)) << milliseconds;
    }
}

TEST(NoteTiming, LeavesVibratoAndWhatALinkMovesAndWhatMayNotChange) {
    const Patch vibrato = cycling(7.3, "layer:a/source:a/cents", 20.0);
    EXPECT_TRUE(timedInNotes(vibrato, tempo).soundsLike(vibrato));
    Patch moved = repeating(410.0);
    moved.add(lfo);
    testing::link(moved, lfo, "delay:a/time", 0.1);
    EXPECT_TRUE(timedInNotes(moved, tempo).soundsLike(moved));
    const Patch locked = repeating(410.0);
    EXPECT_TRUE(
        timedInNotes(locked, tempo, [](const Address& each) { return each.field != "timing"; }).soundsLike(locked));
}

} // namespace
} // namespace facet
