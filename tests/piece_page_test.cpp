// All cues together in the real window: heard, placed, weighed and set against a backing.
#include "app/views/listening/mirror_view.h"
#include "app/views/piece/piece_lanes.h"
#include "app/views/piece/piece_page.h"
#include "core/audio/audio_file.h"
#include "core/devices/audio_output.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QProgressBar>

namespace facet::testing {

class PiecePageTest : public WindowTest {
protected:
    PiecePageTest() {
        window.showView("piece");
        EXPECT_TRUE(lanes().hasFocus()) << "Space plays at once";
    }
    PieceLanes& lanes() { return window.findChild<PiecePage*>()->lanes(); }
    template <typename T> T* named(const QString& accessible) {
        for (auto* each : window.findChildren<T*>())
            if (each->isVisible() && each->accessibleName() == accessible) return each;
        return nullptr;
    }
    const Excerpt& excerptOf(int cue) {
        return *session.document.document().cues[static_cast<std::size_t>(cue)]->excerpt();
    }
    bool ready() {
        return QTest::qWaitFor([this] { return session.listening.pieceReady(); }, 90000 * patience);
    }
    /// What the meter shows.
    int heardDb() { return window.findChild<QProgressBar*>("levelMeter")->value(); }
    void type(QDoubleSpinBox* box, const QString& text) {
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, text);
        QTest::keyClick(box, Qt::Key_Return);
    }
};

TEST_F(PiecePageTest, AllCuesAreHeardTogetherByKeysAndByMouse) {
    QTest::keyClick(&window, Qt::Key_7, Qt::ControlModifier);
    EXPECT_TRUE(session.listening.hearingPiece());
    ASSERT_TRUE(ready());
    Player& player = session.playback.player();
    QTest::keyClick(&lanes(), Qt::Key_Space);
    ASSERT_TRUE(QTest::qWaitFor([&] { return player.playing() && heardDb() > -40; }, 15000 * patience));
    // Around the cue being worked on: Airlock lies at 2.5 s, a bar before is its beginning of 0 s.
    EXPECT_TRUE(QTest::qWaitFor([&] { return player.position() > 2.5; }, 15000 * patience));
    EXPECT_LT(session.listening.phrasePosition(), 3.5);
    // The window manager may hand the focus about: what has it not, hears no keys.
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            if (QApplication::focusWidget() == &lanes()) return true;
            window.activateWindow();
            lanes().setFocus();
            return false;
        },
        15000 * patience));
    QTest::keyClick(&lanes(), Qt::Key_X);
    EXPECT_EQ(player.side(), Side::render);
    auto* button = window.findChild<QPushButton*>("hearPiece");
    ASSERT_TRUE(button);
    EXPECT_TRUE(button->isChecked());
    QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_FALSE(session.listening.hearingPiece());
    EXPECT_TRUE(QTest::qWaitFor([&] { return player.position() < 3.1; }, 10000 * patience)) << "back in the phrase";
    QTest::keyClick(&lanes(), Qt::Key_Escape);
}

TEST_F(PiecePageTest, APhraseIsPutInItsPlaceByDraggingKeysAndTyping) {
    ASSERT_EQ(excerptOf(1).placeInPiece(), 10.0);
    const QPoint from = lanes().blockRect(1).center().toPoint();
    const double before = lanes().secondsAt(from.x());
    QTest::mousePress(&lanes(), Qt::LeftButton, {}, from);
    QTest::mouseMove(&lanes(), from + QPoint(20, 0));
    QTest::mouseMove(&lanes(), from + QPoint(60, 0));
    const double after = lanes().secondsAt(from.x() + 60);
    QTest::mouseRelease(&lanes(), Qt::LeftButton, {}, from + QPoint(60, 0));
    EXPECT_NEAR(excerptOf(1).placeInPiece(), 10.0 + after - before, 0.002);
    EXPECT_EQ(session.document.cue()->name, "Comet Tail") << "what is taken hold of is worked on";
    session.document.undoStack().undo();
    EXPECT_EQ(excerptOf(1).placeInPiece(), 10.0) << "one step";
    ASSERT_TRUE(settle());
    lanes().setFocus();
    QTest::keyClick(&lanes(), Qt::Key_Right);
    EXPECT_NEAR(excerptOf(1).placeInPiece(), 10.01, 1e-9);
    QTest::keyClick(&lanes(), Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_NEAR(excerptOf(1).placeInPiece(), 10.009, 1e-9);
    QTest::keyClick(&lanes(), Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NEAR(excerptOf(1).placeInPiece(), 10.509, 1e-9) << "a beat at 120";
    QTest::keyClick(&lanes(), Qt::Key_Down);
    EXPECT_EQ(session.document.cue()->name, "Comet Tail with echoes");
    auto* place = named<QDoubleSpinBox>("Place of Beacon");
    ASSERT_TRUE(place);
    type(place, "18.25");
    EXPECT_EQ(excerptOf(5).placeInPiece(), 18.25);
}

TEST_F(PiecePageTest, CuesAreSilencedWeighedAndHeardInATake) {
    auto* heard = named<QCheckBox>("Touchdown is heard in the piece");
    ASSERT_TRUE(heard);
    QTest::mouseClick(heard, Qt::LeftButton, {}, QPoint(8, heard->height() / 2));
    EXPECT_FALSE(session.document.document().cues[4]->part.heard);
    auto* level = named<QDoubleSpinBox>("Level of Airlock");
    ASSERT_TRUE(level);
    type(level, "-3.5");
    EXPECT_EQ(session.document.document().cues[0]->part.levelDb, -3.5);
    session.takes.keep("Bright");
    auto* takes = named<QComboBox>("What is heard of Airlock");
    ASSERT_TRUE(takes);
    ASSERT_EQ(takes->count(), 2);
    takes->setFocus();
    QTest::keyClick(takes, Qt::Key_Down);
    EXPECT_EQ(session.document.document().cues[0]->part.take, session.document.cue()->takes[0]->id);
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(session.document.document().cues[0]->part.take, 0u);
    EXPECT_EQ(session.document.document().cues[0]->part.levelDb, -3.5) << "the level was another step";
    EXPECT_EQ(takes->currentIndex(), 0);
}

TEST_F(PiecePageTest, AnEditIsHeardInThePieceAndTheBackingFollowsItsLevel) {
    session.listening.hearPiece(true);
    ASSERT_TRUE(ready());
    // What the piece plays with each patch, as the simulated output receives it.
    session.listening.loopWholePiece(true);
    auto* level = window.findChild<QDoubleSpinBox*>("backingLevel");
    ASSERT_TRUE(level);
    type(level, "-60");
    EXPECT_EQ(session.document.document().backingDb, -60.0);
    for (int cue = 1; cue < 6; ++cue) {
        PiecePart part;
        part.heard = false;
        session.piece.setPart(session.document.document().cues[static_cast<std::size_t>(cue)]->id, part);
    }
    session.playback.listenTo(Side::render);
    session.playback.seek(2.5);
    session.playback.toggle();
    EXPECT_TRUE(QTest::qWaitFor([&] { return heardDb() > -30; }, 15000 * patience));
    QTest::mouseClick(window.findChild<QToolButton*>("removeBacking"), Qt::LeftButton);
    EXPECT_EQ(session.document.document().backing, nullptr);
    // Silent where the only cue is silent: the backing is gone, and the edit has arrived.
    const Address source{"layer:a/source:a", "on"};
    session.patch.setParameter(source, 0.0);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            session.playback.seek(3.0);
            QTest::qWait(150);
            return heardDb() <= -60;
        },
        30000 * patience));
    session.patch.setParameter(source, 1.0);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            session.playback.seek(2.6);
            QTest::qWait(150);
            return heardDb() > -30;
        },
        30000 * patience));
    session.playback.toggle();
    session.listening.hearPiece(false);
}

TEST_F(PiecePageTest, ABackingIsChosenFromAFileAndWrongOnesAreToldOf) {
    writeAudio(folder / "other.wav", testing::soundOf(3.0, 44100, [](double t) { return 0.1 * std::sin(300.0 * t); }));
    typeNextFile(folder / "other.wav");
    QTest::mouseClick(window.findChild<QPushButton*>("chooseBacking"), Qt::LeftButton);
    EXPECT_TRUE(
        QTest::qWaitFor([this] { return session.document.document().backing->name == "other"; }, 15000 * patience));
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.document().backing->name, "backing");
    writeBytes(folder / "bad.wav", "not a sound");
    typeNextFile(folder / "bad.wav");
    QTest::mouseClick(window.findChild<QPushButton*>("chooseBacking"), Qt::LeftButton);
    QMessageBox* shown = nullptr;
    EXPECT_TRUE(QTest::qWaitFor([&] { return (shown = window.findChild<QMessageBox*>("problem")) != nullptr; },
                                15000 * patience));
    if (shown) {
        EXPECT_TRUE(shown->text().contains("bad.wav"));
        shown->reject();
    }
    EXPECT_EQ(session.document.document().backing->name, "backing") << "what was there stays";
}

TEST_F(PiecePageTest, OtherWaysOfHearingEndIt) {
    session.listening.hearPiece(true);
    QTest::keyClick(&window, Qt::Key_6, Qt::ControlModifier);
    EXPECT_FALSE(session.listening.hearingPiece());
    EXPECT_TRUE(session.listening.hearingDifference());
    session.listening.hearPiece(true);
    EXPECT_FALSE(session.listening.hearingDifference());
    session.playback.setSlowness(2);
    EXPECT_FALSE(session.listening.hearingPiece());
    session.playback.setSlowness(4);
    session.listening.hearPiece(true);
    EXPECT_EQ(session.playback.slowness(), 1) << "the piece plays at full speed";
    session.document.newProject();
    EXPECT_FALSE(session.listening.hearingPiece());
}

} // namespace facet::testing
