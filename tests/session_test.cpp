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
#include "tests/support/patience.h"

#include <QGuiApplication>
#include <QSignalSpy>
#include <QTest>
#include <gtest/gtest.h>

namespace facet {
namespace {

using testing::patience;
using testing::TemporaryFolder;

const Address cutoff{"layer:a/filter:a", "cutoff"};
const Address filterOn{"layer:a/filter:a", "on"};

class SessionTest : public ::testing::Test {
protected:
    SessionTest() : session(folder / "state", SimulatedOutput().name()) {
        saveProject(folder / "demo.facet", makeDemoProject(testing::demoFile("")), 1);
        session.document.open(folder / "demo.facet");
    }
    bool settle(int ms = 60000 * patience) {
        return QTest::qWaitFor([this] { return !session.busy() && session.results.state().comparisonIsCurrent; }, ms);
    }

    TemporaryFolder folder;
    Session session;
};

TEST_F(SessionTest, MeasuresTheDemoInTheBackground) {
    EXPECT_FALSE(session.results.state().comparisonIsCurrent);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.results.state().reference.profile);
    EXPECT_GT(session.results.state().comparison->likeness, 5.0);
    EXPECT_FALSE(session.document.modified());
}

TEST_F(SessionTest, EditsAreHeardMeasuredAndUndone) {
    ASSERT_TRUE(settle());
    const double before = session.results.state().comparison->likeness;
    const auto render = session.results.state().render.recording;
    session.patch.setParameter(filterOn, 1.0);
    EXPECT_FALSE(session.results.state().renderIsCurrent);
    session.patch.setParameter(cutoff, 400.0);
    ASSERT_TRUE(settle());
    EXPECT_NE(session.results.state().render.recording, render);
    EXPECT_NE(session.results.state().comparison->likeness, before);
    EXPECT_TRUE(session.document.modified());
    session.document.undoStack().undo();
    session.document.undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(session.results.state().comparison->likeness, before, 1e-9);
    EXPECT_FALSE(session.document.modified());
}

TEST_F(SessionTest, ADragIsOneStepOfUndo) {
    for (double hz = 100.0; hz < 200.0; hz += 1.0) session.patch.setParameter(cutoff, hz);
    EXPECT_EQ(session.document.undoStack().count(), 1);
    session.patch.setParameter(filterOn, 1.0);
    EXPECT_EQ(session.document.undoStack().count(), 2);
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
    session.document.open(folder / "opening.facet");
    ASSERT_TRUE(settle());
    session.matching.start(60.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 90000 * patience));
    ASSERT_EQ(session.matching.state().moving.size(), 1u);
    EXPECT_EQ(session.matching.state().moving.front(), cutoff);
    const Curve* curve = session.document.cue()->excerpt()->performance.curveOf(cutoff.text());
    ASSERT_TRUE(curve);
    EXPECT_LT(curve->points.front().value + 0.3, curve->points.back().value);
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results.state().comparison->likeness, 95.0);
    session.document.undoStack().undo();
    EXPECT_FALSE(session.document.cue()->excerpt()->performance.curveOf(cutoff.text()));
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 1500.0);
}

TEST_F(SessionTest, OutdatedResultsAreDropped) {
    ASSERT_TRUE(settle());
    session.patch.setParameter(filterOn, 1.0);
    session.patch.setParameter(cutoff, 2000.0);
    ASSERT_TRUE(settle());
    const Comparison wanted = *session.results.state().comparison;
    // Whenever a comparison is shown as current, it is of the patch as it stands.
    const Excerpt& excerpt = *session.document.excerpt();
    int shown = 0;
    const auto watch = [&] {
        const CueResults& results = session.results.state();
        if (!results.renderIsCurrent || !results.render.recording) return;
        ++shown;
        const Recording expected = render(session.document.cue()->patch, excerpt.corrected());
        EXPECT_EQ(results.render.recording->channels, expected.channels);
    };
    QObject::connect(&session.results, &ResultsController::changed, &session, watch);
    for (double hz : {100.0, 300.0, 900.0, 2700.0}) {
        session.patch.setParameter(cutoff, hz);
        session.patch.setParameter(cutoff, hz * 1.1); // at once: the first is never shown
        ASSERT_TRUE(QTest::qWaitFor([&] { return session.results.state().renderIsCurrent; }, 60000 * patience));
    }
    session.patch.setParameter(cutoff, 2000.0);
    ASSERT_TRUE(settle());
    EXPECT_GT(shown, 4);
    EXPECT_EQ(session.results.state().comparison->likeness, wanted.likeness);
}

TEST_F(SessionTest, ASwitchOfTheCueDropsWhatBelongsToTheOther) {
    ASSERT_TRUE(settle());
    ASSERT_GT(session.document.document().cues.size(), 1u);
    session.nextMoves.want(true);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !session.nextMoves.moves().best.empty(); }, 180000 * patience));
    session.document.selectCue(session.document.document().cues[1]->id);
    EXPECT_TRUE(session.nextMoves.moves().best.empty()) << "moves of the other cue's patch";
    const Patch before = session.document.cue()->patch;
    session.nextMoves.take(0);
    EXPECT_EQ(session.document.cue()->patch, before);
}

TEST_F(SessionTest, AnyEditsAreUndoneAndRedone) {
    Random random(5);
    const auto below = [&](std::size_t count) {
        return static_cast<std::size_t>(random.between(0.0, static_cast<double>(count)));
    };
    std::vector<Patch> states{session.document.cue()->patch};
    for (int i = 0; i < 40; ++i) {
        const auto addresses = session.document.cue()->patch.addresses();
        const Address address = addresses[below(addresses.size())];
        const int steps = session.document.undoStack().index();
        switch (below(5)) {
        case 0: session.patch.addModule(static_cast<ModuleKind>(below(moduleKindCount)), "layer:a"); break;
        case 1: session.patch.removeModule(address.module); break;
        case 2: session.patch.resetModule(address.module); break;
        case 3: session.patch.tie(address, addresses[below(addresses.size())], below(2) == 0); break;
        default:
            session.patch.setParameter(address,
                                       session.document.cue()->patch.descriptor(address).fromUnit(random.unit()));
        }
        if (session.document.undoStack().index() > steps)
            states.push_back(session.document.cue()->patch);
        else
            states.back() = session.document.cue()->patch; // turning one parameter is one step
    }
    ASSERT_GT(states.size(), 15u);
    for (std::size_t i = states.size(); i-- > 1;) {
        EXPECT_EQ(session.document.cue()->patch, states[i]);
        session.document.undoStack().undo();
    }
    for (const Patch& state : states) {
        EXPECT_EQ(session.document.cue()->patch, state);
        session.document.undoStack().redo();
    }
    EXPECT_EQ(session.document.cue()->patch, states.back());
}

TEST_F(SessionTest, TakesAreKeptRestoredRenamedAndBroughtBack) {
    ASSERT_TRUE(settle());
    session.takes.keep("plain");
    const auto id = session.document.cue()->takes[0]->id;
    EXPECT_TRUE(session.document.cue()->takes[0]->likeness);
    session.patch.setParameter(cutoff, 321.0);
    session.takes.keep();
    EXPECT_EQ(session.document.cue()->takes[1]->name, "Take 2");
    session.takes.restore(id);
    EXPECT_EQ(session.document.cue()->patch, session.document.cue()->takes[0]->patch);
    session.takes.rename(id, "first");
    session.takes.star(id, true);
    EXPECT_EQ(session.document.cue()->takes[0]->name, "first");
    session.takes.remove(id);
    EXPECT_EQ(session.document.cue()->takes.size(), 1u);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->takes.size(), 2u);
    EXPECT_TRUE(session.document.cue()->takes[0]->starred);
}

TEST_F(SessionTest, CuesAreAddedSwitchedAndKeepTheirOwnPatch) {
    session.patch.setParameter(cutoff, 500.0);
    const auto airlock = session.document.cue()->id;
    session.addCue();
    EXPECT_FALSE(session.document.cue()->excerpt());
    EXPECT_EQ(session.document.cue()->patch, Patch());
    session.reference.importReference(testing::demoFile("comet-tail.flac"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.document.performance().notes.size(), 8u);
    EXPECT_EQ(session.document.cue()->name, "comet-tail");
    session.document.selectCue(airlock);
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 500.0);
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results.state().cue, airlock);
}

TEST_F(SessionTest, NotesAreCorrectedAndCorrectionsOutliveFindingAgain) {
    ASSERT_TRUE(settle());
    session.notes.findAgain();
    ASSERT_TRUE(settle());
    const Note first = session.document.performance().notes[0];
    Note up = first;
    up.key += 12;
    session.notes.correct("octave", first, up);
    Note further = up;
    further.key += 12;
    session.notes.correct("octave", up, further);
    EXPECT_EQ(session.document.performance().notes[0].key, first.key + 24);
    EXPECT_EQ(session.document.cue()->excerpt()->corrections.size(), 1u);
    session.notes.correct("delete", session.document.performance().notes[1], std::nullopt);
    session.notes.findAgain();
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.document.performance().notes[0].key, first.key + 24);
    EXPECT_EQ(session.document.performance().notes.size(), 3u);
    session.document.undoStack().undo();
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.performance().notes.size(), 4u);
}

TEST_F(SessionTest, ASelectionBecomesTheReference) {
    ASSERT_TRUE(settle());
    session.document.setLoop(1.35, 2.36);
    session.reference.useSelectionAsReference();
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.document.performance().notes.size() == 1; }, 30000 * patience));
    ASSERT_TRUE(settle());
    EXPECT_NEAR(session.document.cue()->excerpt()->audio->seconds(), 1.01, 0.001);
    EXPECT_NEAR(session.document.cue()->excerpt()->begin, 1.35, 1e-9);
    EXPECT_EQ(session.document.performance().notes[0].key, 36);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.performance().notes.size(), 4u);
}

TEST_F(SessionTest, BadFilesGiveOneSentenceAndChangeNothing) {
    ASSERT_TRUE(settle());
    testing::writeBytes(folder / "text.wav", "words");
    testing::writeBytes(folder / "text.mid", "words");
    QSignalSpy problems(&session.messages, &Messages::problem);
    const int steps = session.document.undoStack().count();
    session.reference.importReference(folder / "text.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return problems.count() == 1; }, 15000 * patience));
    session.notes.importFile(folder / "text.mid");
    ASSERT_EQ(problems.count(), 2);
    EXPECT_TRUE(problems[0][0].toString().contains("is not audio"));
    EXPECT_TRUE(problems[1][0].toString().contains("not a MIDI file"));
    EXPECT_THROW(session.document.open(folder / "text.wav"), Error);
    EXPECT_EQ(session.document.undoStack().count(), steps);
    EXPECT_EQ(session.document.cue()->name, "Airlock");
}

TEST_F(SessionTest, UnpitchedSoundIsAdmitted) {
    std::vector<float> noise(48000);
    Random random(3);
    for (float& v : noise) v = static_cast<float>(random.between(-0.4, 0.4));
    writeAudio(folder / "noise.wav", Recording{48000, {noise}});
    session.addCue();
    session.reference.importReference(folder / "noise.wav");
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.document.cue()->excerpt() != nullptr && !session.busy(); },
                                30000 * patience));
    EXPECT_NE(session.document.cue()->excerpt()->noteProblem, "");
}

TEST_F(SessionTest, AMatchBecomesPatchAndTakeInOneStep) {
    ASSERT_TRUE(settle());
    const double before = session.results.state().comparison->likeness;
    session.matching.start(4.0);
    EXPECT_TRUE(session.matching.state().running);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 60000 * patience));
    EXPECT_GT(session.matching.state().history.size(), 1u);
    ASSERT_FALSE(session.matching.state().found.empty());
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results.state().comparison->likeness, before + 20.0);
    ASSERT_EQ(session.document.cue()->takes.size(), 1u);
    EXPECT_EQ(session.document.cue()->takes[0]->patch, session.document.cue()->patch);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch, Patch());
    EXPECT_TRUE(session.document.cue()->takes.empty());
}

TEST_F(SessionTest, AMatchThatFindsNothingBetterSaysSo) {
    // What is heard is the patch itself.
    ASSERT_TRUE(settle());
    session.patch.setParameter(filterOn, 1.0);
    session.patch.setParameter(cutoff, 700.0);
    ASSERT_TRUE(settle());
    writeAudio(folder / "own.wav", *session.results.state().render.recording);
    const Patch own = session.document.cue()->patch;
    session.reference.importReference(folder / "own.wav");
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.document.cue()->excerpt()->name == "own" && !session.busy(); },
                                60000 * patience));
    ASSERT_TRUE(settle());
    const double before = session.results.state().comparison->likeness;
    QSignalSpy shown(&session.messages, &Messages::notice);
    session.matching.start(1.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 60000 * patience));
    ASSERT_TRUE(settle());
    ASSERT_FALSE(shown.isEmpty());
    const bool same = std::abs(session.document.cue()->patch.value(cutoff) - own.value(cutoff)) < 1e-9;
    EXPECT_EQ(shown.back()[0].toString().startsWith("Nothing better"), same)
        << shown.back()[0].toString().toStdString();
    EXPECT_GE(session.results.state().comparison->likeness, before - 1.0);
}

TEST_F(SessionTest, AStoppedMatchKeepsItsBest) {
    ASSERT_TRUE(settle());
    session.matching.start(60.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().found.empty(); }, 60000 * patience));
    session.matching.stop();
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 60000 * patience));
    EXPECT_EQ(session.document.cue()->takes.size(), 1u);
}

TEST_F(SessionTest, SavesReopensAndLosesNothing) {
    ASSERT_TRUE(settle());
    session.patch.setParameter(filterOn, 1.0);
    session.takes.keep("one");
    session.patch.setParameter(cutoff, 333.0);
    session.takes.keep("two");
    session.patch.setLocked(cutoff, true);
    session.patch.setSearchRange(cutoff, std::pair{3000.0, 200.0}); // in either order
    session.document.setLoop(0.5, 1.0);
    session.document.saveAs(folder / "other.facet");
    EXPECT_FALSE(session.document.modified());
    Session again(folder / "state2", SimulatedOutput().name());
    again.document.open(folder / "other.facet");
    ASSERT_EQ(again.document.cue()->takes.size(), 2u);
    EXPECT_EQ(again.document.cue()->takes[1]->name, "two");
    EXPECT_EQ(again.document.cue()->patch.value(cutoff), 333.0);
    EXPECT_TRUE(again.document.cue()->locks.contains(cutoff));
    EXPECT_EQ(again.document.cue()->ranges.at(cutoff), (std::pair{200.0, 3000.0}));
    EXPECT_EQ(again.document.cue()->loopEnd, 1.0);
    EXPECT_THROW(session.document.saveAs(folder / "none" / "x.facet"), Error);
    EXPECT_EQ(session.document.path(), folder / "other.facet");
}

TEST_F(SessionTest, PlaysAtTheLoudnessShown) {
    ASSERT_TRUE(settle());
    auto& output = dynamic_cast<SimulatedOutput&>(session.playback.output());
    const auto play = [&](Side side) {
        session.playback.player().seek(0.0);
        output.capture(2.0);
        session.playback.play(side);
        EXPECT_TRUE(QTest::qWaitFor([&] { return output.capturedFrames() == 2 * output.rateHz(); }, 24000 * patience));
        session.playback.player().stop();
        EXPECT_TRUE(QTest::qWaitFor([&] { return session.playback.player().takePeak() == 0.0f; }, 15000 * patience));
        std::vector<std::vector<float>> channels(1);
        for (std::size_t i = 0; i < output.captured().size(); i += 2) channels[0].push_back(output.captured()[i]);
        return activeLoudness(channels);
    };
    const double reference = play(Side::reference);
    const double render = play(Side::render);
    EXPECT_NEAR(reference, session.results.state().reference.loudness, 1.0);
    EXPECT_NEAR(render, reference, 1.0) << "swapping compares at equal loudness";
    EXPECT_GT(session.results.state().render.loudness, session.results.state().reference.loudness + 6.0)
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
