// Describing an instrument in the real window: its controls, their scales by hand and measured, what is refused.
#include "app/views/instruments/control_editor.h"
#include "app/views/instruments/instrument_choice.h"
#include "app/views/instruments/instrument_editor.h"
#include "app/views/instruments/measuring_dialog.h"
#include "core/audio/audio_file.h"
#include "core/measuring/simulated_take.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QTableWidget>
#include <QTreeWidget>
#include <cmath>

namespace facet::testing {

class InstrumentEditorTest : public WindowTest {
protected:
    InstrumentEditorTest() { window.showView("sheet"); }

    /// Chooses an entry of the list of instruments by the beginning of its text.
    void choose(const QString& beginning) {
        InstrumentChoice* shown = nullptr;
        for (auto* each : window.findChildren<InstrumentChoice*>())
            if (each->isVisible()) shown = each;
        ASSERT_TRUE(shown);
        for (int i = 0; i < shown->count(); ++i)
            if (shown->itemText(i).startsWith(beginning)) {
                shown->setCurrentIndex(i);
                emit shown->activated(i); // as a click on the list does
                if (editor()) {
                    editor()->activateWindow(); // where no window manager does
                    EXPECT_TRUE(
                        QTest::qWaitFor([this] { return QApplication::activeWindow() == editor(); }, 10000 * patience));
                }
                return;
            }
        FAIL() << "not offered: " << beginning.toStdString();
    }
    InstrumentEditor* editor() {
        for (auto* each : window.findChildren<InstrumentEditor*>())
            if (each->isVisible()) return each;
        return nullptr;
    }
    MeasuringDialog* measuring() {
        auto* found = editor()->findChild<MeasuringDialog*>();
        return found && found->isVisible() ? found : nullptr;
    }
    template <typename Widget> Widget* named(QWidget* in, const char* name) {
        for (auto* each : in->findChildren<Widget*>(name))
            if (each->isVisible()) return each;
        return nullptr;
    }
    void type(QLineEdit* into, const QString& words) {
        ASSERT_TRUE(into);
        into->setFocus();
        into->selectAll();
        QTest::keyClicks(into, words);
        QTest::keyClick(into, Qt::Key_Tab);
    }
    void click(QWidget* in, const char* name) {
        auto* button = named<QAbstractButton>(in, name);
        ASSERT_TRUE(button && button->isEnabled()) << name;
        QTest::mouseClick(button, Qt::LeftButton);
        laidOut();
    }
    /// Adds a control from the menu: a module's entry, and a parameter's within.
    void add(const QString& module, const QString& parameter) {
        QMenu* menu = named<QToolButton>(editor(), "addControl")->menu();
        emit menu->aboutToShow(); // what it offers depends on what there is
        for (QAction* each : menu->actions()) {
            if (!each->menu() || each->text() != module) continue;
            for (QAction* within : each->menu()->actions())
                if (within->text() == parameter) return within->trigger();
        }
        FAIL() << "not offered: " << module.toStdString() << ", " << parameter.toStdString();
    }
    void openControl(const std::string& name) {
        auto* list = named<QTreeWidget>(editor(), "controls");
        const auto found = list->findItems(QString::fromStdString(name), Qt::MatchExactly, 0);
        ASSERT_EQ(found.size(), 1);
        list->scrollToItem(found.front());
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(found.front()).center());
        laidOut();
    }
    const InstrumentControl& controlOf(const std::string& name) {
        const auto& all = editor()->instrument().controls;
        return *std::find_if(all.begin(), all.end(), [&](const auto& each) { return each.name == name; });
    }
    QString problem() { return named<QLabel>(editor(), "editorProblem")->text(); }
    QString measuringWords() { return named<QLabel>(measuring(), "measuringWords")->text(); }
    bool measured() {
        return QTest::qWaitFor([this] { return named<QPushButton>(measuring(), "takeScale")->isEnabled(); },
                               120000 * patience);
    }
};

TEST_F(InstrumentEditorTest, OneIsDescribedFromThePatchInView) {
    choose("Describe an instrument");
    ASSERT_TRUE(editor());
    EXPECT_NE(problem().indexOf("no control"), -1);
    EXPECT_FALSE(named<QPushButton>(editor(), "keepInstrument")->isEnabled());
    type(named<QLineEdit>(editor(), "instrumentName"), "Slate");
    add(QString::fromStdString(
            session.document.cue()->patch.labelOf(*session.document.cue()->patch.find("layer:a/source:a"))),
        "Wave");
    auto* choices = named<QTableWidget>(editor(), "controlChoices");
    ASSERT_TRUE(choices) << "a wave is chosen, not turned";
    for (int row = 0; row < choices->rowCount(); ++row)
        if (choices->item(row, 0)->text() != "saw" && choices->item(row, 0)->text() != "pulse")
            choices->item(row, 0)->setCheckState(Qt::Unchecked);
        else if (choices->item(row, 0)->text() == "saw")
            choices->item(row, 1)->setText("ramp");
    add("Filter", "Cutoff");
    type(named<QLineEdit>(editor(), "controlName"), "Tone");
    type(named<QLineEdit>(editor(), "firstValue"), "50 Hz");
    type(named<QLineEdit>(editor(), "lastValue"), "50");
    EXPECT_NE(problem().indexOf("Tone"), -1);
    EXPECT_FALSE(named<QPushButton>(editor(), "keepInstrument")->isEnabled()) << "both ends are the same";
    type(named<QLineEdit>(editor(), "lastValue"), "8k");
    EXPECT_TRUE(problem().isEmpty()) << problem().toStdString();
    click(editor(), "controlUp");
    click(editor(), "keepInstrument");
    ASSERT_FALSE(editor());

    const InstrumentPtr kept = session.document.cue()->instrument;
    ASSERT_TRUE(kept);
    EXPECT_TRUE(session.instruments.isOwn("Slate"));
    EXPECT_EQ(kept->patch, session.document.cue()->patch);
    ASSERT_EQ(kept->controls.size(), 2u);
    EXPECT_EQ(kept->controls[0].name, "Tone");
    EXPECT_NEAR(kept->controls[0].scale->valueAt(5.0), std::sqrt(50.0 * 8000.0), 1.0);
    ASSERT_EQ(kept->controls[1].choices.size(), 2u);
    EXPECT_EQ(kept->controls[1].choices[0].first, "ramp");

    choose("Change Slate");
    ASSERT_TRUE(editor());
    openControl("Tone");
    click(editor(), "removeControl");
    EXPECT_EQ(editor()->instrument().controls.size(), 1u);
    // Closing asks before it forgets.
    bool asked = false;
    QTimer::singleShot(0, &window, [&] {
        if (auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget())) {
            asked = true;
            box->button(QMessageBox::Discard)->click();
        }
    });
    QTest::keyClick(editor(), Qt::Key_Escape);
    EXPECT_TRUE(asked);
    EXPECT_FALSE(editor());
    EXPECT_EQ(*session.document.cue()->instrument, *kept) << "nothing is changed";
}

TEST_F(InstrumentEditorTest, PointsAreTypedAndMayNotGoBack) {
    choose("Fieldstone");
    choose("Change Fieldstone");
    ASSERT_TRUE(editor());
    EXPECT_TRUE(problem().isEmpty());
    openControl("Cutoff");
    const ControlScale before = *controlOf("Cutoff").scale;
    auto* law = named<QComboBox>(editor(), "controlLaw");
    law->setCurrentIndex(3);
    emit law->activated(3);
    auto* points = named<QTableWidget>(editor(), "controlPoints");
    ASSERT_TRUE(points);
    ASSERT_GE(points->rowCount(), 3);
    EXPECT_NEAR(controlOf("Cutoff").scale->valueAt(5.0), before.valueAt(5.0), 1e-3 * before.valueAt(5.0))
        << "along the scale that it was";
    points->item(1, 1)->setText("19 kHz");
    EXPECT_NE(problem().indexOf("go back"), -1) << problem().toStdString();
    EXPECT_FALSE(named<QPushButton>(editor(), "keepInstrument")->isEnabled());
    points->selectRow(1);
    click(editor(), "removePoint");
    EXPECT_TRUE(problem().isEmpty()) << problem().toStdString();
    points->item(0, 0)->setText("nothing");
    EXPECT_FALSE(problem().isEmpty());
    points->item(0, 0)->setText("0");
    EXPECT_TRUE(problem().isEmpty());
    const int rows = points->rowCount();
    click(editor(), "addPoint");
    EXPECT_EQ(points->rowCount(), rows + 1);
    EXPECT_TRUE(problem().isEmpty()) << problem().toStdString();
}

TEST_F(InstrumentEditorTest, AScaleIsMeasuredOnTheInventedInstrument) {
    choose("Fieldstone");
    choose("Change Fieldstone");
    openControl("Cutoff");
    const InstrumentControl described = controlOf("Cutoff");
    click(editor(), "measureControl");
    ASSERT_TRUE(measuring());
    EXPECT_GT(named<QTreeWidget>(measuring(), "toSet")->topLevelItemCount(), 3);
    auto* positions = named<QLineEdit>(measuring(), "positions");
    type(positions, "3, 99");
    EXPECT_NE(measuringWords().indexOf("99"), -1);
    EXPECT_FALSE(named<QPushButton>(measuring(), "measuringRecord")->isEnabled());
    type(positions, "3, 5, 7");
    auto* input = named<QComboBox>(measuring(), "measuringInput");
    input->setCurrentIndex(input->count() - 1);
    emit input->activated(input->count() - 1);
    click(measuring(), "measuringRecord");
    ASSERT_TRUE(QTest::qWaitFor([this] { return measuringWords().startsWith("Note 2 of 3"); }, 60000 * patience))
        << measuringWords().toStdString();
    ASSERT_TRUE(measured()) << measuringWords().toStdString();
    EXPECT_EQ(named<QTreeWidget>(measuring(), "measured")->topLevelItemCount(), 3);
    click(measuring(), "takeScale");
    EXPECT_FALSE(measuring());
    const ControlScale& scale = *controlOf("Cutoff").scale;
    for (const double position : {3.0, 4.0, 5.0, 6.0, 7.0})
        EXPECT_NEAR(described.scale->positionOf(scale.valueAt(position)),
                    described.scale->positionOf(simulatedValue(described, position)), 0.4)
            << position;
    // What is known is taken only when it is kept.
    EXPECT_EQ(session.document.cue()->instrument->controlOf(described.address)->scale, described.scale);
    click(editor(), "keepInstrument");
    EXPECT_NE(session.document.cue()->instrument->controlOf(described.address)->scale, described.scale);
}

TEST_F(InstrumentEditorTest, RecordingsThatDoNotFitAreRefusedInASentence) {
    choose("Fieldstone");
    choose("Change Fieldstone");
    openControl("Cutoff");
    click(editor(), "measureControl");
    ASSERT_TRUE(measuring());
    const auto file = [&](const char* name) { return QString::fromStdString((folder / name).string()); };
    const auto refused = [&](const QStringList& paths) {
        measuring()->measureFiles(paths);
        EXPECT_TRUE(QTest::qWaitFor([this] { return named<QPushButton>(measuring(), "measuringRecord")->isEnabled(); },
                                    60000 * patience));
        EXPECT_FALSE(named<QPushButton>(measuring(), "takeScale")->isEnabled());
        return measuringWords();
    };
    Recording silence;
    silence.channels.assign(2, std::vector<float>(96000, 0.0f));
    writeAudio(folder / "silence.wav", silence, SampleFormat::wav24);
    EXPECT_NE(refused({file("silence.wav")}).indexOf("silent"), -1) << measuringWords().toStdString();
    const Instrument& instrument = *session.document.cue()->instrument;
    const InstrumentControl cutoff = controlOf("Cutoff");
    writeAudio(folder / "two.wav", simulatedTake(measuringSetup(instrument, cutoff), cutoff, {3.0, 6.0}, 48),
               SampleFormat::wav24);
    EXPECT_NE(refused({file("two.wav")}).indexOf("2 notes"), -1) << measuringWords().toStdString();
    EXPECT_NE(refused({file("two.wav"), file("two.wav")}).indexOf("2 recordings"), -1);
    EXPECT_FALSE(refused({file("none.wav")}).isEmpty());

    type(named<QLineEdit>(measuring(), "positions"), "3, 6");
    measuring()->measureFiles({file("two.wav")});
    click(measuring(), "measuringStop"); // while it measures: it stops and the dialog stays
    ASSERT_TRUE(measuring());
    EXPECT_FALSE(named<QPushButton>(measuring(), "takeScale")->isEnabled());
    measuring()->measureFiles({file("two.wav")});
    ASSERT_TRUE(measured());
    EXPECT_TRUE(named<QPushButton>(measuring(), "takeScale")->isEnabled()) << measuringWords().toStdString();
    click(measuring(), "measuringStop");
    EXPECT_FALSE(measuring());

    openControl("Octave 1");
    EXPECT_FALSE(named<QPushButton>(editor(), "measureControl")) << "choices are named, not measured";
    openControl("Glide");
    click(editor(), "measureControl");
    EXPECT_FALSE(measuring());
    EXPECT_NE(problem().indexOf("Glide"), -1) << "one note does not tell it";
}

} // namespace facet::testing
