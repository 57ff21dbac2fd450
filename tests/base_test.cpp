#include "core/base/base64.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "tests/support/files.h"

#include <cmath>
#include <csignal>
#include <gtest/gtest.h>
#include <sys/resource.h>

namespace facet {
namespace {

using testing::TemporaryFolder;

TEST(Units, KeysFollowTheMidiTuningStandard) {
    // MIDI Tuning Standard (MMA, 1996), frequency table: key 60 = 261.6256 Hz, key 69 = 440 Hz, key 0 = 8.1758 Hz,
    // key 127 = 12543.8540 Hz.
    EXPECT_NEAR(hzFromKey(60), 261.6256, 5e-5);
    EXPECT_DOUBLE_EQ(hzFromKey(69), 440.0);
    EXPECT_NEAR(hzFromKey(0), 8.1758, 5e-5);
    EXPECT_NEAR(hzFromKey(127), 12543.8540, 5e-5);
    EXPECT_NEAR(hzFromKey(69, 100.0), hzFromKey(70), 1e-9);
}

TEST(Units, PartialsStandAtTheirTextbookIntervals) {
    // Partials 3 and 5 lie 1902 and 2786 cents above the fundamental (A. Benade, Fundamentals of Musical Acoustics,
    // from memory: 1901.96 and 2786.31).
    EXPECT_NEAR(centsBetween(100.0, 300.0), 1901.96, 0.01);
    EXPECT_NEAR(centsBetween(100.0, 500.0), 2786.31, 0.01);
    EXPECT_NEAR(keyFromHz(hzFromKey(47.3)), 47.3, 1e-9);
    EXPECT_DOUBLE_EQ(quarterNoteMs(120.0), 500.0);
}

TEST(Base64, WritesFloatsAsTheStandardsSay) {
    // 32-bit floats of IEEE 754, little-endian (1 is 00 00 80 3f), by the table of RFC 4648, section 4; the texts by
    // Python's struct and base64.
    const std::vector<float> values{1.0f, -2.0f, 0.15625f};
    EXPECT_EQ(base64OfFloats(std::span(values).first(1)), "AACAPw==");
    EXPECT_EQ(base64OfFloats(std::span(values).first(2)), "AACAPwAAAMA=");
    EXPECT_EQ(base64OfFloats(values), "AACAPwAAAMAAACA+");
    EXPECT_EQ(base64OfFloats({}), "");
    EXPECT_EQ(floatsOfBase64("AACAPwAAAMAAACA+"), values);
    EXPECT_EQ(floatsOfBase64(""), std::vector<float>{});
}

TEST(Base64, ReadsNothingElse) {
    for (const char* wrong :
         {"AACAPw", "AACAPw=", "AACAP===", "AACA", "AAAA====", "AAC?Pw==", "AACAPw== ", "AACAPw======", "A"})
        EXPECT_FALSE(floatsOfBase64(wrong)) << wrong;
}

TEST(Units, SilenceHasAFloor) {
    EXPECT_EQ(dbFromGain(0.0), silenceDb);
    EXPECT_EQ(dbFromPower(0.0), silenceDb);
    EXPECT_NEAR(dbFromGain(gainFromDb(-37.5)), -37.5, 1e-9);
}

TEST(Units, ReportsHaveSixDigits) {
    EXPECT_EQ(sixDigits(1234567.0), 1234570.0);
    EXPECT_EQ(sixDigits(-0.000123456789), -0.000123457);
    EXPECT_EQ(sixDigits(0.0), 0.0);
    EXPECT_TRUE(std::isnan(sixDigits(std::nan(""))));
}

TEST(RandomNumbers, RepeatAndSpread) {
    Random a(7), b(7), c(8);
    double sum = 0.0;
    for (int i = 0; i < 10000; ++i) {
        const double x = a.unit();
        EXPECT_EQ(x, b.unit());
        EXPECT_NE(x, c.unit());
        ASSERT_TRUE(x >= 0.0 && x < 1.0);
        sum += x;
    }
    EXPECT_NEAR(sum / 10000.0, 0.5, 0.015); // five standard deviations of the mean of 10000 uniform numbers
}

TEST(Hashes, SeeEveryBitAndTheOrder) {
    // FNV-1a of "a": IETF draft draft-eastlake-fnv, test vectors: 0xaf63dc4c8601ec8c.
    const std::string a = "a";
    EXPECT_EQ(Hasher().bytes(std::as_bytes(std::span(a.data(), 1))).value(), 0xaf63dc4c8601ec8cULL);
    std::vector<float> x(1000, 0.25f);
    const auto before = Hasher().samples(x).value();
    x[777] = std::nextafter(0.25f, 1.0f);
    EXPECT_NE(Hasher().samples(x).value(), before);
    EXPECT_NE(Hasher().number(1).number(2).value(), Hasher().number(2).number(1).value());
}

TEST(Files, WriteAllOrNothing) {
    const TemporaryFolder folder;
    writeWholeFile(folder / "a.txt", "first");
    writeWholeFile(folder / "a.txt", "second");
    EXPECT_EQ(readWholeFile(folder / "a.txt"), "second");
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1) << "a temporary file stayed";
    EXPECT_NE(
        testing::sentenceOf([&] { writeWholeFile(folder / "none" / "a.txt", "x"); }).find("folder does not exist"),
        std::string::npos);
    EXPECT_NE(testing::sentenceOf([&] { readWholeFile(folder / "b.txt"); }).find("does not exist"), std::string::npos);
    EXPECT_NE(testing::sentenceOf([&] { readWholeFile(folder.path()); }).find("is a folder"), std::string::npos);
    EXPECT_NE(testing::sentenceOf([&] { readWholeFile(folder / "a.txt", 3); }).find("too large"), std::string::npos);
}

TEST(Files, AFullDiskKeepsTheOldFile) {
    // /dev/full accepts no byte; a rename never happens then. The file system's own limits stand in for a full disk.
    const TemporaryFolder folder;
    writeWholeFile(folder / "a.txt", "kept");
    rlimit before{};
    getrlimit(RLIMIT_FSIZE, &before);
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit tiny{16, before.rlim_max};
    setrlimit(RLIMIT_FSIZE, &tiny);
    const std::string sentence = testing::sentenceOf([&] { writeWholeFile(folder / "a.txt", std::string(1000, 'x')); });
    setrlimit(RLIMIT_FSIZE, &before);
    EXPECT_NE(sentence.find("cannot be written"), std::string::npos) << sentence;
    EXPECT_EQ(readWholeFile(folder / "a.txt"), "kept");
}

} // namespace
} // namespace facet
