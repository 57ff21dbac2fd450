#include "core/base/error.h"
#include "core/base/files.h"
#include "core/performance/midi_file.h"
#include "core/performance/performance.h"
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

TEST(MidiFiles, BadInputGetsOneClearSentence) {
    const TemporaryFolder folder;
    testing::writeBytes(folder / "empty.mid", "");
    testing::writeBytes(folder / "text.mid", "no notes here");
    Performance none = phrase();
    none.notes.clear();
    none.bends.clear();
    writeMidi(folder / "silent.mid", none);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "empty.mid"); }).find("not a MIDI file"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "text.mid"); }).find("not a MIDI file"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "silent.mid"); }).find("holds no notes"), std::string::npos);
    EXPECT_NE(sentenceOf([&] { readMidi(folder / "missing.mid"); }).find("does not exist"), std::string::npos);
}

} // namespace
} // namespace facet
