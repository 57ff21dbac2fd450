// Files and folders that cannot serve, met in the real window: one clear sentence each, and nothing made is lost.
#include "core/audio/audio_file.h"
#include "core/base/files.h"
#include "core/base/random.h"
#include "core/engine/render.h"
#include "core/parameters/patch_json.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QLabel>
#include <QSignalSpy>
#include <QTableView>
#include <cmath>
#include <limits>
#include <numbers>

namespace facet {
namespace {

using testing::patience;
using testing::soundOf;
using testing::writeBytes;

double plainTone(double t) { return 0.5 * std::sin(2.0 * std::numbers::pi * 220.0 * t); }

class HostileInput : public testing::WindowTest {
protected:
    HostileInput() {
        session.patch.setParameter({"layer:a/filter:a", "cutoff"}, 777.0);
        session.takes.keep("precious");
    }

    /// Everything that was made is still there and still works.
    void expectNothingLost(const std::string& after) {
        EXPECT_EQ(session.document.title(), "demo") << after;
        EXPECT_EQ(session.document.cue()->name, "Airlock") << after;
        ASSERT_EQ(session.document.cue()->takes.size(), 1u) << after;
        EXPECT_EQ(session.document.cue()->patch.value({"layer:a/filter:a", "cutoff"}), 777.0) << after;
        EXPECT_EQ(session.document.performance().notes.size(), 4u) << after;
        EXPECT_EQ(session.document.undoStack().index(), 2) << after;
        EXPECT_TRUE(settle()) << after;
    }
    void refused(const std::string& name, const std::string& phrase) {
        drop(folder / name);
        QString sentence;
        EXPECT_TRUE(QTest::qWaitFor([&] { return !(sentence = closedProblem()).isEmpty(); }, 30000 * patience)) << name;
        EXPECT_NE(sentence.toStdString().find(phrase), std::string::npos) << name << ": " << sentence.toStdString();
        EXPECT_NE(sentence.toStdString().find(name), std::string::npos) << "which file: " << sentence.toStdString();
        EXPECT_EQ(sentence.count(". ") + sentence.endsWith('.'), 1) << "one sentence: " << sentence.toStdString();
        expectNothingLost(name);
    }
    /// A recording that is unusual but sound is worked with.
    void accepted(const std::string& name, const Recording& recording) {
        writeAudio(folder / name, recording, SampleFormat::wavFloat);
        const auto before = session.document.cue()->excerpts.front();
        drop(folder / name);
        ASSERT_TRUE(
            QTest::qWaitFor([&] { return session.document.cue()->excerpts.front() != before; }, 60000 * patience))
            << name;
        ASSERT_TRUE(settle()) << name;
        EXPECT_EQ(closedProblem(), "") << name;
        ASSERT_TRUE(session.results.state().comparison) << name;
        EXPECT_TRUE(std::isfinite(session.results.state().comparison->likeness)) << name;
        EXPECT_EQ(session.document.cue()->takes.size(), 1u) << name;
    }
};

TEST_F(HostileInput, DroppedRecordings) {
    writeBytes(folder / "empty.wav", "");
    refused("empty.wav", "is empty");
    writeBytes(folder / "text.wav", "This is a letter, not a recording.\n");
    refused("text.wav", "is not audio");
    const std::string whole = readWholeFile(testing::demoFile("airlock.flac"));
    writeBytes(folder / "truncated.flac", whole.substr(0, whole.size() / 3));
    refused("truncated.flac", "breaks off");
    writeAudio(folder / "zeros.wav", soundOf(1.0, 48000, [](double) { return 0.0; }));
    refused("zeros.wav", "is silent");
    writeAudio(folder / "nan.wav", soundOf(1.0, 48000, [](double t) {
                   return t > 0.5 ? std::numeric_limits<double>::quiet_NaN() : plainTone(t);
               }));
    refused("nan.wav", "not a number");
    writeAudio(folder / "two.wav", Recording{48000, {{0.5f, -0.5f}}});
    refused("two.wav", "too short");
    refused("missing.wav", "does not exist");
    std::filesystem::create_directory(folder / "folder.wav");
    refused("folder.wav", "is a folder");
}

TEST_F(HostileInput, DroppedProjectsPatchesAndNotes) {
    session.document.saveAs(folder / "demo.facet"); // so that another project may be opened
    const std::string whole = readWholeFile(folder / "demo.facet");
    writeBytes(folder / "half.facet", whole.substr(0, whole.size() / 2));
    refused("half.facet", "damaged or not a Facet project");
    writeBytes(folder / "words.facet", "not a project");
    refused("words.facet", "damaged or not a Facet project");
    writeBytes(folder / "brace.json", "{");
    refused("brace.json", "not valid JSON");
    writeBytes(folder / "other.json", R"({"format": "recipe for soup", "version": 1})");
    refused("other.json", "not a Facet patch");
    writeBytes(folder / "range.json",
               R"({"format": "facet-patch", "version": 1, "modules": {"layer:a/filter:a": {"cutoff": -3}}})");
    drop(folder / "range.json");
    EXPECT_NE(closedProblem().toStdString().find("cutoff"), std::string::npos) << "the path to the wrong value";
    expectNothingLost("range.json");
    writeBytes(folder / "words.mid", "MThd but then words");
    refused("words.mid", "MIDI");
}

TEST_F(HostileInput, UnusualRecordingsAreWorkedWith) {
    accepted("slow-rate.wav", soundOf(1.0, 8000, plainTone));
    accepted("fast-rate.wav", soundOf(1.0, 192000, plainTone));
    accepted("offset.wav", soundOf(1.0, 48000, [](double t) { return 0.4 + 0.5 * plainTone(t); }));
    accepted("clipped.wav", soundOf(1.0, 48000, [](double t) { return std::clamp(8.0 * plainTone(t), -1.0, 1.0); }));
    accepted("quiet.wav", soundOf(1.0, 48000, [](double t) { return 1e-4 * plainTone(t); }));
    accepted("over.wav", soundOf(1.0, 48000, [](double t) { return 20.0 * plainTone(t); }));
    accepted("short.wav", soundOf(0.12, 48000, plainTone));
}

TEST_F(HostileInput, ChordsAndNoiseAreAdmittedInTheWindow) {
    const auto shown = [&](const Recording& recording) {
        writeAudio(folder / "odd.wav", recording);
        const auto before = session.document.cue()->excerpts.front();
        drop(folder / "odd.wav");
        EXPECT_TRUE(
            QTest::qWaitFor([&] { return session.document.cue()->excerpts.front() != before; }, 60000 * patience));
        const auto* warning = window.findChild<QLabel*>("warning");
        EXPECT_TRUE(warning->isVisible());
        return warning->text().toStdString();
    };
    Random random(5);
    EXPECT_NE(
        shown(soundOf(1.0, 48000, [&](double) { return random.between(-0.3, 0.3); })).find("No single clear pitch"),
        std::string::npos);
    const std::string chord = shown(soundOf(1.5, 48000, [](double t) {
        double sum = 0.0;
        for (double hz : {220.0, 277.18, 329.63})
            for (int n = 1; n <= 6; ++n) sum += 0.12 / n * std::sin(2.0 * std::numbers::pi * hz * n * t);
        return sum;
    }));
    EXPECT_NE(chord.find("several notes at once"), std::string::npos) << chord;
    session.document.undoStack().undo();
    session.document.undoStack().undo();
    EXPECT_FALSE(window.findChild<QLabel*>("warning")->isVisible());
    expectNothingLost("chord");
}

TEST_F(HostileInput, AFolderThatCannotBeWrittenKeepsTheWorkOpen) {
    QSignalSpy problems(&session.messages, &Messages::problem);
    const QString sentence =
        QString::fromStdString(testing::sentenceOf([&] { session.document.saveAs("/proc/demo.facet"); }));
    EXPECT_TRUE(sentence.contains("cannot be saved")) << sentence.toStdString();
    EXPECT_TRUE(session.document.modified());
    EXPECT_EQ(session.document.path(), folder / "demo.facet");
    expectNothingLost("unwritable folder");
    // The project's own folder goes away, for instance with a drive: save says so and the window stays as it is.
    std::filesystem::rename(folder / "demo.facet", folder / "elsewhere.facet");
    std::filesystem::create_directory(folder / "demo.facet");
    QTest::keyClick(&window, Qt::Key_S, Qt::ControlModifier);
    EXPECT_NE(closedProblem(), "");
    EXPECT_TRUE(window.isWindowModified());
    std::filesystem::remove(folder / "demo.facet");
    QTest::keyClick(&window, Qt::Key_S, Qt::ControlModifier);
    EXPECT_FALSE(window.isWindowModified()) << "and once it is back, saving works";
}

} // namespace
} // namespace facet
