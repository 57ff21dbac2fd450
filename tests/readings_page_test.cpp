// The ways to read a recording's notes in the real window: chosen, heard, undone, corrected, found anew, matched.
#include "app/views/listening/mirror_view.h"
#include "app/views/notes/note_editor.h"
#include "app/views/notes/notes_page.h"
#include "core/audio/audio_file.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <cmath>

namespace facet::testing {

/// A reference of one struck note with what an echo leaves of it: one note, or four.
class ReadingsTest : public WindowTest {
protected:
    ReadingsTest() {
        const auto gate = [](double t) { return std::clamp(std::min(t / 0.005, (0.12 - t) / 0.02), 0.0, 1.0); };
        writeAudio(folder / "echoes.wav", soundOf(1.5, 48000, [&](double t) {
                       double sum = 0.0;
                       for (int k = 0; k < 4; ++k) {
                           const double at = t - 0.1 - 0.25 * k;
                           if (at >= 0.0 && at < 0.12) sum += std::pow(0.5, k) * gate(at) * sawAt(174.61, at);
                       }
                       return 0.4 * sum;
                   }));
        session.reference.importReference(folder / "echoes.wav");
        EXPECT_TRUE(QTest::qWaitFor([this] { return excerpt() && excerpt()->name == "echoes"; }, 60000 * patience));
        EXPECT_TRUE(settle());
        EXPECT_TRUE(window.showView("notes"));
        laidOut();
    }
    const Excerpt* excerpt() { return session.document.excerpt(); }
    std::size_t noteCount() { return session.document.performance().notes.size(); }
    std::vector<QPushButton*> offered() {
        std::vector<QPushButton*> buttons;
        for (auto* each : window.findChildren<QPushButton*>("reading"))
            if (each->isVisible()) buttons.push_back(each);
        return buttons;
    }
    /// The place of the reading with so many notes; −1: there is none.
    int withNotes(std::size_t count) {
        for (std::size_t i = 0; i < excerpt()->readings.size(); ++i)
            if (excerpt()->readings[i].notes.size() == count) return static_cast<int>(i);
        return -1;
    }
};

TEST_F(ReadingsTest, AreOfferedAndChosenAndHeardAndUndone) {
    ASSERT_GE(offered().size(), 2u);
    EXPECT_EQ(offered().size(), excerpt()->readings.size());
    const std::size_t first = excerpt()->reading;
    const auto notes = excerpt()->performance.notes;
    const int other = first == 0 ? 1 : 0;
    QPushButton* wanted = offered()[static_cast<std::size_t>(other)];
    EXPECT_NE(wanted->toolTip(), "") << "it says why";
    QTest::mouseClick(wanted, Qt::LeftButton);
    EXPECT_EQ(excerpt()->reading, static_cast<std::size_t>(other));
    EXPECT_EQ(excerpt()->performance.notes, excerpt()->readings[static_cast<std::size_t>(other)].notes);
    EXPECT_TRUE(wanted->isChecked());
    EXPECT_TRUE(QTest::qWaitFor(
        [this] { return session.playback.player().playing() && session.playback.player().side() == Side::render; },
        10000 * patience))
        << "heard at once";
    ASSERT_TRUE(settle());
    session.document.undoStack().undo();
    EXPECT_EQ(excerpt()->reading, first);
    EXPECT_EQ(excerpt()->performance.notes, notes);
    EXPECT_FALSE(wanted->isChecked());
    // By key: the next one, and round.
    for (std::size_t i = 0; i < excerpt()->readings.size(); ++i)
        QTest::keyClick(&window, Qt::Key_F4, Qt::ShiftModifier);
    EXPECT_EQ(excerpt()->reading, first);
}

TEST_F(ReadingsTest, OfTheMirrorsRulerAreAMenu) {
    ASSERT_GE(excerpt()->readings.size(), 2u);
    const std::size_t first = excerpt()->reading;
    // Left of the ruler, behind the tempo.
    const QPoint link(static_cast<int>(window.mirror().rulerRect().left()) - 20,
                      static_cast<int>(window.mirror().rulerRect().center().y()));
    QTest::mouseClick(&window.mirror(), Qt::LeftButton, {}, link);
    auto* menu = window.mirror().findChild<QMenu*>("readings");
    ASSERT_TRUE(menu && menu->isVisible());
    const auto actions = menu->actions();
    ASSERT_EQ(static_cast<std::size_t>(actions.size()), excerpt()->readings.size());
    EXPECT_TRUE(actions[static_cast<qsizetype>(first)]->isChecked());
    const std::size_t other = first == 0 ? 1 : 0;
    QTest::mouseMove(menu, menu->actionGeometry(actions[static_cast<qsizetype>(other)]).center());
    QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(actions[static_cast<qsizetype>(other)]).center());
    EXPECT_EQ(excerpt()->reading, other);
    EXPECT_EQ(session.notes.outlined(), first) << "the likeliest other one is drawn beside it";
}

TEST_F(ReadingsTest, KeepCorrectionsAsALayer) {
    const int four = withNotes(4);
    ASSERT_GE(four, 0);
    session.notes.chooseReading(static_cast<std::size_t>(four));
    ASSERT_EQ(noteCount(), 4u);
    Note louder = session.document.performance().notes.front();
    louder.key += 12;
    session.notes.correct("octave", session.document.performance().notes.front(), louder);
    EXPECT_EQ(session.document.performance().notes.front().key, louder.key);
    const int one = withNotes(1);
    ASSERT_GE(one, 0);
    session.notes.chooseReading(static_cast<std::size_t>(one));
    EXPECT_EQ(noteCount(), 1u);
    EXPECT_EQ(session.document.performance().notes.front().key, louder.key) << "the same note, corrected still";
    EXPECT_FALSE(excerpt()->openToReadings()) << "a search keeps to what was corrected by hand";
    // Found anew, corrections stay and there are readings again.
    session.notes.findAgain();
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.notes.busy(); }, 60000 * patience));
    ASSERT_TRUE(settle());
    EXPECT_GE(excerpt()->readings.size(), 2u);
    EXPECT_EQ(session.document.performance().notes.front().key, louder.key);
}

TEST_F(ReadingsTest, AreTriedByAMatchWhichNamesTheWinner) {
    ASSERT_TRUE(excerpt()->openToReadings());
    session.notes.chooseReading(1); // one that is unlikely by itself: the likeliest is tried beside it
    ASSERT_TRUE(settle());
    const auto before = excerpt()->performance.notes;
    session.matching.start(20.0); // time for two trials on a slow machine too
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 240000 * patience));
    ASSERT_TRUE(settle());
    const MatchState& state = session.matching.state();
    ASSERT_GE(state.trials.size(), 2u);
    ASSERT_FALSE(state.found.empty());
    const std::size_t won = state.found.front().reading;
    ASSERT_LT(won, state.readings.size());
    EXPECT_EQ(excerpt()->performance.notes, state.readings[won].notes) << "the notes are those the winner plays";
    ASSERT_TRUE(window.showView("search"));
    laidOut();
    auto* tried = window.findChild<QLabel*>("triedReadings");
    ASSERT_TRUE(tried && tried->isVisible());
    for (const ReadingTrial& each : state.trials)
        EXPECT_TRUE(tried->text().contains(QString::fromStdString(each.words))) << tried->text().toStdString();
    // Whichever won, one step of undo brings patch and notes back.
    session.document.undoStack().undo();
    EXPECT_EQ(excerpt()->performance.notes, before);
}

TEST_F(ReadingsTest, AreKeptWithTheProject) {
    const std::size_t other = excerpt()->reading == 0 ? 1 : 0;
    session.notes.chooseReading(other);
    const auto readings = excerpt()->readings;
    session.document.saveAs(folder / "kept.facet");
    session.document.open(folder / "kept.facet");
    ASSERT_TRUE(excerpt());
    EXPECT_EQ(excerpt()->reading, other);
    EXPECT_EQ(excerpt()->readings, readings);
}

TEST_F(ReadingsTest, AreNotOfferedWhereThereIsOne) {
    session.document.open(folder / "demo.facet"); // its notes were imported
    laidOut();
    EXPECT_TRUE(offered().empty());
    QTest::keyClick(&window, Qt::Key_F4, Qt::ShiftModifier);
    EXPECT_EQ(session.notes.outlined(), std::nullopt);
}

} // namespace facet::testing
