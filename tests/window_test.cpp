// The real window, driven as a producer drives it: by mouse and keys.
#include "app/models/comparison_model.h"
#include "app/session/session.h"
#include "app/shell/demo_project.h"
#include "app/shell/main_window.h"
#include "app/views/facets/facet_list.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/patch/parameter_row.h"
#include "app/views/patch/patch_view.h"
#include "app/views/search/search_view.h"
#include "app/views/listening/takes_bar.h"
#include "app/views/common/theme.h"
#include "app/views/common/value_slider.h"
#include "core/analysis/facets/pitch.h"
#include "core/base/files.h"
#include "core/base/units.h"
#include "core/parameters/patch_json.h"
#include "core/project/project_file.h"
#include "tests/support/files.h"
#include "tests/support/window_fixture.h"

#include <QAbstractButton>
#include <QAccessible>
#include <QApplication>
#include <QClipboard>
#include <QCheckBox>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>
#include <QScrollArea>
#include <QTableView>
#include <QTest>
#include <QTimer>
#include <QToolButton>
#include <cmath>
#include <csignal>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

namespace facet {
namespace {

using testing::TemporaryFolder;

using testing::patience;
using testing::WindowTest;

const Address cutoff{"layer:a/filter:a", "cutoff"};

TEST_F(WindowTest, MatchEditUndoSaveReopenFindBothTakes) {
    auto* limit = window.findChild<SearchView*>()->findChild<QComboBox*>();
    limit->setCurrentIndex(limit->count() - 1);
    QTest::mouseClick(button("Match"), Qt::LeftButton);
    ASSERT_TRUE(session.matching.state().running);
    EXPECT_TRUE(button("Stop and keep best"));
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.matching.state().likeness > 65.0; }, 85000 * patience));
    QTest::mouseClick(button("Stop and keep best"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 30000 * patience));
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results.state().comparison->likeness, 60.0);
    EXPECT_EQ(window.findChild<QLabel*>("likeness")->text(),
              QString::number(std::lround(session.results.state().comparison->likeness)));

    const double found = session.document.cue()->patch.value(cutoff);
    QTest::mouseClick(button("Patch"), Qt::LeftButton);
    typeInto(cutoff, "1,5 kHz");
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 1500.0);
    QTest::keyClick(&window, Qt::Key_K, Qt::ControlModifier);
    EXPECT_EQ(session.document.cue()->takes.size(), 2u);
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), found);
    QTest::keyClick(&window, Qt::Key_Y, Qt::ControlModifier);
    QTest::keyClick(&window, Qt::Key_Y, Qt::ControlModifier);
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 1500.0);

    EXPECT_TRUE(window.isWindowModified());
    QTest::keyClick(&window, Qt::Key_S, Qt::ControlModifier);
    EXPECT_FALSE(window.isWindowModified());
    window.openFile(folder / "demo.facet");
    ASSERT_TRUE(settle());
    ASSERT_EQ(session.document.cue()->takes.size(), 2u);
    auto* first = window.findChild<QAbstractButton*>("take Match 1");
    ASSERT_TRUE(first);
    QTest::mouseClick(first, Qt::LeftButton);
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), found);
}

TEST_F(WindowTest, ValuesAreTypedDraggedSteppedLockedAndRefused) {
    QTest::mouseClick(button("Patch"), Qt::LeftButton);
    QTest::mouseClick(switchOf("layer:a/filter:a"), Qt::LeftButton);
    EXPECT_EQ(session.document.cue()->patch.value({"layer:a/filter:a", "on"}), 1.0);
    typeInto(cutoff, "440");
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 440.0);
    EXPECT_EQ(row(cutoff)->findChild<QLineEdit*>("value")->text(), "440 Hz");
    typeInto(cutoff, "5 Hz");
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 440.0) << "out of range";
    typeInto(cutoff, "banana");
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 440.0);
    auto* slider = row(cutoff)->findChild<ValueSlider*>();
    const int steps = session.document.undoStack().count();
    QTest::mousePress(slider, Qt::LeftButton, {}, QPoint(12, 9));
    for (int x = 15; x <= 36; x += 3) QTest::mouseMove(slider, QPoint(x, 9));
    QTest::mouseRelease(slider, Qt::LeftButton, {}, QPoint(36, 9));
    EXPECT_EQ(session.document.undoStack().count(), steps) << "edits of one value in a row are one step";
    const double dragged = session.document.cue()->patch.value(cutoff);
    EXPECT_NE(dragged, 440.0);
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_Right);
    EXPECT_GT(session.document.cue()->patch.value(cutoff), dragged);
    QTest::mouseDClick(slider, Qt::LeftButton, {}, QPoint(30, 9));
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), Patch().value(cutoff));
    for (auto* lock : row(cutoff)->findChildren<QToolButton*>()) QTest::mouseClick(lock, Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->locks.contains(cutoff));
    auto* waves = row({"layer:a/source:a", "wave"})->findChild<QComboBox*>();
    waves->setFocus();
    QTest::keyClick(waves, Qt::Key_Down);
    EXPECT_EQ(session.document.cue()->patch.value({"layer:a/source:a", "wave"}), static_cast<double>(Wave::pulse));
}

TEST_F(WindowTest, ALoopOfListeningAndChangingWorksByKeyboardAlone) {
    ASSERT_TRUE(window.showView("patch"));
    QToolButton* on = switchOf("layer:a/filter:a");
    ASSERT_TRUE(on);
    on->setFocus();
    QTest::keyClick(on, Qt::Key_Return);
    EXPECT_EQ(session.document.cue()->patch.value({"layer:a/filter:a", "on"}), 1.0);
    auto* slider = row(cutoff)->findChild<ValueSlider*>();
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_Space);
    EXPECT_TRUE(session.playback.player().playing());
    double last = session.document.cue()->patch.value(cutoff);
    for (int i = 0; i < 20; ++i) { // twenty loops of listen, change, compare
        QTest::keyClick(slider, Qt::Key_PageDown);
        QTest::keyClick(slider, Qt::Key_Left, Qt::ShiftModifier);
        QTest::keyClick(slider, Qt::Key_X);
        EXPECT_LE(session.document.cue()->patch.value(cutoff), last);
        last = session.document.cue()->patch.value(cutoff);
    }
    EXPECT_EQ(last, session.document.cue()->patch.descriptor(cutoff).low);
    EXPECT_TRUE(session.playback.player().playing()) << "edits do not interrupt the loop";
    ASSERT_TRUE(settle());
    QTest::keyClick(slider, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), Patch().value(cutoff)) << "one step takes all of it back";
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_Tab);
    EXPECT_NE(QApplication::focusWidget(), slider);
}

TEST_F(WindowTest, EveryEditRefreshesThePictures) {
    QTest::mouseClick(button("Patch"), Qt::LeftButton);
    const QString before = window.findChild<QLabel*>("likeness")->text();
    typeInto({"layer:a/source:a", "octave"}, "3");
    ASSERT_TRUE(settle());
    EXPECT_NE(window.findChild<QLabel*>("likeness")->text(), before);
}

TEST_F(WindowTest, FacetsAreChosenByMouseAndKey) {
    auto* table = window.findChild<QTableView*>("values");
    for (const char* name : {"Pitch", "Level", "Harmonics", "Brightness", "Noise", "Motion", "Width", "Space"}) {
        auto* card = window.findChild<QAbstractButton*>(QString("facet ") + name);
        ASSERT_TRUE(card);
        QTest::mouseClick(card, Qt::LeftButton);
        EXPECT_TRUE(card->isChecked());
        EXPECT_GE(table->model()->rowCount(), 2) << name;
        EXPECT_FALSE(card->accessibleDescription().isEmpty());
    }
    auto* pitch = window.findChild<QAbstractButton*>("facet Pitch");
    pitch->setFocus();
    QTest::keyClick(pitch, Qt::Key_Return);
    EXPECT_TRUE(pitch->isChecked());
    EXPECT_EQ(table->model()->index(0, 0).data().toString(), "Against the note");
}

TEST_F(WindowTest, KeysPlaySwapLoopAndStop) {
    window.mirror().setFocus();
    QTest::keyClick(&window.mirror(), Qt::Key_Space);
    EXPECT_TRUE(session.playback.player().playing());
    QTest::keyClick(&window.mirror(), Qt::Key_X);
    EXPECT_EQ(session.playback.player().side(), Side::render);
    EXPECT_TRUE(session.playback.player().playing()) << "swapped in place";
    QTest::keyClick(&window.mirror(), Qt::Key_X);
    EXPECT_EQ(session.playback.player().side(), Side::reference);
    const bool looping = session.playback.looping();
    QTest::keyClick(&window.mirror(), Qt::Key_Slash);
    EXPECT_NE(session.playback.looping(), looping);
    QTest::keyPress(&window.mirror(), Qt::Key_A);
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.playback.player().liveActive(); }, 10000 * patience))
        << "the computer keyboard plays the patch";
    QTest::keyRelease(&window.mirror(), Qt::Key_A);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.playback.player().liveActive(); }, 10000 * patience));
    QTest::keyClick(&window.mirror(), Qt::Key_Escape);
    EXPECT_FALSE(session.playback.player().playing());
}

TEST_F(WindowTest, ViewsAreNamedAndFacetsAreViews) {
    EXPECT_TRUE(window.showView("space"));
    EXPECT_TRUE(window.findChild<QAbstractButton*>("facet Space")->isChecked());
    EXPECT_TRUE(window.findChild<QTableView*>("values")->isVisible());
    EXPECT_EQ(window.findChild<QTableView*>("values")->model()->index(0, 0).data().toString(), "Echo time");
    EXPECT_TRUE(window.showView("search"));
    EXPECT_FALSE(window.findChild<QTableView*>("values")->isVisible());
}

TEST_F(WindowTest, ThePictureOfTheMirrorIsChosenByKey) {
    const auto colors = [&](const QColor& like) {
        const QImage image = window.mirror().grab().toImage();
        int found = 0;
        for (int y = 0; y < image.height(); y += 2)
            for (int x = 100; x < image.width() - 60; x += 2) found += image.pixelColor(x, y) == like;
        return found;
    };
    const int wave = colors(theme().reference);
    QTest::keyClick(&window, Qt::Key_F9);
    EXPECT_EQ(window.mirror().picture(), MirrorView::Picture::spectrum);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return session.results.state().reference.spectrogram != nullptr; }, 30000 * patience));
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return session.results.state().render.spectrogram != nullptr; }, 30000 * patience));
    EXPECT_LT(colors(theme().reference), wave / 2) << "shades instead of one color";
    // A new render gets its picture while one looks.
    const auto before = session.results.state().render.spectrogram;
    session.patch.setParameter({"layer:a/source:a", "octave"}, 1.0);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            return session.results.state().render.spectrogram && session.results.state().render.spectrogram != before;
        },
        30000 * patience));
    QTest::keyClick(&window, Qt::Key_F11);
    EXPECT_EQ(window.mirror().picture(), MirrorView::Picture::pitch);
    QTest::keyClick(&window, Qt::Key_F10);
    EXPECT_EQ(window.mirror().picture(), MirrorView::Picture::level);
    QTest::keyClick(&window, Qt::Key_F8);
    EXPECT_EQ(window.mirror().picture(), MirrorView::Picture::wave);
}

TEST_F(WindowTest, SlowListeningKeepsThePlaceAndThePitch) {
    auto& output = dynamic_cast<SimulatedOutput&>(session.playback.output());
    session.playback.seek(1.5);
    QTest::keyClick(&window, Qt::Key_2, Qt::AltModifier);
    EXPECT_EQ(session.playback.slowness(), 2);
    EXPECT_NEAR(session.playback.position(), 1.5, 0.01);
    ASSERT_TRUE(givenToPlayer());
    output.capture(1.0);
    session.playback.play(Side::reference);
    ASSERT_TRUE(QTest::qWaitFor([&] { return output.capturedFrames() == output.rateHz(); }, 24000 * patience));
    session.playback.toggle();
    std::vector<float> heard;
    for (std::size_t i = 0; i < output.captured().size(); i += 2) heard.push_back(output.captured()[i]);
    // One second is half a second of the note that stands there, C2.
    const PitchTrack track = trackPitch(heard);
    EXPECT_NEAR(centsBetween(hzFromKey(36), track.hz.at(0.5)), 0.0, 15.0);
    EXPECT_NEAR(session.playback.position(), 2.0, 0.15);
    QTest::keyClick(&window, Qt::Key_1, Qt::AltModifier);
    EXPECT_EQ(session.playback.slowness(), 1);
}

TEST_F(WindowTest, AFocusBandIsHeardComparedShownAndUndone) {
    const double whole = session.results.state().comparison->likeness;
    const auto type = [&](const QString& text) {
        QTimer::singleShot(200, [text] {
            auto* edit = QApplication::activeModalWidget()->findChild<QLineEdit*>();
            ASSERT_TRUE(edit);
            edit->setText(text);
            QTest::keyClick(edit, Qt::Key_Return);
        });
        QTest::keyClick(&window, Qt::Key_B, Qt::ControlModifier);
    };
    type("40 – 300");
    EXPECT_EQ(session.document.cue()->focusLowHz, 40.0);
    EXPECT_EQ(session.document.cue()->focusHighHz, 300.0);
    ASSERT_TRUE(settle());
    EXPECT_NE(session.results.state().comparison->likeness, whole);
    auto* warning = window.findChild<QLabel*>("warning");
    EXPECT_TRUE(warning->isVisible());
    EXPECT_TRUE(warning->text().contains("40 Hz to 300 Hz"));
    type("banana");
    EXPECT_TRUE(closedProblem().contains("banana"));
    EXPECT_EQ(session.document.cue()->focusHighHz, 300.0);
    ASSERT_TRUE(QTest::qWaitForWindowActive(&window));
    QTest::keyClick(&window, Qt::Key_Z, Qt::ControlModifier);
    ASSERT_TRUE(settle());
    EXPECT_NEAR(session.results.state().comparison->likeness, whole, 1e-9);
    EXPECT_FALSE(warning->isVisible());
}

TEST_F(WindowTest, ChordsHaveRowsAndEveryCueOfTheDemoIsMeasured) {
    const double plain = window.mirror().rulerRect().height();
    const auto cues = session.document.document().cues; // selecting replaces the document
    for (const auto& cue : cues) {
        session.document.selectCue(cue->id);
        ASSERT_TRUE(settle()) << cue->name;
        EXPECT_EQ(closedProblem(), "") << cue->name;
        EXPECT_EQ(session.results.state().comparison->facets.size(), 8u);
        EXPECT_EQ(window.mirror().rulerRect().height() > plain + 5, cue->name == "Ring Nebula") << cue->name;
    }
    EXPECT_EQ(session.document.document().cues.size(), 6u);
}

TEST_F(WindowTest, TheMirrorLoopsZoomsAndRepairsNotes) {
    MirrorView& mirror = window.mirror();
    const auto upper = [&](double seconds) { return QPoint(static_cast<int>(mirror.xAt(seconds)), 30); };
    QTest::mousePress(&mirror, Qt::LeftButton, {}, upper(1.0));
    QTest::mouseMove(&mirror, upper(1.2));
    QTest::mouseMove(&mirror, upper(1.3));
    QTest::mouseRelease(&mirror, Qt::LeftButton, {}, upper(1.3));
    EXPECT_NEAR(session.document.cue()->loopBegin, 1.0, 0.01);
    EXPECT_NEAR(session.document.cue()->loopEnd, 1.3, 0.01);
    QTest::mouseClick(&mirror, Qt::LeftButton, {}, upper(0.5));
    EXPECT_NEAR(session.playback.player().position(), 0.5, 0.02);
    const double span = mirror.secondsAt(1000) - mirror.secondsAt(200);
    mirror.zoom(2.0, 1.0);
    EXPECT_NEAR(mirror.secondsAt(1000) - mirror.secondsAt(200), span / 2, 1e-6);
    mirror.showAll();

    const QPoint third(static_cast<int>(mirror.xAt(1.5)), static_cast<int>(mirror.rulerRect().center().y()));
    QTest::mouseClick(&mirror, Qt::LeftButton, {}, third);
    EXPECT_EQ(mirror.selectedNote(), 2);
    QTest::keyClick(&mirror, Qt::Key_Up, Qt::ControlModifier);
    EXPECT_EQ(session.document.performance().notes[2].key, 48);
    QTest::keyClick(&mirror, Qt::Key_Down);
    EXPECT_EQ(session.document.performance().notes[2].key, 47);
    QTest::keyClick(&mirror, Qt::Key_Right, Qt::ControlModifier);
    EXPECT_NEAR(session.document.performance().notes[2].start, 1.405, 0.001);
    QTest::keyClick(&mirror, Qt::Key_Left);
    EXPECT_EQ(mirror.selectedNote(), 1);
    QTest::keyClick(&mirror, Qt::Key_Delete);
    EXPECT_EQ(session.document.performance().notes.size(), 3u);
    QTest::mouseDClick(&mirror, Qt::LeftButton, {}, upper(2.0));
    EXPECT_EQ(session.document.cue()->loopEnd, 0.0);
}

TEST_F(WindowTest, FilesAreDropped) {
    drop(testing::demoFile("comet-tail.flac"));
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.document.performance().notes.size() == 8; }, 45000 * patience));
    Note moved = session.document.performance().notes[0];
    moved.key += 5;
    session.notes.correct("x", session.document.performance().notes[0], moved);
    drop(testing::demoFile("comet-tail.mid"));
    EXPECT_EQ(session.document.performance().notes[0].key, 72);
    Patch patch;
    patch.set(cutoff, 567.0);
    writePatch(folder / "p.json", patch);
    drop(folder / "p.json");
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 567.0);
}

TEST_F(WindowTest, ProblemsAreOneSentenceThatCanBeCopied) {
    testing::writeBytes(folder / "broken.json", "{");
    window.openFile(folder / "broken.json");
    auto* box = window.findChild<QMessageBox*>("problem");
    ASSERT_TRUE(box);
    EXPECT_TRUE(box->text().contains("broken.json"));
    for (auto* b : box->buttons())
        if (b->text().contains("Copy")) QTest::mouseClick(b, Qt::LeftButton);
    EXPECT_TRUE(QApplication::clipboard()->text().contains("not valid JSON"));
    box->close();
    EXPECT_EQ(session.document.cue()->patch, Patch());
}

TEST_F(WindowTest, UnsavedChangesAreAskedAbout) {
    session.patch.setParameter(cutoff, 100.0);
    const auto answer = [](QMessageBox::StandardButton choice) {
        QTimer::singleShot(300, [choice] {
            auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
            ASSERT_TRUE(box);
            EXPECT_EQ(box->objectName(), "unsaved");
            box->button(choice)->click();
        });
    };
    answer(QMessageBox::Cancel);
    EXPECT_FALSE(window.close());
    EXPECT_TRUE(window.isVisible());
    answer(QMessageBox::Save);
    EXPECT_TRUE(window.close());
    EXPECT_EQ(loadProject(folder / "demo.facet").document.active()->patch.value(cutoff), 100.0);
}

TEST_F(WindowTest, EveryControlHasANameAndTabReachesIt) {
    for (const char* view : {"facets", "patch", "search"}) {
        ASSERT_TRUE(window.showView(view));
        laidOut();
        for (auto* widget : window.findChildren<QWidget*>()) {
            if (!widget->isVisible() || !(widget->focusPolicy() & Qt::TabFocus) ||
                widget->objectName().startsWith("qt_"))
                continue;
            QAccessibleInterface* face = QAccessible::queryAccessibleInterface(widget);
            ASSERT_TRUE(face);
            EXPECT_FALSE(face->text(QAccessible::Name).isEmpty() && widget->toolTip().isEmpty() &&
                         !qobject_cast<QScrollArea*>(widget))
                << view << ": " << widget->metaObject()->className() << " " << widget->objectName().toStdString();
        }
    }
    EXPECT_FALSE(window.showView("nonsense"));
}

TEST_F(WindowTest, DarkThemeAndSmallWindowWork) {
    window.setDark(true);
    EXPECT_TRUE(theme().dark);
    window.resize(1024, 700);
    laidOut();
    EXPECT_LE(window.width(), 1024);
    EXPECT_LE(window.height(), 700);
    window.setDark(false);
}

/// Of two colors, 1 … 21: W3C, Web Content Accessibility Guidelines 2.1, "contrast ratio" and "relative luminance".
double contrast(const QColor& one, const QColor& other) {
    const auto luminance = [](const QColor& color) {
        const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF());
    };
    const auto [dark, light] = std::minmax({luminance(one), luminance(other)});
    return (light + 0.05) / (dark + 0.05);
}

TEST_F(WindowTest, TextsAndLinesStandOutInBothThemes) {
    EXPECT_NEAR(contrast(Qt::black, Qt::white), 21.0, 1e-6);
    EXPECT_NEAR(contrast(QColor(0x77, 0x77, 0x77), Qt::white), 4.48, 0.01) << "the guidelines' usual example";
    for (bool dark : {false, true}) {
        window.setDark(dark);
        const Theme& colors = theme();
        for (const QColor& under : {colors.paper, colors.card, colors.selected}) {
            EXPECT_GE(contrast(colors.ink, under), 7.0) << "enhanced (1.4.6), " << dark;
            EXPECT_GE(contrast(colors.quiet, under), 4.5) << "text (1.4.3), " << dark;
        }
        for (const QColor& drawn : {colors.reference, colors.render, colors.good, colors.warning})
            EXPECT_GE(contrast(drawn, colors.card), 3.0) << "graphics (1.4.11), " << dark;
        // Which of two lines is which hangs on their dashes, not on color alone; but they differ in color too.
        EXPECT_GT(std::abs(colors.reference.hslHue() - colors.render.hslHue()), 20);
    }
    window.setDark(false);
}

/// Texts of visible buttons and labels that are wider than their places.
QStringList clippedTexts(const QWidget& window) {
    QStringList clipped;
    const auto check = [&](const QWidget* widget, const QString& text) {
        if (widget->isVisible() && widget->fontMetrics().size(Qt::TextShowMnemonic, text).width() > widget->width() + 1)
            clipped << text;
    };
    for (const auto* each : window.findChildren<QAbstractButton*>()) {
        const auto* tool = qobject_cast<const QToolButton*>(each);
        if (!tool || tool->toolButtonStyle() != Qt::ToolButtonIconOnly) check(each, each->text());
    }
    for (const auto* each : window.findChildren<QLabel*>())
        if (!each->wordWrap() && each->textFormat() != Qt::RichText) check(each, each->text());
    return clipped;
}

TEST_F(WindowTest, TextsFitTheirPlacesInASmallWindow) {
    window.resize(1024, 700);
    for (const char* view : {"reference", "facets", "pitch", "level", "patch/layer:a/source:a", "search", "piece"}) {
        ASSERT_TRUE(window.showView(view)) << view;
        EXPECT_TRUE(QTest::qWaitFor([&] { return clippedTexts(window).empty(); }, 10000 * patience))
            << view << ": " << clippedTexts(window).join(" | ").toStdString();
    }
}

/// Lets a process of its own work on the demo, and kills it without warning a second after it has done so.
void workAndKill(const TemporaryFolder& folder, const char* work) {
    saveProject(folder / "demo.facet", makeDemoProject(testing::demoFile("")), 1);
    const pid_t child = ::fork();
    if (child == 0) {
        ::execl("/proc/self/exe", "window_tests", work, (folder / "demo.facet").c_str(), (folder / "state").c_str(),
                nullptr);
        ::_exit(1);
    }
    const bool done = QTest::qWaitFor([&] { return std::filesystem::exists(folder / "state/done"); }, 60000 * patience);
    QTest::qWait(1000); // "the last second": what was done up to a second before the crash
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    ASSERT_TRUE(done);
}

TEST(Recovery, AfterAKillTheLastSecondIsBack) {
    const TemporaryFolder folder;
    workAndKill(folder, "--edit-and-wait");
    auto work = findUnsavedWork(folder / "state");
    ASSERT_TRUE(work);
    Session session(folder / "state", SimulatedOutput().name());
    session.document.adopt(std::move(*work));
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 4321.0);
    ASSERT_EQ(session.document.cue()->takes.size(), 1u);
    EXPECT_EQ(session.document.cue()->takes[0]->name, "before the crash");
    EXPECT_TRUE(session.document.modified()) << "it is not saved yet";
    session.document.saveAs(folder / "demo.facet");
    EXPECT_EQ(loadProject(folder / "demo.facet").document.active()->patch.value(cutoff), 4321.0);
}

TEST(Recovery, AfterAKillWhatASearchHadFoundIsATake) {
    const TemporaryFolder folder;
    workAndKill(folder, "--search-and-wait");
    auto work = findUnsavedWork(folder / "state");
    ASSERT_TRUE(work);
    const Patch before = loadProject(folder / "demo.facet").document.active()->patch;
    Session session(folder / "state", SimulatedOutput().name());
    session.document.adopt(std::move(*work));
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(before)) << "the patch worked on stays";
    ASSERT_EQ(session.document.cue()->takes.size(), 1u) << "one, however often it was written";
    EXPECT_EQ(session.document.cue()->takes[0]->name, "Match, interrupted");
    EXPECT_FALSE(session.document.cue()->takes[0]->patch.soundsLike(before));
}

TEST(Program, WritesAPictureOfEachViewAndEnds) {
    const TemporaryFolder folder;
    for (const char* view : {"facets", "patch", "search"}) {
        QProcess program;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        for (const char* name : {"XDG_DATA_HOME", "XDG_STATE_HOME"})
            environment.insert(name, QString::fromStdString((folder / name).string()));
        program.setProcessEnvironment(environment);
        const QString file = QString::fromStdString((folder / (std::string(view) + ".png")).string());
        program.start(
            qEnvironmentVariable("FACET_PROGRAM"),
            {"--demo", QString::fromStdString(testing::demoFile("").string()), "--shot", file, "--view", view});
        ASSERT_TRUE(program.waitForFinished(120000 * patience));
        EXPECT_EQ(program.exitCode(), 0);
        const QImage picture(file);
        EXPECT_EQ(picture.size(), QSize(1280, 800));
        // Both sounds are drawn, in their colors.
        int reference = 0, render = 0;
        for (int y = 70; y < 260; ++y)
            for (int x = 120; x < 1250; ++x) {
                reference += picture.pixelColor(x, y) == theme().reference;
                render += picture.pixelColor(x, y) == theme().render;
            }
        EXPECT_GT(reference, 5000) << view;
        EXPECT_GT(render, 3000) << view;
    }
}

} // namespace

/// The parts of the recovery tests that are killed.
int editAndWait(const char* project, const char* state) {
    Session session(state, SimulatedOutput().name());
    session.document.open(project);
    session.takes.keep("before the crash");
    session.patch.setParameter(cutoff, 4321.0);
    testing::writeBytes(std::filesystem::path(state) / "done", "yes");
    return QApplication::exec();
}
int searchAndWait(const char* project, const char* state) {
    Session session(state, SimulatedOutput().name());
    session.document.open(project);
    const Patch before = session.document.cue()->patch;
    QObject::connect(&session.matching, &MatchController::changed, &session, [&] {
        const auto& found = session.matching.state().found;
        if (found.empty() || found.front().patch.soundsLike(before)) return;
        QTimer::singleShot(500, &session,
                           [state] { testing::writeBytes(std::filesystem::path(state) / "done", "yes"); });
        QObject::disconnect(&session.matching, &MatchController::changed, nullptr, nullptr);
    });
    session.matching.start(60.0);
    return QApplication::exec();
}

} // namespace facet

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    facet::applyTheme(app, false);
    if (argc == 4 && std::string(argv[1]) == "--edit-and-wait") return facet::editAndWait(argv[2], argv[3]);
    if (argc == 4 && std::string(argv[1]) == "--search-and-wait") return facet::searchAndWait(argv[2], argv[3]);
    ::testing::InitGoogleTest(&argc, argv);
    return RUN_ALL_TESTS();
}
