#include "core/audio/audio_file.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/project/document_json.h"
#include "core/project/journal.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"
#include "tests/support/sounds.h"

#include <gtest/gtest.h>
#include <cmath>
#include <csignal>
#include <functional>
#include <sys/wait.h>
#include <unistd.h>

namespace facet {
namespace {

using testing::demoFile;
using testing::sentenceOf;
using testing::TemporaryFolder;

Document demoDocument() {
    Document document = newDocument();
    document.name = "Night Dome";
    Cue cue = *document.active();
    cue.name = "Airlock";
    Excerpt excerpt = makeExcerpt(demoFile("airlock.flac"));
    excerpt.performance.notes = {{0.0, 0.9, 33, 0.0, 100.0}, {1.0, 1.24, 33, 0.0, 90.0}};
    excerpt.corrections = {{excerpt.performance.notes[1], std::nullopt}};
    cue.excerpts = {std::make_shared<const Excerpt>(std::move(excerpt))};
    Take take;
    take.id = takeId(document);
    take.name = "first ♯";
    take.likeness = 71.25;
    take.starred = true;
    take.patch.set({"layer:a/source:a", "wave"}, 3.0);
    take.build.steps = {{{"sources", "filter"}, "First", "What is heard ♯", false}, {{"level"}, "", "", true}};
    cue.takes = {std::make_shared<const Take>(take)};
    cue.locks = {{"layer:a/filter:a", "cutoff"}};
    cue.ranges = {{{"layer:a/filter:a", "resonance"}, {-3.0, 12.0}}};
    cue.ruledOut = {Element::fm, Element::ring};
    cue.insisted = {Element::otherSource};
    cue.declinedMoves = {"+chorus", "interval"};
    cue.build.steps = {{{"delay:a"}, "", "", false}};
    cue.loopBegin = 0.25;
    cue.loopEnd = 0.5;
    return withCue(document, std::move(cue));
}

/// The demo's excerpt, read in two ways.
Excerpt readTwice() {
    Excerpt excerpt = makeExcerpt(demoFile("airlock.flac"));
    NoteReading two;
    two.notes = {{0.0, 0.9, 33, 0.0, 100.0}, {1.0, 1.24, 33, 0.0, 90.0}};
    two.tempo = 96.0;
    two.probability = 0.7;
    two.words = "2 notes";
    NoteReading held;
    held.notes = {{0.0, 1.24, 33, 0.0, 100.0}};
    held.tuningCents = -4.0;
    held.probability = 0.3;
    held.words = "one held note";
    held.evidence = "It runs on in one phase.";
    held.problem = "Check it.";
    excerpt.readings = {two, held};
    excerpt.readAs(0);
    return excerpt;
}

TEST(NoteReadings, AreTakenWithTheirTuningTempoAndReasons) {
    Excerpt excerpt = readTwice();
    EXPECT_EQ(excerpt.performance.tempo, 96.0);
    EXPECT_TRUE(excerpt.openToReadings());
    excerpt.readAs(1);
    EXPECT_EQ(excerpt.performance.notes, excerpt.readings[1].notes);
    EXPECT_EQ(excerpt.performance.tuningCents, -4.0);
    EXPECT_EQ(excerpt.performance.tempo, 96.0) << "one that says nothing of the tempo leaves it";
    EXPECT_EQ(excerpt.noteEvidence, "It runs on in one phase.");
    EXPECT_EQ(excerpt.noteProblem, "Check it.");
    EXPECT_EQ(excerpt.placeOf(excerpt.readings[0]), 0u);
    NoteReading unknown;
    EXPECT_EQ(excerpt.placeOf(unknown), std::nullopt);
    // A correction is a layer over whichever is chosen, and settles what was played.
    excerpt.corrections = {{excerpt.performance.notes[0], Note{0.0, 1.24, 45, 0.0, 100.0}}};
    EXPECT_EQ(excerpt.corrected().notes.front().key, 45);
    EXPECT_EQ(excerpt.correctedAs(0).notes.front().key, 45);
    EXPECT_EQ(excerpt.correctedAs(0).notes.size(), 2u);
    EXPECT_EQ(excerpt.reading, 1u) << "looking at another one chooses nothing";
    EXPECT_FALSE(excerpt.openToReadings());
}

TEST(NoteReadings, SurviveTheProjectFileAndMoveWithTheRegion) {
    const TemporaryFolder folder;
    Document document = newDocument();
    Cue cue = *document.active();
    Excerpt excerpt = readTwice();
    excerpt.readAs(1);
    cue.excerpts = {std::make_shared<const Excerpt>(excerpt)};
    saveProject(folder / "r.facet", withCue(document, cue), 1);
    const LoadedProject loaded = loadProject(folder / "r.facet");
    EXPECT_EQ(loaded.document.active()->excerpt()->readings, excerpt.readings);
    EXPECT_EQ(loaded.document.active()->excerpt()->reading, 1u);
    const Excerpt later = withRegion(excerpt, 0.5, 1.3);
    ASSERT_EQ(later.readings[0].notes.size(), 1u) << "a note before the region goes";
    EXPECT_NEAR(later.readings[0].notes[0].start, 0.5, 1e-9);
    EXPECT_TRUE(later.readings[1].notes.empty());
}

TEST(ProjectFiles, BringEverythingBack) {
    const TemporaryFolder folder;
    const Document document = demoDocument();
    saveProject(folder / "p.facet", document, 7);
    const LoadedProject loaded = loadProject(folder / "p.facet");
    EXPECT_EQ(loaded.generation, 7);
    EXPECT_EQ(documentToJson(loaded.document), documentToJson(document));
    EXPECT_EQ(hashOf(*loaded.document.active()->excerpt()->audio), hashOf(*document.active()->excerpt()->audio));
    EXPECT_EQ(*loaded.document.active()->excerpt()->bytes, readWholeFile(demoFile("airlock.flac")))
        << "the original bytes are kept";
    ASSERT_EQ(loaded.document.active()->excerpt()->corrected().notes.size(), 1u);
    EXPECT_EQ(loaded.document.active()->takes[0]->patch.value({"layer:a/source:a", "wave"}), 3.0);
    EXPECT_EQ(loaded.document.active()->takes[0]->build, document.active()->takes[0]->build);
    EXPECT_EQ(loaded.document.active()->build, document.active()->build);
    EXPECT_EQ(loaded.document.active()->declinedMoves, document.active()->declinedMoves);
}

TEST(ProjectFiles, DamageIsRefusedAndNothingIsLost) {
    const TemporaryFolder folder;
    saveProject(folder / "p.facet", demoDocument(), 1);
    const std::string good = readWholeFile(folder / "p.facet");
    testing::writeBytes(folder / "text.facet", "hello");
    testing::writeBytes(folder / "empty.facet", "");
    testing::writeBytes(folder / "half.facet", good.substr(0, good.size() / 3));
    std::string mixed = good;
    for (std::size_t i = 4096; i < std::min<std::size_t>(mixed.size(), 12288); ++i)
        mixed[i] = static_cast<char>(i * 31);
    testing::writeBytes(folder / "mixed.facet", mixed);
    for (const char* name : {"text.facet", "empty.facet", "half.facet", "mixed.facet"})
        EXPECT_NE(sentenceOf([&] { loadProject(folder / name); }).find("damaged"), std::string::npos) << name;
    EXPECT_NE(sentenceOf([&] { loadProject(folder / "none.facet"); }).find("does not exist"), std::string::npos);
    EXPECT_EQ(readWholeFile(folder / "half.facet").size(), good.size() / 3) << "opening wrote to the file";
    EXPECT_NE(sentenceOf([&] { saveProject(folder / "none" / "p.facet", demoDocument(), 2); }).find("cannot be saved"),
              std::string::npos);
}

TEST(ProjectFiles, OfANewerProgramAreRefused) {
    const TemporaryFolder folder;
    saveProject(folder / "p.facet", demoDocument(), 1);
    std::string bytes = readWholeFile(folder / "p.facet");
    bytes[63] = 9; // user_version, big-endian at offset 60 (SQLite file format, section 1.3)
    testing::writeBytes(folder / "newer.facet", bytes);
    EXPECT_NE(sentenceOf([&] { loadProject(folder / "newer.facet"); }).find("newer Facet"), std::string::npos);
}

TEST(Excerpts, KeepPartsLosslessly) {
    const TemporaryFolder folder;
    Recording loud =
        testing::soundOf(2.0, 44100, [](double t) { return 1.7 * std::sin(300.0 * t); }); // beyond full scale
    writeAudio(folder / "loud.wav", loud);
    const Excerpt part = makeExcerpt(folder / "loud.wav", 0.5, 1.0);
    EXPECT_EQ(part.audio->frameCount(), 22050);
    EXPECT_EQ(part.audio->channels[0][100], loud.channels[0][22150]);
    testing::writeBytes(folder / "x.wav", "not audio at all");
    EXPECT_NE(sentenceOf([&] { makeExcerpt(folder / "x.wav"); }), "");
}

/// A tone of 70 s whose two channels differ, as a 24-bit file too long to be kept whole.
std::filesystem::path longFile(const TemporaryFolder& folder) {
    Recording sound = testing::soundOf(70.0, 44100, [](double t) { return 0.5 * std::sin(2000.0 * t); });
    sound.channels.push_back(sound.channels[0]);
    for (std::size_t i = 0; i < sound.channels[1].size(); ++i) sound.channels[1][i] *= 0.25f;
    writeAudio(folder / "long.flac", sound, SampleFormat::flac24);
    return folder / "long.flac";
}

TEST(Excerpts, OfLongFilesKeepTheirMargins) {
    const TemporaryFolder folder;
    const auto path = longFile(folder);
    const Recording whole = readAudio(path);
    Excerpt part = makeExcerpt(path, 30.0, 31.0);
    EXPECT_EQ(hashOf(*part.audio), hashOf(excerpt(whole, 30.0, 31.0)));
    EXPECT_LT(part.bytes->size(), 1u << 21) << "the region and its margins, not the file";
    part.performance.notes = {{0.25, 0.75, 60, 0.0, 100.0}};
    part.corrections = {{std::nullopt, Note{0.8, 0.9, 62, 0.0, 90.0}}};
    part.leftOut = {{0.0, 0.125}};

    // The file is gone: what is kept still serves, and the notes stay where they are in the source.
    std::filesystem::remove(path);
    const Excerpt moved = withRegion(part, 29.5, 31.5);
    EXPECT_EQ(hashOf(*moved.audio), hashOf(excerpt(whole, 29.5, 31.5)));
    ASSERT_EQ(moved.corrected().notes.size(), 2u);
    EXPECT_NEAR(moved.corrected().notes[0].start, 0.75, 1e-6);
    EXPECT_NEAR(moved.corrected().notes[1].start, 1.3, 1e-6);
    ASSERT_EQ(moved.leftOut.size(), 1u);
    EXPECT_NEAR(moved.leftOut[0].end, 0.625, 1e-6);
    EXPECT_NE(sentenceOf([&] { withRegion(part, 10.0, 11.0); }).find("gone or has changed"), std::string::npos);

    const Excerpt right = withChannels(part, ChannelChoice::parse("right"));
    ASSERT_EQ(right.audio->channelCount(), 1);
    EXPECT_EQ(right.audio->channels[0], part.audio->channels[1]);
    EXPECT_EQ(right.performance.channelCount, 1);
}

TEST(Excerpts, SeveralSurviveTheProjectFile) {
    const TemporaryFolder folder;
    Document document = demoDocument();
    Cue cue = *document.active();
    Excerpt second = makeExcerpt(longFile(folder), 12.0, 13.0, ChannelChoice::parse("side"));
    second.id = takeId(document);
    second.weight = 0.25;
    second.name = "in the mix";
    second.leftOut = {{0.5, 0.75}};
    second.performance.setCurve({"layer:a/filter:a/cutoff", {{0.0, 0.5}, {1.0, 0.75}}});
    cue.excerpts.push_back(std::make_shared<const Excerpt>(second));
    cue.activeExcerpt = second.id;
    cue.source = "somewhere.wav";
    document = withCue(document, cue);
    saveProject(folder / "p.facet", document, 1);
    const Document loaded = loadProject(folder / "p.facet").document;
    const Excerpt& read = *loaded.active()->excerpt();
    EXPECT_EQ(loaded.active()->excerpts.size(), 2u);
    EXPECT_EQ(loaded.active()->source, "somewhere.wav");
    EXPECT_EQ(read.name, "in the mix");
    EXPECT_EQ(read.weight, 0.25);
    EXPECT_EQ(read.channels, second.channels);
    EXPECT_EQ(read.leftOut, second.leftOut);
    EXPECT_EQ(read.performance, second.performance);
    EXPECT_EQ(hashOf(*read.audio), hashOf(*second.audio));
    EXPECT_NEAR(peakOf(*read.audio), 0.5 * 0.375, 1e-3) << "half the difference of 1 and 1/4";
}

TEST(NoteCorrections, SurviveFindingAnew) {
    const std::vector<Note> found{{0.0, 0.5, 60, 0, 100}, {0.5, 1.0, 62, 0, 100}, {1.0, 1.5, 64, 0, 100}};
    const std::vector<NoteCorrection> corrections{
        {found[1], Note{0.5, 1.0, 50, 0, 100}}, {found[2], std::nullopt}, {std::nullopt, Note{2.0, 2.5, 70, 0, 80}}};
    std::vector<Note> anew = found; // found again, a little differently
    anew[1].start += 0.012;
    anew[1].key += 12;
    anew[2].start -= 0.02;
    const auto notes = correctedNotes(anew, corrections);
    ASSERT_EQ(notes.size(), 3u);
    EXPECT_EQ(notes[0].key, 60);
    EXPECT_EQ(notes[1].key, 50);
    EXPECT_EQ(notes[2].key, 70);
}

/// Does something in a process of its own that is killed without warning.
void inKilledProcess(const std::function<void()>& work) {
    const pid_t child = ::fork();
    if (child == 0) {
        work();
        ::kill(::getpid(), SIGKILL);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(WIFSIGNALED(status));
}

TEST(Journals, BringBackWhatACrashTook) {
    const TemporaryFolder folder;
    const Document saved = demoDocument();
    saveProject(folder / "p.facet", saved, 3);
    inKilledProcess([&] {
        Journal journal(folder / "state");
        journal.begin(saved, folder / "p.facet", 3);
        Cue cue = *saved.active();
        for (double value : {100.0, 200.0, 777.0}) {
            cue.patch.set({"layer:a/filter:a", "cutoff"}, value);
            journal.record(withCue(saved, cue));
        }
    });
    auto work = findUnsavedWork(folder / "state");
    ASSERT_TRUE(work);
    EXPECT_EQ(work->projectPath, folder / "p.facet");
    EXPECT_EQ(work->document.active()->patch.value({"layer:a/filter:a", "cutoff"}), 777.0);
    EXPECT_EQ(work->document.active()->takes.size(), 1u);
    discardJournal(work->file);
    EXPECT_FALSE(findUnsavedWork(folder / "state"));
}

TEST(Journals, HoldProjectsThatWereNeverSaved) {
    const TemporaryFolder folder;
    inKilledProcess([&] {
        Journal journal(folder / "state");
        journal.begin(newDocument(), {}, 0);
        journal.record(demoDocument());
    });
    const auto work = findUnsavedWork(folder / "state");
    ASSERT_TRUE(work);
    EXPECT_TRUE(work->projectPath.empty());
    EXPECT_EQ(work->document.name, "Night Dome");
    EXPECT_GT(work->document.active()->excerpt()->audio->frameCount(), 0);
}

TEST(Journals, BearAHalfWrittenLine) {
    const TemporaryFolder folder;
    const Document saved = demoDocument();
    saveProject(folder / "p.facet", saved, 3);
    inKilledProcess([&] {
        Journal journal(folder / "state");
        journal.begin(saved, folder / "p.facet", 3);
        Cue cue = *saved.active();
        cue.name = "renamed";
        journal.record(withCue(saved, cue));
        cue.name = "lost";
        journal.record(withCue(saved, cue));
        for (const auto& entry : std::filesystem::directory_iterator(folder / "state"))
            if (entry.is_regular_file())
                std::filesystem::resize_file(entry.path(), std::filesystem::file_size(entry.path()) - 40);
    });
    const auto work = findUnsavedWork(folder / "state");
    ASSERT_TRUE(work);
    EXPECT_EQ(work->document.active()->name, "renamed");
}

TEST(Journals, OfAnOlderSaveAreForgotten) {
    const TemporaryFolder folder;
    const Document saved = demoDocument();
    inKilledProcess([&] {
        saveProject(folder / "p.facet", saved, 3);
        Journal journal(folder / "state");
        journal.begin(saved, folder / "p.facet", 3);
        Cue cue = *saved.active();
        cue.name = "old";
        journal.record(withCue(saved, cue));
        saveProject(folder / "p.facet", saved, 4);
    });
    EXPECT_FALSE(findUnsavedWork(folder / "state"));
}

TEST(Journals, EndWhenAllIsSaved) {
    const TemporaryFolder folder;
    inKilledProcess([&] {
        Journal journal(folder / "state");
        journal.begin(newDocument(), {}, 0);
        journal.record(demoDocument());
        journal.end();
    });
    EXPECT_FALSE(findUnsavedWork(folder / "state"));
}

} // namespace
} // namespace facet
