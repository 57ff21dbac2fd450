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
    Excerpt excerpt = makeExcerpt(demoFile("airlock.flac").string(), readWholeFile(demoFile("airlock.flac")));
    excerpt.performance.notes = {{0.0, 0.9, 33, 0.0, 100.0}, {1.0, 1.24, 33, 0.0, 90.0}};
    excerpt.corrections = {{excerpt.performance.notes[1], std::nullopt}};
    cue.excerpts = {std::make_shared<const Excerpt>(std::move(excerpt))};
    Take take;
    take.id = takeId(document);
    take.name = "first ♯";
    take.likeness = 71.25;
    take.starred = true;
    take.patch.set({"layer:a/source:a", "wave"}, 3.0);
    cue.takes = {std::make_shared<const Take>(take)};
    cue.locks = {{"layer:a/filter:a", "cutoff"}};
    cue.loopBegin = 0.25;
    cue.loopEnd = 0.5;
    return withCue(document, std::move(cue));
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
    const Excerpt part = makeExcerpt((folder / "loud.wav").string(), readWholeFile(folder / "loud.wav"), 0.5, 1.0);
    EXPECT_EQ(part.audio->frameCount(), 22050);
    EXPECT_EQ(part.audio->channels[0][100], loud.channels[0][22150]);
    EXPECT_EQ(hashOf(readAudioBytes(*part.bytes, "x")), hashOf(*part.audio));
    EXPECT_NE(sentenceOf([&] { makeExcerpt("x.wav", "not audio at all"); }), "");
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
