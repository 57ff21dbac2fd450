// Working on a project without any widget: edits, undo, background results, saving and recovery.
#include "app/session/session.h"
#include "app/shell/demo_project.h"
#include "core/analysis/series/track.h"
#include "core/audio/audio_file.h"
#include "core/base/random.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"

#include <QGuiApplication>
#include <QSignalSpy>
#include <QTest>
#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::TemporaryFolder;

const Address cutoff{"layer:a/filter:a", "cutoff"};
const Address filterOn{"layer:a/filter:a", "on"};

class SessionTest : public ::testing::Test {
protected:
    SessionTest() : session(folder / "state", SimulatedOutput().name()) {
        saveProject(folder / "demo.facet", makeDemoProject(testing::demoFile("")), 1);
        session.open(folder / "demo.facet");
    }
    bool settle(int ms = 60000) {
        return QTest::qWaitFor([this] { return !session.busy() && session.results().comparisonIsCurrent; }, ms);
    }

    TemporaryFolder folder;
    Session session;
};

TEST_F(SessionTest, MeasuresTheDemoInTheBackground) {
    EXPECT_FALSE(session.results().comparisonIsCurrent);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.results().reference.profile);
    EXPECT_GT(session.results().comparison->likeness, 5.0);
    EXPECT_FALSE(session.modified());
}

TEST_F(SessionTest, EditsAreHeardMeasuredAndUndone) {
    ASSERT_TRUE(settle());
    const double before = session.results().comparison->likeness;
    const auto render = session.results().render.recording;
    session.setParameter(filterOn, 1.0);
    EXPECT_FALSE(session.results().renderIsCurrent);
    session.setParameter(cutoff, 400.0);
    ASSERT_TRUE(settle());
    EXPECT_NE(session.results().render.recording, render);
    EXPECT_NE(session.results().comparison->likeness, before);
    EXPECT_TRUE(session.modified());
    session.undoStack().undo();
    session.undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(session.results().comparison->likeness, before, 1e-9);
    EXPECT_FALSE(session.modified());
}

TEST_F(SessionTest, ADragIsOneStepOfUndo) {
    for (double hz = 100.0; hz < 200.0; hz += 1.0) session.setParameter(cutoff, hz);
    EXPECT_EQ(session.undoStack().count(), 1);
    session.setParameter(filterOn, 1.0);
    EXPECT_EQ(session.undoStack().count(), 2);
}

TEST_F(SessionTest, WhatMovesOverThePhraseIsDrawnByASearchInOneStepOfUndo) {
    // Somebody opened the filter while it played; all else is known and locked.
    Performance phrase;
    for (int i = 0; i < 6; ++i) phrase.notes.push_back({0.5 * i, 0.5 * i + 0.4, 45 + 3 * (i % 3), 0.0, 100.0});
    phrase.frames = 3 * 48000;
    phrase.channelCount = 1;
    Performance turned = phrase;
    turned.setCurve({cutoff.text(), {{0.2, 0.35}, {2.8, 0.8}}});
    Patch patch;
    patch.set(filterOn, 1.0);
    Document document = newDocument();
    Cue changed = *document.cues.front();
    Excerpt excerpt = makeExcerpt(render(patch, turned), "opening");
    excerpt.id = takeId(document);
    excerpt.performance = phrase;
    changed.excerpts = {std::make_shared<const Excerpt>(std::move(excerpt))};
    changed.patch = patch;
    changed.patch.set(cutoff, 1500.0);
    for (const Address& address : patch.addresses())
        if (address != cutoff) changed.locks.insert(address);
    saveProject(folder / "opening.facet", withCue(document, std::move(changed)), 1);
    session.open(folder / "opening.facet");
    ASSERT_TRUE(settle());
    session.startMatch(60.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matchState().running; }, 90000));
    ASSERT_EQ(session.matchState().moving.size(), 1u);
    EXPECT_EQ(session.matchState().moving.front(), cutoff);
    const Curve* curve = session.cue()->excerpt()->performance.curveOf(cutoff.text());
    ASSERT_TRUE(curve);
    EXPECT_LT(curve->points.front().value + 0.3, curve->points.back().value);
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results().comparison->likeness, 95.0);
    session.undoStack().undo();
    EXPECT_FALSE(session.cue()->excerpt()->performance.curveOf(cutoff.text()));
    EXPECT_EQ(session.cue()->patch.value(cutoff), 1500.0);
}

TEST_F(SessionTest, OutdatedResultsAreDropped) {
    ASSERT_TRUE(settle());
    for (double hz = 100.0; hz < 2000.0; hz *= 1.1) {
        session.setParameter(filterOn, 1.0);
        session.setParameter(cutoff, hz);
        QTest::qWait(3);
    }
    ASSERT_TRUE(settle());
    const double last = session.results().comparison->likeness;
    session.setParameter(cutoff, 50.0);
    session.setParameter(cutoff, session.cue()->patch.value(cutoff) + 0.0);
    session.undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_GE(session.results().comparison->likeness, 0.0);
    EXPECT_TRUE(std::isfinite(last));
}

TEST_F(SessionTest, TakesAreKeptRestoredRenamedAndBroughtBack) {
    ASSERT_TRUE(settle());
    session.keepTake("plain");
    const auto id = session.cue()->takes[0]->id;
    EXPECT_TRUE(session.cue()->takes[0]->likeness);
    session.setParameter(cutoff, 321.0);
    session.keepTake();
    EXPECT_EQ(session.cue()->takes[1]->name, "Take 2");
    session.restoreTake(id);
    EXPECT_EQ(session.cue()->patch, session.cue()->takes[0]->patch);
    session.renameTake(id, "first");
    session.starTake(id, true);
    EXPECT_EQ(session.cue()->takes[0]->name, "first");
    session.deleteTake(id);
    EXPECT_EQ(session.cue()->takes.size(), 1u);
    session.undoStack().undo();
    EXPECT_EQ(session.cue()->takes.size(), 2u);
    EXPECT_TRUE(session.cue()->takes[0]->starred);
}

TEST_F(SessionTest, CuesAreAddedSwitchedAndKeepTheirOwnPatch) {
    session.setParameter(cutoff, 500.0);
    const auto airlock = session.cue()->id;
    session.addCue();
    EXPECT_FALSE(session.cue()->excerpt());
    EXPECT_EQ(session.cue()->patch, Patch());
    session.importReference(testing::demoFile("comet-tail.flac"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.performance().notes.size(), 8u);
    EXPECT_EQ(session.cue()->name, "comet-tail");
    session.selectCue(airlock);
    EXPECT_EQ(session.cue()->patch.value(cutoff), 500.0);
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results().cue, airlock);
}

TEST_F(SessionTest, NotesAreCorrectedAndCorrectionsOutliveFindingAgain) {
    ASSERT_TRUE(settle());
    session.findNotesAgain();
    ASSERT_TRUE(settle());
    const Note first = session.performance().notes[0];
    Note up = first;
    up.key += 12;
    session.correctNote("octave", first, up);
    Note further = up;
    further.key += 12;
    session.correctNote("octave", up, further);
    EXPECT_EQ(session.performance().notes[0].key, first.key + 24);
    EXPECT_EQ(session.cue()->excerpt()->corrections.size(), 1u);
    session.correctNote("delete", session.performance().notes[1], std::nullopt);
    session.findNotesAgain();
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.performance().notes[0].key, first.key + 24);
    EXPECT_EQ(session.performance().notes.size(), 3u);
    session.undoStack().undo();
    session.undoStack().undo();
    EXPECT_EQ(session.performance().notes.size(), 4u);
}

TEST_F(SessionTest, ASelectionBecomesTheReference) {
    ASSERT_TRUE(settle());
    session.setLoop(1.35, 2.36);
    session.useSelectionAsReference();
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.performance().notes.size() == 1; }, 30000));
    ASSERT_TRUE(settle());
    EXPECT_NEAR(session.cue()->excerpt()->audio->seconds(), 1.01, 0.001);
    EXPECT_NEAR(session.cue()->excerpt()->begin, 1.35, 1e-9);
    EXPECT_EQ(session.performance().notes[0].key, 36);
    session.undoStack().undo();
    EXPECT_EQ(session.performance().notes.size(), 4u);
}

TEST_F(SessionTest, BadFilesGiveOneSentenceAndChangeNothing) {
    ASSERT_TRUE(settle());
    testing::writeBytes(folder / "text.wav", "words");
    testing::writeBytes(folder / "text.mid", "words");
    QSignalSpy problems(&session, &Session::problem);
    const int steps = session.undoStack().count();
    session.importReference(folder / "text.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return problems.count() == 1; }, 15000));
    session.importNotes(folder / "text.mid");
    ASSERT_EQ(problems.count(), 2);
    EXPECT_TRUE(problems[0][0].toString().contains("is not audio"));
    EXPECT_TRUE(problems[1][0].toString().contains("not a MIDI file"));
    EXPECT_THROW(session.open(folder / "text.wav"), Error);
    EXPECT_EQ(session.undoStack().count(), steps);
    EXPECT_EQ(session.cue()->name, "Airlock");
}

TEST_F(SessionTest, UnpitchedSoundIsAdmitted) {
    std::vector<float> noise(48000);
    Random random(3);
    for (float& v : noise) v = static_cast<float>(random.between(-0.4, 0.4));
    writeAudio(folder / "noise.wav", Recording{48000, {noise}});
    session.addCue();
    session.importReference(folder / "noise.wav");
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.cue()->excerpt() != nullptr && !session.busy(); }, 30000));
    EXPECT_NE(session.cue()->excerpt()->noteProblem, "");
}

TEST_F(SessionTest, AMatchBecomesPatchAndTakeInOneStep) {
    ASSERT_TRUE(settle());
    const double before = session.results().comparison->likeness;
    session.startMatch(4.0);
    EXPECT_TRUE(session.matchState().running);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matchState().running; }, 60000));
    EXPECT_GT(session.matchState().history.size(), 1u);
    ASSERT_FALSE(session.matchState().found.empty());
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results().comparison->likeness, before + 20.0);
    ASSERT_EQ(session.cue()->takes.size(), 1u);
    EXPECT_EQ(session.cue()->takes[0]->patch, session.cue()->patch);
    session.undoStack().undo();
    EXPECT_EQ(session.cue()->patch, Patch());
    EXPECT_TRUE(session.cue()->takes.empty());
}

TEST_F(SessionTest, AMatchThatFindsNothingBetterSaysSo) {
    // What is heard is the patch itself.
    ASSERT_TRUE(settle());
    session.setParameter(filterOn, 1.0);
    session.setParameter(cutoff, 700.0);
    ASSERT_TRUE(settle());
    writeAudio(folder / "own.wav", *session.results().render.recording);
    const Patch own = session.cue()->patch;
    session.importReference(folder / "own.wav");
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.cue()->excerpt()->name == "own" && !session.busy(); }, 60000));
    ASSERT_TRUE(settle());
    const double before = session.results().comparison->likeness;
    QSignalSpy told(&session, &Session::notice);
    session.startMatch(1.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matchState().running; }, 60000));
    ASSERT_TRUE(settle());
    ASSERT_FALSE(told.isEmpty());
    const bool same = std::abs(session.cue()->patch.value(cutoff) - own.value(cutoff)) < 1e-9;
    EXPECT_EQ(told.back()[0].toString().startsWith("Nothing better"), same) << told.back()[0].toString().toStdString();
    EXPECT_GE(session.results().comparison->likeness, before - 1.0);
}

TEST_F(SessionTest, AStoppedMatchKeepsItsBest) {
    ASSERT_TRUE(settle());
    session.startMatch(60.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matchState().found.empty(); }, 60000));
    session.stopMatch();
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matchState().running; }, 60000));
    EXPECT_EQ(session.cue()->takes.size(), 1u);
}

TEST_F(SessionTest, SavesReopensAndLosesNothing) {
    ASSERT_TRUE(settle());
    session.setParameter(filterOn, 1.0);
    session.keepTake("one");
    session.setParameter(cutoff, 333.0);
    session.keepTake("two");
    session.setLocked(cutoff, true);
    session.setSearchRange(cutoff, std::pair{3000.0, 200.0}); // in either order
    session.setLoop(0.5, 1.0);
    session.saveAs(folder / "other.facet");
    EXPECT_FALSE(session.modified());
    Session again(folder / "state2", SimulatedOutput().name());
    again.open(folder / "other.facet");
    ASSERT_EQ(again.cue()->takes.size(), 2u);
    EXPECT_EQ(again.cue()->takes[1]->name, "two");
    EXPECT_EQ(again.cue()->patch.value(cutoff), 333.0);
    EXPECT_TRUE(again.cue()->locks.contains(cutoff));
    EXPECT_EQ(again.cue()->ranges.at(cutoff), (std::pair{200.0, 3000.0}));
    EXPECT_EQ(again.cue()->loopEnd, 1.0);
    EXPECT_THROW(session.saveAs(folder / "none" / "x.facet"), Error);
    EXPECT_EQ(session.path(), folder / "other.facet");
}

TEST_F(SessionTest, PlaysAtTheLoudnessShown) {
    ASSERT_TRUE(settle());
    auto& output = dynamic_cast<SimulatedOutput&>(session.playback().output());
    const auto play = [&](Side side) {
        session.playback().player().seek(0.0);
        output.capture(2.0);
        session.playback().play(side);
        EXPECT_TRUE(QTest::qWaitFor([&] { return output.capturedFrames() == 2 * output.rateHz(); }, 24000));
        session.playback().player().stop();
        QTest::qWait(60);
        std::vector<std::vector<float>> channels(1);
        for (std::size_t i = 0; i < output.captured().size(); i += 2) channels[0].push_back(output.captured()[i]);
        return activeLoudness(channels);
    };
    const double reference = play(Side::reference);
    const double render = play(Side::render);
    EXPECT_NEAR(reference, session.results().reference.loudness, 1.0);
    EXPECT_NEAR(render, reference, 1.0) << "swapping compares at equal loudness";
    EXPECT_GT(session.results().render.loudness, session.results().reference.loudness + 6.0)
        << "though the render itself is louder";
}

} // namespace
} // namespace facet

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    const QGuiApplication app(argc, argv);
    ::testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
