// Playing the patch in the real window: the keyboard strip, a MIDI keyboard, what the phrase does not show; and patches
// to begin from.
#include "app/views/common/kind_box.h"
#include "app/views/notes/keyboard_strip.h"
#include "app/views/notes/piano_keys.h"
#include "app/views/patch/start_dialog.h"
#include "core/parameters/archetypes.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QInputDialog>
#include <QLabel>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTimer>
#include <QTreeWidget>

namespace facet::testing {

class PlayingTest : public WindowTest {
protected:
    PlayingTest() {
        window.showView("patch");
        QTest::keyClick(&window, Qt::Key_F12);
        EXPECT_TRUE(strip()->isVisible());
    }
    KeyboardStrip* strip() { return window.findChild<KeyboardStrip*>(); }
    PianoKeys& piano() { return strip()->keys(); }
    Player& player() { return session.playback.player(); }
    bool soundsOf(int notes) {
        return QTest::qWaitFor([this, notes] { return player().liveNotes() == notes; }, 10000 * patience);
    }
    StartDialog* startDialog() {
        QTest::keyClick(&window, Qt::Key_G, Qt::ControlModifier);
        return window.findChild<StartDialog*>();
    }
    static QTreeWidgetItem* entry(StartDialog* dialog, const QString& name) {
        auto* list = dialog->findChild<QTreeWidget*>();
        const auto found = list->findItems(name, Qt::MatchExactly, 1);
        return found.isEmpty() ? nullptr : found.front();
    }
    static QPushButton* buttonOf(QWidget* dialog, const QString& text) {
        for (auto* found : dialog->findChildren<QPushButton*>())
            if (found->text().remove('&').startsWith(text)) return found;
        return nullptr;
    }
    /// Types into the question that the next action asks.
    void answerNext(const QString& text) {
        QTimer::singleShot(0, &window, [this, text] {
            ASSERT_TRUE(QTest::qWaitFor([] { return QApplication::activeModalWidget(); }, 10000 * patience));
            auto* question = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
            ASSERT_NE(question, nullptr);
            question->setTextValue(text);
            question->accept();
        });
    }
};

TEST_F(PlayingTest, KeysSoundWhileTheyAreHeldByMouseOrLetters) {
    const QPoint middleC = piano().keyRect(60).center().toPoint() + QPoint(0, 20);
    QTest::mousePress(&piano(), Qt::LeftButton, {}, middleC);
    EXPECT_TRUE(soundsOf(1));
    QTest::mouseMove(&piano(), piano().keyRect(64).center().toPoint() + QPoint(0, 20));
    QTest::mouseRelease(&piano(), Qt::LeftButton, {}, middleC);
    EXPECT_TRUE(soundsOf(0));

    QTest::keyPress(&piano(), Qt::Key_A);
    QTest::keyPress(&piano(), Qt::Key_D);
    EXPECT_TRUE(soundsOf(2));
    QTest::keyRelease(&piano(), Qt::Key_A);
    QTest::keyRelease(&piano(), Qt::Key_D);
    EXPECT_TRUE(soundsOf(0));
    auto* octave = strip()->findChild<QSpinBox*>();
    const int before = octave->value();
    QTest::keyClick(&piano(), Qt::Key_Minus);
    EXPECT_EQ(octave->value(), before - 1);
}

TEST_F(PlayingTest, CellsTellWhatThePhraseShowsAndPlayTheRest) {
    std::vector<Note> notes = session.document.performance().notes;
    ASSERT_FALSE(notes.empty());
    const Note& shown = notes.front();
    int rows = 0;
    for (int row = 0; row < 3; ++row) rows += piano().covers(shown.key, row);
    EXPECT_GE(rows, 1);
    EXPECT_FALSE(piano().covers(shown.key + 24, 2));
    QTest::mouseClick(&piano(), Qt::LeftButton, {}, piano().cellRect(shown.key + 24, 2).center().toPoint());
    EXPECT_TRUE(soundsOf(1));
    EXPECT_TRUE(soundsOf(0)) << "for a moment only";

    // The same by keyboard, which tells where it stands.
    piano().setFocus();
    const QString before = piano().accessibleDescription();
    QTest::keyClick(&piano(), Qt::Key_Up);
    QTest::keyClick(&piano(), Qt::Key_Right, Qt::ShiftModifier);
    EXPECT_NE(piano().accessibleDescription(), before);
    EXPECT_TRUE(piano().accessibleDescription().contains("does not show"))
        << piano().accessibleDescription().toStdString();
    QTest::keyClick(&piano(), Qt::Key_Return);
    EXPECT_TRUE(soundsOf(1));
}

TEST_F(PlayingTest, TellsWhenMoreNotesAreHeldThanThePatchAllows) {
    session.patch.setParameter({"voicing", "voices"}, 2.0);
    ASSERT_TRUE(settle());
    piano().setFocus();
    for (int key : {Qt::Key_A, Qt::Key_D, Qt::Key_G}) QTest::keyPress(&piano(), static_cast<Qt::Key>(key));
    auto* shown = strip()->findChild<QLabel*>("engineState");
    EXPECT_TRUE(QTest::qWaitFor([shown] { return shown->text().contains("gave way"); }, 10000 * patience))
        << shown->text().toStdString();
    EXPECT_TRUE(soundsOf(2));
    for (int key : {Qt::Key_A, Qt::Key_D, Qt::Key_G}) QTest::keyRelease(&piano(), static_cast<Qt::Key>(key));
    EXPECT_TRUE(soundsOf(0));
}

TEST_F(PlayingTest, TellsWhenTheSoundBreaksUp) {
    for (const char* source : {"layer:a/source:a", "layer:a/source:b"}) {
        session.patch.setParameter({source, "on"}, 1.0);
        session.patch.setParameter({source, "voices"}, 12.0);
    }
    session.patch.setParameter({"voicing", "voices"}, 16.0);
    ASSERT_TRUE(settle());
    // A device that asks for one frame at a time: much has to be made before the first can be given.
    session.playback.output().stop();
    for (int key = 40; key < 56; ++key) player().noteOn(key, 100.0);
    float frame[2];
    for (int i = 0; i < 600; ++i) player().fill(frame, 1);
    auto* shown = strip()->findChild<QLabel*>("engineState");
    EXPECT_TRUE(QTest::qWaitFor([shown] { return shown->text().contains("broke up"); }, 10000 * patience))
        << shown->text().toStdString();
    EXPECT_TRUE(QTest::qWaitFor([shown] { return shown->text().contains("busy"); }, 30000 * patience))
        << "and is forgotten";
}

TEST_F(PlayingTest, AMidiKeyboardPlaysAndCanBeTakenAway) {
    auto* inputs = strip()->findChild<QComboBox*>();
    const int simulated = inputs->findText(QString::fromStdString(SimulatedKeyboard::displayName()));
    ASSERT_GE(simulated, 0);
    QSignalSpy played(&session.playback, &Playback::keyPlayed);
    inputs->setCurrentIndex(simulated);
    emit inputs->activated(simulated);
    ASSERT_NE(session.playback.keyboard(), nullptr);
    EXPECT_TRUE(soundsOf(1));
    const int strokes = 2 * static_cast<int>(SimulatedKeyboard::keys().size());
    EXPECT_TRUE(QTest::qWaitFor([&] { return played.count() >= strokes; }, 15000 * patience));
    EXPECT_EQ(played.front()[0].toInt(), SimulatedKeyboard::keys().front());
    EXPECT_TRUE(soundsOf(0));
    inputs->setCurrentIndex(0);
    emit inputs->activated(0);
    EXPECT_EQ(session.playback.keyboard(), nullptr);

    session.playback.chooseKeyboard("a keyboard that was unplugged");
    QString shown;
    EXPECT_TRUE(QTest::qWaitFor([&] { return !(shown = closedProblem()).isEmpty(); }, 10000 * patience));
    EXPECT_TRUE(shown.contains("not there any more")) << shown.toStdString();
}

TEST_F(PlayingTest, KindsAreWeighedWhenTheirListIsOpened) {
    auto* kinds = row({"layer:a/source:a", "wave"})->findChild<KindBox*>();
    ASSERT_NE(kinds, nullptr);
    QSignalSpy weighed(&session.comparisons, &PatchComparisons::weighed);
    kinds->showPopup();
    ASSERT_TRUE(QTest::qWaitFor([&] { return weighed.count() >= 3; }, 60000 * patience));
    laidOut();
    kinds->hidePopup();
    const int current = kinds->currentIndex();
    EXPECT_TRUE(kinds->itemData(current, Qt::AccessibleTextRole).toString().contains("likeness"));
    // The present kind's is that of the sound as it stands.
    for (const auto& shown : weighed)
        if (shown[1].toInt() == current) {
            EXPECT_NEAR(shown[2].toDouble(), session.results.state().comparison->likeness, 0.5);
        }

    // Stepping goes on to the next kind, and everything else stays.
    const Patch before = session.document.cue()->patch;
    kinds->setFocus();
    QTest::keyClick(kinds, Qt::Key_Down);
    EXPECT_EQ(session.document.cue()->patch.value({"layer:a/source:a", "wave"}), current + 1.0);
    Patch expected = before;
    expected.set({"layer:a/source:a", "wave"}, current + 1.0);
    EXPECT_EQ(session.document.cue()->patch, expected);
}

TEST_F(PlayingTest, BeginsFromACommonKindOrTheCollectionNearestFirst) {
    const Patch own = session.document.cue()->patch;
    StartDialog* dialog = startDialog();
    ASSERT_NE(dialog, nullptr);
    answerNext("Round bass: bass, dark");
    QTest::mouseClick(buttonOf(dialog, "Keep"), Qt::LeftButton);
    ASSERT_NE(entry(dialog, "Round bass"), nullptr);
    EXPECT_EQ(entry(dialog, "Round bass")->text(3), "bass, dark");
    auto* list = dialog->findChild<QTreeWidget*>();
    const auto allWeighed = [list] {
        for (int i = 0; i < list->topLevelItemCount(); ++i)
            if (list->topLevelItem(i)->text(0) == "…") return false;
        return true;
    };
    ASSERT_TRUE(QTest::qWaitFor(allWeighed, 30000 * patience));
    for (int i = 1; i < list->topLevelItemCount(); ++i)
        EXPECT_GE(list->topLevelItem(i - 1)->data(0, Qt::UserRole).toDouble(),
                  list->topLevelItem(i)->data(0, Qt::UserRole).toDouble());

    auto* search = dialog->findChild<QLineEdit*>();
    QTest::keyClicks(search, "dar");
    EXPECT_EQ(list->topLevelItemCount(), 1) << "found by its tag";
    search->clear();

    // Tags are changed, and what is taken out of the collection keeps its file.
    list->setCurrentItem(entry(dialog, "Round bass"));
    answerNext("bass, deep");
    QTest::mouseClick(buttonOf(dialog, "Tags"), Qt::LeftButton);
    ASSERT_NE(entry(dialog, "Round bass"), nullptr);
    EXPECT_EQ(entry(dialog, "Round bass")->text(3), "bass, deep");
    list->setCurrentItem(entry(dialog, "Round bass"));
    QTest::mouseClick(buttonOf(dialog, "Remove"), Qt::LeftButton);
    EXPECT_EQ(entry(dialog, "Round bass"), nullptr);
    EXPECT_TRUE(std::filesystem::exists(session.collection.folder() / "removed" / "Round bass.json"));

    // Heard in place, and then taken; one step of undo.
    list->setCurrentItem(entry(dialog, "Pluck"));
    QTest::mouseClick(buttonOf(dialog, "Hear"), Qt::LeftButton);
    EXPECT_TRUE(
        QTest::qWaitFor([this] { return player().playing() && player().side() == Side::render; }, 10000 * patience));
    EXPECT_EQ(session.document.cue()->patch, own) << "hearing changes nothing";
    QTest::mouseClick(buttonOf(dialog, "Begin"), Qt::LeftButton);
    EXPECT_EQ(session.document.cue()->patch.name, "Pluck");
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch, own);
    player().stop();

    // By keys alone.
    ASSERT_TRUE(QTest::qWaitFor([this] { return !window.findChild<StartDialog*>(); }, 10000 * patience));
    dialog = startDialog();
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(QTest::qWaitForWindowActive(dialog));
    QTest::keyClicks(dialog->findChild<QLineEdit*>(), "pluck");
    // The window manager may still be handing the focus on from the dialog before: a key is pressed again until it
    // counts.
    EXPECT_TRUE(QTest::qWaitFor(
        [dialog] {
            if (buttonOf(dialog, "Hear")->isChecked()) return true;
            if (dialog->isActiveWindow())
                QTest::keyClick(dialog->windowHandle(), Qt::Key_H, Qt::AltModifier);
            else
                dialog->activateWindow();
            return buttonOf(dialog, "Hear")->isChecked();
        },
        15000 * patience));
    EXPECT_TRUE(
        QTest::qWaitFor([this] { return player().playing() && player().side() == Side::render; }, 10000 * patience));
    EXPECT_EQ(session.document.cue()->patch, own);
    QTest::keyClick(dialog, Qt::Key_Escape);
    player().stop();
    ASSERT_TRUE(QTest::qWaitFor([this] { return !window.findChild<StartDialog*>(); }, 10000 * patience));
    dialog = startDialog();
    ASSERT_NE(dialog, nullptr);
    QTest::keyClicks(dialog->findChild<QLineEdit*>(), "bell");
    QTest::keyClick(dialog->findChild<QLineEdit*>(), Qt::Key_Return);
    EXPECT_EQ(session.document.cue()->patch.name, "Bell");
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch, own) << "one step";
}

TEST_F(PlayingTest, NewCuesBeginWithTheProducersOwnDefault) {
    session.patch.setParameter({"layer:a/source:a", "cents"}, 17.0);
    StartDialog* dialog = startDialog();
    ASSERT_NE(dialog, nullptr);
    QTest::mouseClick(buttonOf(dialog, "Make present"), Qt::LeftButton);
    EXPECT_NE(entry(dialog, "My default"), nullptr);
    QTest::keyClick(dialog, Qt::Key_Escape);
    session.addCue();
    EXPECT_EQ(session.document.cue()->patch.value({"layer:a/source:a", "cents"}), 17.0);
}

} // namespace facet::testing
