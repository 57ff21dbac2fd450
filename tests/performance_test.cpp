#include "core/base/error.h"
#include "core/base/files.h"
#include "core/performance/midi_file.h"
#include "core/performance/note_edit.h"
#include "core/performance/performance.h"
#include "core/performance/slow_motion.h"
#include "tests/support/files.h"

#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::sentenceOf;
using testing::TemporaryFolder;

Performance phrase() {
    Performance p;
    p.tempo = 96.0;
    p.tuningCents = -3.25;
    p.frames = 132300;
    p.rateHz = 44100;
    p.channelCount = 1;
    p.seed = 18446744073709551615ULL;
    p.notes = {{0.0, 0.9000000001, 33, 0.0, 100.0}, {1.0, 1.25, 45, -7.5, 64.5}};
    p.bends = {{0.0, 0.0}, {0.5, 100.0}};
    p.curves = {{"wheel", {{0.0, 0.0}, {1.0, 1.0}}}, {"layer:a/filter:a/cutoff", {{0.0, 0.25}, {0.5, 0.75}}}};
    p.downbeat = 0.125;
    p.beatsPerBar = 3;
    return p;
}

TEST(Performances, SurviveTheirFileExactly) {
    const TemporaryFolder folder;
    writePerformance(folder / "p.json", phrase());
    EXPECT_EQ(readPerformance(folder / "p.json"), phrase());
    EXPECT_NE(performanceFromJson(performanceToJson(phrase())).hash(), Performance{}.hash());
}

TEST(Performances, BendInStraightLines) {
    EXPECT_DOUBLE_EQ(phrase().bendAt(-1.0), 0.0);
    EXPECT_DOUBLE_EQ(phrase().bendAt(0.25), 50.0);
    EXPECT_DOUBLE_EQ(phrase().bendAt(9.0), 100.0);
}

TEST(Performances, DamagedFilesGetOneClearSentence) {
    const auto refused = [](const std::string& text) { return sentenceOf([&] { performanceFromJson(text); }); };
    EXPECT_NE(refused("nonsense").find("not valid JSON"), std::string::npos);
    EXPECT_NE(refused("{}").find("not a Facet performance"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-performance", "version": 2})").find("newer"), std::string::npos);
    EXPECT_NE(refused(R"({"format": "facet-performance", "version": 1, "notes": [{"start": 0, "end": 1, "key": 400}]})")
                  .find("key"),
              std::string::npos);
}

TEST(KeyNames, AreScientificPitch) {
    EXPECT_EQ(nameOfKey(60), "C4");
    EXPECT_EQ(nameOfKey(69), "A4");
    EXPECT_EQ(nameOfKey(33), "A1");
    EXPECT_EQ(nameOfKey(70), "B♭4");
    EXPECT_EQ(nameOfKey(0), "C-1");
}

TEST(MidiFiles, RoundTripToATick) {
    const TemporaryFolder folder;
    writeMidi(folder / "n.mid", phrase());
    const Performance read = readMidi(folder / "n.mid");
    EXPECT_NEAR(read.tempo, 96.0, 1e-9);
    ASSERT_EQ(read.notes.size(), 2u);
    const double tick = 60.0 / 96.0 / 960.0;
    EXPECT_NEAR(read.notes[0].end, 0.9, tick);
    EXPECT_NEAR(read.notes[1].start, 1.0, tick);
    EXPECT_EQ(read.notes[1].key, 45);
    EXPECT_EQ(read.notes[1].velocity, 65.0);   // 64.5 rounds away from zero
    EXPECT_NEAR(read.bendAt(0.25), 50.0, 2.5); // a step of 10 ms
}

TEST(MidiFiles, TheStandardsExampleIsRead) {
    // Standard MIDI Files 1.0 (MMA RP-001), appendix: the format-0 example, byte for byte. 96 ticks a quarter, tempo
    // 500000 µs; notes: channel 1 key 76 velocity 32 from 96 to 192 (forte is 96, mezzo-forte 64, piano 32 there).
    const unsigned char bytes[] = {
        0x4D, 0x54, 0x68, 0x64, 0x00, 0x00, 0x00, 0x06, 0x00, 0x00, 0x00, 0x01, 0x00, 0x60,       // MThd
        0x4D, 0x54, 0x72, 0x6B, 0x00, 0x00, 0x00, 0x3B,                                           // MTrk
        0x00, 0xFF, 0x58, 0x04, 0x04, 0x02, 0x18, 0x08, 0x00, 0xFF, 0x51, 0x03, 0x07, 0xA1, 0x20, // 4/4, tempo
        0x00, 0xC0, 0x05, 0x00, 0xC1, 0x2E, 0x00, 0xC2, 0x46,                                     // programs
        0x00, 0x92, 0x30, 0x60, 0x00, 0x3C, 0x60,                                                 // running status
        0x60, 0x91, 0x43, 0x40, 0x60, 0x90, 0x4C, 0x20, 0x81, 0x40, 0x82, 0x30, 0x40, 0x00, 0x3C,
        0x40, // two-byte delta
        0x00, 0x81, 0x43, 0x40, 0x00, 0x80, 0x4C, 0x40, 0x00, 0xFF, 0x2F, 0x00};
    const TemporaryFolder folder;
    testing::writeBytes(folder / "s.mid", std::string(reinterpret_cast<const char*>(bytes), sizeof bytes));
    const Performance read = readMidi(folder / "s.mid");
    EXPECT_DOUBLE_EQ(read.tempo, 120.0);
    ASSERT_EQ(read.notes.size(), 4u);
    EXPECT_EQ(read.notes[0].key, 48);
    EXPECT_EQ(read.notes[0].velocity, 96.0);
    EXPECT_NEAR(read.notes[0].end, 2.0, 1e-9);
    EXPECT_EQ(read.notes[2].key, 67);
    EXPECT_NEAR(read.notes[2].start, 0.5, 1e-9);
    EXPECT_EQ(read.notes[3].key, 76);
    EXPECT_NEAR(read.notes[3].start, 1.0, 1e-9);
    EXPECT_EQ(read.notes[3].velocity, 32.0);
}

TEST(MidiFiles, BendRangeFollowsRpnZero) {
    // MIDI 1.0 Detailed Specification: pitch bend is ±2 semitones unless RPN 00 00 sets another; 0x2000 is the middle.
    const std::string head("MThd\0\0\0\6\0\0\0\1\0\x60", 14);
    const auto file = [&](const std::string& body) {
        std::string track = body + std::string("\0\xff\x2f\0", 4);
        return head + "MTrk" + std::string("\0\0\0", 3) + static_cast<char>(track.size()) + track;
    };
    const std::string note("\0\x90\x3c\x40\x60\x80\x3c\x40", 8);
    const std::string fullBend("\0\xe0\x7f\x7f", 4);
    const TemporaryFolder folder;
    testing::writeBytes(folder / "two.mid", file(fullBend + note));
    testing::writeBytes(folder / "twelve.mid",
                        file(std::string("\0\xb0\x65\0\0\xb0\x64\0\0\xb0\x06\x0c", 12) + fullBend + note));
    EXPECT_NEAR(readMidi(folder / "two.mid").bendAt(0.3), 200.0, 0.1);
    EXPECT_NEAR(readMidi(folder / "twelve.mid").bendAt(0.3), 1200.0, 0.2);
}

/// A format-0 file at 96 ticks a quarter and the standard's default tempo of 120 bpm, with one track.
std::string fileOf(const std::string& body) {
    const std::string track = body + std::string("\0\xff\x2f\0", 4);
    return std::string("MThd\0\0\0\6\0\0\0\1\0\x60", 14) + "MTrk" + std::string("\0\0\0", 3) +
           static_cast<char>(track.size()) + track;
}

TEST(MidiFiles, ControllersBecomeCurves) {
    // MIDI 1.0 Detailed Specification, table 3: controller 1 is the modulation wheel; 0xD0 is channel pressure. At 96
    // ticks a quarter and 120 bpm 96 ticks are half a second.
    const TemporaryFolder folder;
    testing::writeBytes(folder / "c.mid",
                        fileOf(std::string("\0\x90\x3c\x40\x60\xb0\x01\x7f\0\xd0\x40\x60\x80\x3c\x40", 15)));
    const Performance read = readMidi(folder / "c.mid");
    ASSERT_NE(read.curveOf(wheelTarget), nullptr);
    EXPECT_EQ(valueAt(read.curveOf(wheelTarget)->points, 0.49), 0.0);
    EXPECT_EQ(valueAt(read.curveOf(wheelTarget)->points, 0.51), 1.0);
    ASSERT_NE(read.curveOf(pressureTarget), nullptr);
    EXPECT_NEAR(valueAt(read.curveOf(pressureTarget)->points, 0.51), 64.0 / 127.0, 1e-12);
}

TEST(MidiFiles, TheSustainPedalHoldsNotes) {
    // Controller 64, 64 and above is on (the same table). Key up after half a second, pedal up after one.
    const TemporaryFolder folder;
    testing::writeBytes(folder / "p.mid", fileOf(std::string("\0\xb0\x40\x7f\0\x90\x3c\x40\x60\x80\x3c\x40\x60"
                                                             "\xb0\x40\0",
                                                             16)));
    const Performance read = readMidi(folder / "p.mid");
    ASSERT_EQ(read.notes.size(), 1u);
    EXPECT_NEAR(read.notes[0].end, 1.0, 1e-9);
}

TEST(MidiFiles, BothFormatsHoldTheSame) {
    const TemporaryFolder folder;
    Performance wide = phrase();
    wide.bends = {{0.0, 0.0}, {0.5, 700.0}}; // wider than the usual range: RPN 0 must state it
    writeMidi(folder / "0.mid", wide, MidiFormat::oneTrack);
    writeMidi(folder / "1.mid", wide, MidiFormat::tempoApart);
    // Standard MIDI Files 1.0: bytes 8–9 of the header are the format, 10–11 the number of tracks.
    EXPECT_EQ(readWholeFile(folder / "0.mid").substr(8, 4), std::string("\0\0\0\1", 4));
    EXPECT_EQ(readWholeFile(folder / "1.mid").substr(8, 4), std::string("\0\1\0\2", 4));
    const Performance one = readMidi(folder / "0.mid");
    const Performance two = readMidi(folder / "1.mid");
    EXPECT_EQ(one, two);
    EXPECT_EQ(two.beatsPerBar, 3);
    EXPECT_NEAR(two.bendAt(0.25), 350.0, 15.0);
    EXPECT_NEAR(two.bendAt(0.6), 700.0, 0.1);
    ASSERT_NE(two.curveOf(wheelTarget), nullptr);
    EXPECT_NEAR(valueAt(two.curveOf(wheelTarget)->points, 0.5), 0.5, 0.02);
    EXPECT_EQ(two.curves.size(), 1u) << "a parameter's curve is written only as a controller";
}

TEST(MidiFiles, DamagedFilesAreRefusedOrReadSafely) {
    const TemporaryFolder folder;
    writeMidi(folder / "whole.mid", phrase());
    const std::string whole = readWholeFile(folder / "whole.mid");
    // Cut anywhere: refused in one sentence, or what is left is read; never a crash or a note of no length.
    for (std::size_t length = 1; length < whole.size(); ++length) {
        testing::writeBytes(folder / "cut.mid", whole.substr(0, length));
        try {
            for (const Note& note : readMidi(folder / "cut.mid").notes) EXPECT_GT(note.end, note.start);
        } catch (const Error& problem) {
            EXPECT_TRUE(std::string(problem.what()).ends_with("."));
        }
    }
    // One byte wrong anywhere.
    for (std::size_t at = 0; at < whole.size(); ++at) {
        std::string wrong = whole;
        wrong[at] = static_cast<char>(wrong[at] ^ 0xff);
        testing::writeBytes(folder / "wrong.mid", wrong);
        try {
            readMidi(folder / "wrong.mid");
        } catch (const Error&) {}
    }
}

TEST(Curves, AreStraightBetweenPointsAndSimplified) {
    const std::vector<CurvePoint> step{{0.0, 0.0}, {1.0, 0.0}, {1.0, 1.0}, {2.0, 1.0}};
    EXPECT_EQ(valueAt(step, 0.999), 0.0);
    EXPECT_EQ(valueAt(step, 1.0), 1.0);
    EXPECT_EQ(valueAt({}, 1.0, 0.5), 0.5);
    std::vector<CurvePoint> dense;
    for (int i = 0; i <= 100; ++i) dense.push_back({0.01 * i, i < 40 ? 0.025 * i : 1.0});
    const auto few = simplified(dense, 0.001);
    EXPECT_EQ(few, (std::vector<CurvePoint>{{0.0, 0.0}, {0.4, 1.0}, {1.0, 1.0}}));
}

const std::vector<Note> three{{0.0, 0.5, 60, 0.0, 100.0}, {0.5, 1.0, 60, 0.0, 80.0}, {1.1, 1.4, 67, 5.0, 60.0}};

TEST(NoteEdits, MoveTogetherAndStopAtTheEdges) {
    const auto changes = moved(three, {1, 2}, -0.75, 70);
    const auto after = changed(three, changes);
    EXPECT_EQ(after[0].start, 0.0) << "the first chosen note stops at 0";
    EXPECT_NEAR(after[2].start, 0.6, 1e-12) << "and the others keep their distance to it";
    EXPECT_EQ(after[2].key, 127);
    EXPECT_EQ(after[1].key, 120) << "the interval stays";
}

TEST(NoteEdits, SplitAndJoinAreOpposites) {
    const auto halves = changed(three, split(three, {0}, 0.2));
    ASSERT_EQ(halves.size(), 4u);
    EXPECT_EQ(halves[0].end, 0.2);
    EXPECT_EQ(halves[1].start, 0.2);
    EXPECT_EQ(changed(halves, joined(halves, {0, 1})), three);
    EXPECT_TRUE(split(three, {0}, 0.501).empty()) << "not where it does not sound";
    EXPECT_TRUE(joined(three, {1, 2}).empty()) << "two keys are not one note";
}

TEST(NoteEdits, ResizeQuantizeAndVelocityKeepTheirBounds) {
    EXPECT_NEAR(changed(three, resized(three, {0}, 0.0, -2.0))[0].end, shortestNote, 1e-12);
    EXPECT_EQ(changed(three, louder(three, {0, 1, 2}, 50.0))[0].velocity, 127.0);
    const Grid grid{.tempo = 120.0, .downbeat = 0.02, .beatsPerBar = 4, .stepBeats = 0.25};
    EXPECT_DOUBLE_EQ(grid.stepSeconds(), 0.125); // a sixteenth at 120 bpm: 60000 / 120 / 4 ms
    const auto after = changed(three, quantized(three, {2}, grid));
    EXPECT_NEAR(after[2].start, 1.145, 1e-12);
    EXPECT_NEAR(after[2].end - after[2].start, 0.3, 1e-12);
    EXPECT_NEAR(changed(three, quantized(three, {2}, grid, 0.5))[2].start, 1.1225, 1e-12);
    EXPECT_EQ(changed(three, deleted(three, {0, 2})).size(), 1u);
    EXPECT_TRUE(moved(three, {7}, 1.0, 0).empty()) << "an index outside the list is nothing";
}

TEST(MidiFiles, BadInputGetsOneClearSentence) {
    const TemporaryFolder folder;
    testing::writeBytes(folder / "empty.mid", "");
    testing::writeBytes(folder / "text.mid", "no notes here");
    Performance none = phrase();
    none.notes.clear();
    none.bends.clear();
    none.curves.clear();
    writeMidi(folder / "silent.mid", none);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "empty.mid"); }).find("not a MIDI file"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "text.mid"); }).find("not a MIDI file"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "silent.mid"); }).find("holds no notes"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "missing.mid"); }).find("does not exist"), std::string::npos);
}

TEST(Performances, GoSlowerWithAllThatHappensInThem) {
    Performance p;
    p.notes = {{0.5, 1.0, 60, 0.0, 100.0}};
    p.bends = {{0.25, 10.0}};
    p.curves = {{"wheel", {{0.75, 0.5}}}};
    p.tempo = 120.0;
    p.downbeat = 0.125;
    p.frames = 48000;
    const Performance slow = slowed(p, 4.0);
    EXPECT_EQ(slow.notes[0].start, 2.0);
    EXPECT_EQ(slow.notes[0].end, 4.0);
    EXPECT_EQ(slow.bends[0].seconds, 1.0);
    EXPECT_EQ(slow.curves[0].points[0].seconds, 3.0);
    EXPECT_EQ(slow.tempo, 30.0);
    EXPECT_EQ(slow.downbeat, 0.5);
    EXPECT_EQ(slow.frames, 192000);
    EXPECT_EQ(slowed(p, 1.0), p);
}

TEST(Performances, KnowHowManyNotesSoundTogether) {
    Performance performance;
    EXPECT_EQ(mostNotesTogether(performance), 0);
    performance.notes = {{0.0, 1.0, 60}, {0.5, 1.5, 64}, {1.0, 2.0, 67}, {1.2, 1.3, 70}};
    EXPECT_EQ(mostNotesTogether(performance), 3) << "the first ends where the third begins";
}

} // namespace
} // namespace facet
