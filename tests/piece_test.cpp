// The piece: cues at their places with their backing, kept in files and mixed.
#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/piece/piece_mixer.h"
#include "core/project/document_json.h"
#include "core/project/journal.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <cmath>
#include <gtest/gtest.h>
#include <numbers>

namespace facet {
namespace {

using testing::demoFile;
using testing::sentenceOf;
using testing::TemporaryFolder;

constexpr int rate = 48000;

Recording tone(double hz, double seconds, double amplitude) {
    return testing::soundOf(seconds, rate,
                            [=](double t) { return amplitude * std::sin(2.0 * std::numbers::pi * hz * t); });
}

Cue cueAt(Document& document, const std::string& name, const Recording& sound, int key, double place) {
    Excerpt excerpt = makeExcerpt(sound, name);
    excerpt.id = takeId(document);
    excerpt.place = place;
    excerpt.performance.notes = {{0.0, sound.seconds(), key, 0.0, 100.0}};
    Cue cue;
    cue.id = takeId(document);
    cue.name = name;
    cue.excerpts = {std::make_shared<const Excerpt>(std::move(excerpt))};
    return cue;
}

/// Two cues of a second, at 1 s and 2.5 s, and a backing of five seconds.
Document pieceDocument(const TemporaryFolder& folder) {
    Document document = newDocument();
    document.cues.clear();
    document = withCue(document, cueAt(document, "low", tone(110.0, 1.0, 0.1), 45, 1.0));
    Cue high = cueAt(document, "high", tone(440.0, 1.0, 0.4), 69, 2.5);
    document = withCue(document, high);
    document.activeCue = document.cues.front()->id;
    writeAudio(folder / "rest.wav", tone(30.0, 5.0, 0.2));
    document.backing = std::make_shared<const Backing>(makeBacking(folder / "rest.wav"));
    document.backingDb = -6.0;
    return document;
}

double loudness(const Recording& sound, double begin, double end) {
    return activeLoudness(excerpt(sound, begin, end).channels);
}

TEST(Pieces, PutEveryCueInItsPlaceAsLoudAsItsReference) {
    const TemporaryFolder folder;
    const Document document = pieceDocument(folder);
    PieceMixer mixer(rate);
    const PieceMix mixed = mixer.mix(document);
    EXPECT_EQ(mixed.references.begin, 1.0);
    EXPECT_EQ(mixed.renders.begin, 1.0);
    ASSERT_EQ(mixed.references.sound.channelCount(), 2);
    EXPECT_NEAR(mixed.references.sound.seconds(), 2.5, 1e-9) << "from the first begin to the last end";
    // Exactly the references: at 1 s + t the one, at 2.5 s + t the other, silence between.
    const auto& left = mixed.references.sound.channels[0];
    const Recording low = tone(110.0, 1.0, 0.1), high = tone(440.0, 1.0, 0.4);
    for (int i = 0; i < rate; i += 997) {
        const auto at = static_cast<std::size_t>(i);
        EXPECT_NEAR(left[at], low.channels[0][at], 1e-6);
        EXPECT_NEAR(left[at + 72000], high.channels[0][at], 1e-6);
    }
    for (std::size_t i = 49000; i < 71000; i += 97) EXPECT_EQ(left[i], 0.0f);
    for (const auto& [begin, end] : {std::pair{0.0, 1.0}, {1.5, 2.5}})
        EXPECT_NEAR(loudness(mixed.renders.sound, begin, end), loudness(mixed.references.sound, begin, end), 1.0)
            << "matched";
}

TEST(Pieces, AreTheRendersOfEachPatchAlone) {
    const TemporaryFolder folder;
    Document document = pieceDocument(folder);
    Cue high = *document.cues[1];
    high.part.heard = false;
    document = withCue(document, high);
    PieceMixer mixer(rate);
    const PieceMix mixed = mixer.mix(document);
    const Cue& low = *document.cues[0];
    const Recording alone = renderToSilence(low.patch, low.excerpt()->corrected(), 8.0);
    ASSERT_GE(mixed.renders.sound.frameCount(), rate);
    const double scale = static_cast<double>(mixed.renders.sound.channels[0][1000]) / alone.channels[0][1000];
    for (std::size_t i = 0; i < static_cast<std::size_t>(rate); i += 499)
        EXPECT_NEAR(mixed.renders.sound.channels[0][i], scale * alone.channels[0][i], 1e-6);
}

TEST(Pieces, HearTheChosenTakeAtTheChosenLevel) {
    const TemporaryFolder folder;
    Document document = pieceDocument(folder);
    PieceMixer mixer(rate);
    const PieceMix before = mixer.mix(document);
    const std::uint64_t hash = hashOfPiece(document);
    Cue low = *document.cues[0];
    Take take;
    take.id = takeId(document);
    take.patch.set({"layer:a/source:a", "wave"}, 1.0);
    low.takes = {std::make_shared<const Take>(take)};
    document = withCue(document, low);
    EXPECT_EQ(hashOfPiece(document), hash) << "a take that is not heard changes nothing";
    low.part.take = take.id;
    low.part.levelDb = -6.0;
    document = withCue(document, low);
    EXPECT_NE(hashOfPiece(document), hash);
    EXPECT_EQ(low.patchInPiece().hash(), take.patch.hash());
    const PieceMix after = mixer.mix(document);
    EXPECT_NEAR(loudness(after.renders.sound, 0.0, 1.0), loudness(before.renders.sound, 0.0, 1.0) - 6.0, 0.5);
    EXPECT_NEAR(loudness(after.references.sound, 0.0, 1.0), loudness(before.references.sound, 0.0, 1.0) - 6.0, 0.01);
    EXPECT_NEAR(after.renders.sound.channels[0][80000], before.renders.sound.channels[0][80000], 1e-6)
        << "the other cue stays as it was";
    low.part.take = 999; // deleted since
    EXPECT_EQ(low.patchInPiece().hash(), low.patch.hash());
}

TEST(Pieces, PlayWithTheirBacking) {
    const TemporaryFolder folder;
    const Document document = pieceDocument(folder);
    PieceMixer mixer(rate);
    const RecordingPtr backing = mixer.backing(document);
    ASSERT_TRUE(backing);
    EXPECT_EQ(mixer.backing(document), backing) << "kept";
    EXPECT_EQ(endOfPiece(document), 5.0);
    const Recording piece = pieceWithBacking(mixer.mix(document).references, backing.get(), document.backingDb);
    EXPECT_EQ(piece.seconds(), 5.0);
    const Recording rest = tone(30.0, 5.0, 0.2 * gainFromDb(-6.0)), low = tone(110.0, 1.0, 0.1);
    for (std::size_t i = 0; i < 48000; i += 331) {
        EXPECT_NEAR(piece.channels[1][i], rest.channels[0][i], 1e-5);
        EXPECT_NEAR(piece.channels[1][48000 + i], rest.channels[0][48000 + i] + low.channels[0][i], 1e-5);
    }
}

TEST(Pieces, WithNothingHeardAreEmpty) {
    Document document = newDocument();
    PieceMixer mixer(rate);
    EXPECT_EQ(mixer.mix(document).renders.sound.frameCount(), 0);
    EXPECT_EQ(mixer.backing(document), nullptr);
    EXPECT_EQ(endOfPiece(document), 0.0);
}

TEST(Backings, AreKeptInProjectsAndJournals) {
    const TemporaryFolder folder;
    const Document document = pieceDocument(folder);
    saveProject(folder / "p.facet", document, 2);
    std::filesystem::remove(folder / "rest.wav");
    const Document loaded = loadProject(folder / "p.facet").document;
    EXPECT_EQ(documentToJson(loaded), documentToJson(document));
    EXPECT_EQ(loaded.cues[1]->excerpt()->placeInPiece(), 2.5);
    EXPECT_EQ(loaded.backingDb, -6.0);
    EXPECT_EQ(soundOf(*loaded.backing).frameCount(), 5 * rate);
    // The journal alone brings it back, and a backing that was taken away stays away.
    const auto none = [](const std::string&) -> std::shared_ptr<const std::string> { throw Error("gone"); };
    Document again = loaded;
    again.backing.reset();
    Document applied = document;
    applyHead(applied, headToJson(again), none);
    EXPECT_EQ(applied.backing, nullptr);
    applyHead(applied, headToJson(document), [&](const std::string& key) {
        EXPECT_EQ(key, document.backing->audioKey);
        return document.backing->bytes;
    });
    EXPECT_EQ(applied.backing->seconds, 5.0);
}

TEST(Backings, ThatCannotServeGetOneSentence) {
    const TemporaryFolder folder;
    EXPECT_NE(sentenceOf([&] { makeBacking(folder / "none.wav"); }).find("none.wav"), std::string::npos);
    testing::writeBytes(folder / "text.wav", "no sound at all");
    EXPECT_NE(sentenceOf([&] { makeBacking(folder / "text.wav"); }).find("text.wav"), std::string::npos);
    Recording wide = tone(100.0, 0.1, 0.1);
    wide.channels.resize(5, wide.channels[0]);
    writeAudio(folder / "wide.wav", wide);
    EXPECT_NE(sentenceOf([&] { makeBacking(folder / "wide.wav"); }).find("5 channels"), std::string::npos);
    Recording slow; // ten minutes at a low rate are quickly made
    slow.rateHz = 8000;
    slow.channels.assign(1, std::vector<float>(static_cast<std::size_t>(8000 * 601), 0.1f));
    writeAudio(folder / "long.wav", slow, SampleFormat::wav16);
    EXPECT_NE(sentenceOf([&] { makeBacking(folder / "long.wav"); }).find("longer than 10 minutes"), std::string::npos);
}

TEST(Backings, LargeOnesAreKeptCompressed) {
    const TemporaryFolder folder;
    Recording large = tone(200.0, 60.0, 0.3);
    large.channels.push_back(large.channels[0]);
    writeAudio(folder / "large.wav", large, SampleFormat::wavFloat);
    const auto size = std::filesystem::file_size(folder / "large.wav");
    ASSERT_GT(size, 16u << 20);
    const Backing backing = makeBacking(folder / "large.wav");
    EXPECT_LT(backing.bytes->size(), size / 2);
    const Recording kept = soundOf(backing);
    ASSERT_EQ(kept.frameCount(), large.frameCount());
    for (std::size_t i = 0; i < kept.channels[1].size(); i += 4999)
        EXPECT_NEAR(kept.channels[1][i], large.channels[1][i], 1.5e-7) << "24 bits";
}

} // namespace
} // namespace facet
