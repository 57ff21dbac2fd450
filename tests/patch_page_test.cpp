// Building a patch beyond its fixed modules, in the real window: adding, linking, hearing, undoing, removing.
#include "app/views/listening/changes_dialog.h"
#include "app/views/patch/curve_editor.h"
#include "app/views/patch/link_ends.h"
#include "app/views/patch/module_row.h"
#include "app/views/patch/partials_editor.h"
#include "app/views/patch/stage_view.h"
#include "app/views/patch/table_frames.h"
#include "app/views/patch/patch_view.h"
#include "core/audio/audio_file.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/parameters/sections.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QAccessible>
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QRadioButton>
#include <QScrollBar>
#include <QSignalSpy>
#include <QToolButton>
#include <QTreeWidget>

namespace facet::testing {

class PatchPageTest : public WindowTest {
protected:
    PatchPageTest() { window.showView("patch"); }
    const Patch& patch() const { return session.document.cue()->patch; }

    /// Chooses an entry of the "Add" menu; null when it is not offered.
    QAction* offered(const QString& text) {
        auto* adder = window.findChild<QToolButton*>("addModule");
        emit adder->menu()->aboutToShow();
        for (QAction* action : adder->menu()->actions())
            if (action->text() == text) return action;
        return nullptr;
    }
    void choose(LinkEnds* ends, const QString& name, const QString& text) {
        for (auto* list : ends->findChildren<QComboBox*>()) {
            if (list->accessibleName() != name) continue;
            const int index = list->findText(text);
            ASSERT_GE(index, 0) << text.toStdString();
            list->setCurrentIndex(index);
            emit list->activated(index);
        }
    }
    ModuleRow* line(const std::string& path) {
        for (auto* each : window.findChildren<ModuleRow*>())
            if (each->path() == path && each->isVisible()) return each;
        return nullptr;
    }
    /// The curve of a module, whose line is opened.
    CurveEditor* curveOf(const std::string& path) {
        window.findChild<PatchView*>()->open(path);
        auto* curve = window.findChild<CurveEditor*>(QString::fromStdString("curve " + path));
        if (curve) {
            EXPECT_TRUE(QTest::qWaitFor([curve] { return curve->width() > 230; }, 10000 * patience));
        }
        return curve;
    }
    void drag(CurveEditor* curve, int handle, QPointF by) {
        const QPointF from = curve->placeOfHandle(handle);
        QTest::mousePress(curve, Qt::LeftButton, {}, from.toPoint());
        for (int i = 1; i <= 5; ++i) QTest::mouseMove(curve, (from + by * (i / 5.0)).toPoint());
        QTest::mouseRelease(curve, Qt::LeftButton, {}, (from + by).toPoint());
    }
    LinkEnds* ends(const QString& path) {
        window.findChild<PatchView*>()->open(path.toStdString());
        return window.findChild<LinkEnds*>("ends " + path);
    }
};

TEST_F(PatchPageTest, AnLfoIsAddedLinkedHeardAndUndone) {
    const auto before = session.results.state().render.recording;
    ASSERT_TRUE(offered("LFO"));
    offered("LFO")->trigger();
    offered("Link")->trigger();
    ASSERT_TRUE(patch().find("layer:a/lfo:a"));
    ASSERT_TRUE(ends("link:a"));
    choose(ends("link:a"), "What moves", "LFO");
    choose(ends("link:a"), "The parameter that is moved", "Layer: Layer level");
    EXPECT_EQ(patch().find("link:a")->contents().from, "layer:a/lfo:a");
    EXPECT_EQ(patch().find("link:a")->contents().to, "layer:a/level");
    const auto labels = line("layer:a/lfo:a")->findChildren<QLabel*>();
    EXPECT_TRUE(std::any_of(labels.begin(), labels.end(), [](QLabel* label) {
        return label->text() == QString::fromUtf8("LFO → layer level");
    })) << "named by what it moves";
    typeInto({"link:a", "amount"}, "9 dB");
    EXPECT_EQ(row({"link:a", "amount"})->findChild<QLineEdit*>("value")->text(), "9 dB")
        << "in the unit of what is moved";
    ASSERT_TRUE(settle());
    EXPECT_EQ(patch().value({"link:a", "amount"}), 9.0);
    EXPECT_NE(session.results.state().render.recording->channels[0], before->channels[0]) << "the link is heard";
    // What the shape does not have is not shown.
    EXPECT_TRUE(row({"layer:a/lfo:a", "rate"}));
    EXPECT_FALSE(row({"layer:a/lfo:a", "duty"}));
    session.patch.setParameter({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    EXPECT_TRUE(row({"layer:a/lfo:a", "duty"}));

    const int steps = session.document.undoStack().index();
    for (auto* remove : window.findChildren<QToolButton*>())
        if (remove->property("module").toString() == "layer:a/lfo:a") {
            QTest::mouseClick(remove, Qt::LeftButton);
            break;
        }
    EXPECT_FALSE(patch().find("layer:a/lfo:a"));
    EXPECT_FALSE(patch().find("link:a")) << "a link that lost its end goes too";
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.undoStack().index(), steps);
    EXPECT_TRUE(patch().find("link:a"));
    EXPECT_TRUE(ends("link:a")) << "and is shown again";
    while (session.document.undoStack().canUndo()) session.document.undoStack().undo();
    EXPECT_FALSE(patch().find("layer:a/lfo:a"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results.state().render.recording->channels[0], before->channels[0]);
}

TEST_F(PatchPageTest, ThereIsRoomForSoManyAndCirclesAreRefused) {
    offered("Source")->trigger();
    offered("Source")->trigger();
    EXPECT_FALSE(offered("Source")->isEnabled()) << "four sources are a layer's most";
    offered("Layer")->trigger();
    EXPECT_TRUE(patch().find("layer:b/source:a"));
    ASSERT_TRUE(offered("LFO in layer 2"));
    offered("LFO in layer 2")->trigger();
    EXPECT_TRUE(patch().find("layer:b/lfo:a"));

    offered("Link")->trigger();
    offered("Link")->trigger();
    choose(ends("link:a"), "What moves", "Velocity");
    choose(ends("link:a"), "The parameter that is moved", "Link 2: Amount");
    choose(ends("link:b"), "What moves", "Velocity");
    choose(ends("link:b"), "The parameter that is moved", "Link 1: Amount");
    QString sentence;
    EXPECT_TRUE(QTest::qWaitFor([&] { return !(sentence = closedProblem()).isEmpty(); }, 15000 * patience));
    EXPECT_TRUE(sentence.contains("its own amount")) << sentence.toStdString();
    EXPECT_TRUE(patch().find("link:b")->contents().to.empty());
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, AGrownPatchIsSavedAndReopened) {
    offered("LFO")->trigger();
    offered("Link")->trigger();
    choose(ends("link:a"), "What moves", "LFO");
    choose(ends("link:a"), "The parameter that is moved", "Source 1: Cents");
    typeInto({"link:a", "amount"}, "25");
    const Patch wanted = patch();
    session.document.saveAs(folder / "grown.facet");
    Session again(folder / "other", SimulatedOutput().name());
    again.document.open(folder / "grown.facet");
    EXPECT_EQ(again.document.cue()->patch, wanted);
}

TEST_F(PatchPageTest, EffectsAreAddedHeardReorderedAndUndone) {
    const auto before = session.results.state().render.recording;
    ASSERT_TRUE(offered("Delay"));
    offered("Delay")->trigger();
    offered("Saturation")->trigger();
    ASSERT_TRUE(patch().find("delay:a"));
    EXPECT_EQ(patch().value({"delay:a", "on"}), 1.0);
    EXPECT_TRUE(row({"delay:a", "time"}));
    EXPECT_FALSE(row({"delay:a", "beats"})) << "timed in ms it shows no note value";
    typeInto({"delay:a", "time"}, "250 ms");
    typeInto({"delay:a", "mix"}, "50");
    ASSERT_TRUE(settle());
    EXPECT_EQ(patch().value({"delay:a", "time"}), 250.0);
    EXPECT_NE(session.results.state().render.recording->channels[0], before->channels[0]);
    const auto press = [&](const QString& tip) {
        for (auto* button : window.findChildren<QToolButton*>())
            if (button->accessibleName() == tip) {
                QTest::mouseClick(button, Qt::LeftButton);
                return true;
            }
        return false;
    };
    const auto first = [&] {
        for (const auto& module : patch().modules())
            if (isEffect(module.kind)) return module.path;
        return std::string();
    };
    EXPECT_EQ(first(), "delay:a");
    ASSERT_TRUE(press("Pass saturation earlier"));
    EXPECT_EQ(first(), "saturation:a");
    ASSERT_TRUE(press("Pass saturation earlier")) << "the first stays the first";
    EXPECT_EQ(first(), "saturation:a");
    session.document.undoStack().undo();
    EXPECT_EQ(first(), "delay:a");
    ASSERT_TRUE(press("Remove delay"));
    EXPECT_FALSE(patch().find("delay:a"));
    for (int i = 0; i < mostEffects - 1; ++i) session.patch.addModule(ModuleKind::chorus, {});
    EXPECT_FALSE(offered("Reverb")->isEnabled()) << "twelve are all";
}

TEST_F(PatchPageTest, AWavetableComesFromTheReferenceAndFromAFile) {
    session.patch.setParameter({"layer:a/source:a", "wave"}, static_cast<double>(Wave::wavetable));
    window.findChild<PatchView*>()->open("layer:a/source:a");
    auto* sound = window.findChild<QWidget*>("sound layer:a/source:a");
    ASSERT_TRUE(sound);
    EXPECT_TRUE(sound->isVisible());
    for (auto* button : sound->findChildren<QToolButton*>())
        if (button->text() == "From reference") QTest::mouseClick(button, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !patch().find("layer:a/source:a")->contents().frames.empty(); },
                                30000 * patience));
    EXPECT_EQ(patch().find("layer:a/source:a")->contents().frames.size(), 32u * tableFrameSamples);
    session.document.undoStack().undo();
    EXPECT_TRUE(patch().find("layer:a/source:a")->contents().frames.empty());

    const auto path = folder.path() / "cycles.wav";
    writeAudio(
        path,
        facet::testing::soundOf(2.0 * tableFrameSamples / 48000, 48000, [](double t) { return std::sin(2e3 * t); }),
        SampleFormat::wavFloat);
    const auto load = [this] {
        for (auto* button : line("layer:a/source:a")->findChildren<QToolButton*>())
            if (button->isVisible() && button->text().startsWith("Load")) return button;
        return static_cast<QToolButton*>(nullptr);
    };
    ASSERT_TRUE(load());
    typeNextFile(path);
    QTest::mouseClick(load(), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return patch().find("layer:a/source:a")->contents().frames.size() == 2u * tableFrameSamples; },
        30000 * patience));
    // What is no wavetable is told, and changes nothing.
    writeAudio(path, facet::testing::soundOf(1.0, 48000, [](double t) { return std::sin(2e3 * t); }),
               SampleFormat::wavFloat);
    typeNextFile(path);
    ASSERT_TRUE(load());
    load()->setFocus();
    QTest::keyClick(load(), Qt::Key_Return);
    QString shown;
    ASSERT_TRUE(QTest::qWaitFor([&] { return !(shown = closedProblem()).isEmpty(); }, 30000 * patience));
    EXPECT_TRUE(shown.contains("no wavetable")) << shown.toStdString();
    EXPECT_EQ(patch().find("layer:a/source:a")->contents().frames.size(), 2u * tableFrameSamples);
}

TEST_F(PatchPageTest, LinesOpenOneAtATimeByMouseAndByKeyboard) {
    auto* source = line("layer:a/source:a");
    auto* filter = line("layer:a/filter:a");
    ASSERT_TRUE(source && filter);
    EXPECT_FALSE(source->isOpen());
    QTest::mouseClick(source, Qt::LeftButton, {}, QPoint(60, 12));
    EXPECT_TRUE(source->isOpen());
    EXPECT_TRUE(source->accessibleDescription().contains("wave saw")) << source->accessibleDescription().toStdString();
    QTest::mouseClick(filter, Qt::LeftButton, {}, QPoint(60, 8));
    EXPECT_TRUE(filter->isOpen());
    EXPECT_FALSE(source->isOpen()) << "one line is open";
    QTest::keyClick(filter, Qt::Key_Return);
    EXPECT_FALSE(filter->isOpen());
    QTest::keyClick(filter, Qt::Key_Up); // to source 2
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Up);
    EXPECT_EQ(QApplication::focusWidget(), source);
    QTest::keyClick(source, Qt::Key_Return);
    EXPECT_TRUE(source->isOpen());
    // A key that a field within does not want is not the line's.
    typeInto({"layer:a/source:a", "cents"}, "7");
    EXPECT_TRUE(source->isOpen());
    EXPECT_TRUE(source->accessibleDescription().contains("cents +7 ct"))
        << source->accessibleDescription().toStdString();
}

TEST_F(PatchPageTest, AFilterIsDraggedAndMovedByKeys) {
    QTest::mouseClick(switchOf("layer:a/filter:a"), Qt::LeftButton);
    auto* curve = curveOf("layer:a/filter:a");
    ASSERT_TRUE(curve);
    const Address cutoff{"layer:a/filter:a", "cutoff"}, resonance{"layer:a/filter:a", "resonance"};
    session.patch.setParameter(cutoff, 1000.0);
    const int steps = session.document.undoStack().count();
    drag(curve, 0, QPointF(-60, -25));
    EXPECT_LT(patch().value(cutoff), 600.0);
    EXPECT_GT(patch().value(resonance), 3.0);
    EXPECT_EQ(session.document.undoStack().count(), steps + 1) << "one step";
    const double dragged = patch().value(cutoff);
    QTest::keyClick(curve, Qt::Key_Right);
    EXPECT_GT(patch().value(cutoff), dragged);
    const double stepped = patch().value(cutoff);
    QTest::keyClick(curve, Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_LT(patch().value(cutoff), stepped);
    EXPECT_GT(patch().value(cutoff), dragged) << "with Shift a tenth";
    EXPECT_TRUE(curve->accessibleDescription().startsWith("cutoff ")) << curve->accessibleDescription().toStdString();
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, AnEnvelopeIsDraggedByItsHandles) {
    const std::string path = "layer:a/envelope:level";
    auto* curve = curveOf(path);
    ASSERT_TRUE(curve);
    ASSERT_EQ(curve->handleCount(), 8);
    const auto value = [&](const char* field) { return patch().value({path, field}); };
    drag(curve, 1, QPointF(20, 0));
    EXPECT_GT(value("attack"), 5.0);
    drag(curve, 3, QPointF(-10, 30));
    EXPECT_LT(value("decay"), 400.0);
    EXPECT_NEAR(value("sustain"), 73.0, 6.0);
    const double straight = value("release_curve");
    QTest::keyClick(curve, Qt::Key_PageDown); // release, then the bends
    for (int i = 0; i < 3; ++i) QTest::keyClick(curve, Qt::Key_PageDown);
    EXPECT_EQ(curve->chosenHandle(), 7);
    QTest::keyClick(curve, Qt::Key_Up);
    EXPECT_LT(value("release_curve"), straight);
    EXPECT_TRUE(curve->accessibleDescription().startsWith("release curve"));
    while (session.document.undoStack().canUndo()) session.document.undoStack().undo();
    EXPECT_EQ(patch(), Patch());
}

TEST_F(PatchPageTest, AShapeIsDrawnByBreakpoints) {
    offered("LFO")->trigger();
    const std::string path = "layer:a/lfo:a";
    auto* curve = curveOf(path);
    ASSERT_TRUE(curve);
    EXPECT_EQ(curve->handleCount(), 0) << "a sine has no points";
    QTest::mouseDClick(curve, Qt::LeftButton, {}, QPoint(curve->width() / 2, curve->height() - 40));
    EXPECT_EQ(patch().value({path, "shape"}), static_cast<double>(LfoShape::drawn));
    const auto points = [&] { return patch().find(path)->contents().shape; };
    ASSERT_EQ(points().size(), 17u) << "what it was, in sixteenths";
    EXPECT_LT(points()[8].value, 0.4) << "and drawn into in its middle";
    drag(curve, 4, QPointF(3, 30));
    EXPECT_EQ(points()[4].place, 0.25) << "on the grid";
    EXPECT_LT(points()[4].value, 0.8);
    QTest::keyClick(curve, Qt::Key_Delete);
    EXPECT_EQ(points().size(), 16u);
    QTest::keyClick(curve, Qt::Key_Insert);
    EXPECT_EQ(points().size(), 17u);
    QTest::keyClick(curve, Qt::Key_Up);
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, PartsOfThePatchAreHeardAtTheReferencesLoudness) {
    offered("Delay")->trigger();
    typeInto({"delay:a", "mix"}, "60");
    ASSERT_TRUE(settle());
    const auto choice = [&](const QString& words) {
        for (auto* each : window.findChildren<QRadioButton*>())
            if (each->text() == words) return each;
        return static_cast<QRadioButton*>(nullptr);
    };
    EXPECT_FALSE(choice("this line alone")->isEnabled()) << "an effect alone is nothing";
    auto* without = choice("without this line");
    ASSERT_TRUE(without && without->isEnabled());
    const auto render = session.results.state().render.recording;
    without->setFocus();
    QTest::mouseClick(without, Qt::LeftButton, {}, QPoint(8, without->height() / 2));
    EXPECT_EQ(session.listening.heardModules(), HeardModules::without);
    EXPECT_EQ(session.listening.heardModule(), "delay:a");
    EXPECT_TRUE(session.playback.player().playing()) << "it is heard at once";
    EXPECT_EQ(session.playback.player().side(), Side::render);
    EXPECT_EQ(session.results.state().render.recording, render) << "compared is the whole patch";
    // Another line opened: that one is left out instead.
    window.findChild<PatchView*>()->open("layer:a/filter:a");
    EXPECT_EQ(session.listening.heardModule(), "layer:a/filter:a");
    // What is gone cannot be left out.
    window.findChild<PatchView*>()->open("delay:a");
    session.patch.removeModule("delay:a");
    EXPECT_TRUE(choice("the whole patch")->isChecked());
    session.playback.panic();
}

TEST_F(PatchPageTest, MoversAreAddedMutedAndHeard) {
    offered("LFO")->trigger();
    window.findChild<PatchView*>()->open("layer:a/source:a");
    auto* add = window.findChild<QToolButton*>("addMover");
    ASSERT_TRUE(add);
    emit add->menu()->aboutToShow();
    QAction* wanted = nullptr;
    for (QAction* parameter : add->menu()->actions())
        if (parameter->text() == "Cents")
            for (QAction* mover : parameter->menu()->actions())
                if (mover->text() == "LFO") wanted = mover;
    ASSERT_TRUE(wanted);
    wanted->trigger();
    ASSERT_TRUE(patch().find("link:a"));
    EXPECT_EQ(patch().find("link:a")->contents().to, "layer:a/source:a/cents");
    EXPECT_GT(patch().value({"link:a", "amount"}), 0.0);
    EXPECT_TRUE(line("layer:a/lfo:a")->accessibleDescription().contains("moves Source 1 cents"));
    laidOut();
    QToolButton* mute = nullptr;
    for (auto* each : line("layer:a/source:a")->findChildren<QToolButton*>())
        if (each->isVisible() && each->text() == "mute") mute = each;
    ASSERT_TRUE(mute);
    QTest::mouseClick(mute, Qt::LeftButton);
    EXPECT_EQ(patch().value({"link:a", "on"}), 0.0);
    EXPECT_TRUE(line("layer:a/lfo:a")->accessibleDescription().contains("moves nothing"));
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, EffectsArePassedEarlierAndRemovedByKeys) {
    offered("Chorus")->trigger();
    offered("Limiter")->trigger();
    line("limiter:a")->setFocus();
    QTest::keyClick(line("limiter:a"), Qt::Key_Up, Qt::AltModifier);
    std::string first;
    for (const auto& module : patch().modules())
        if (first.empty() && isEffect(module.kind)) first = module.path;
    EXPECT_EQ(first, "limiter:a");
    EXPECT_EQ(QApplication::focusWidget(), line("limiter:a")) << "the keyboard stays where it was";
    QTest::keyClick(line("limiter:a"), Qt::Key_Delete);
    EXPECT_FALSE(patch().find("limiter:a"));
    line("layer:a/filter:a")->setFocus();
    QTest::keyClick(line("layer:a/filter:a"), Qt::Key_Delete);
    EXPECT_TRUE(patch().find("layer:a/filter:a")) << "what is part of every patch stays";
}

TEST_F(PatchPageTest, EffectsAreDraggedToAnotherPlace) {
    for (const char* name : {"Delay", "Saturation", "Chorus"}) offered(name)->trigger();
    window.findChild<PatchView*>()->open({});
    laidOut();
    const auto order = [&] {
        std::string all;
        for (const auto& module : patch().modules())
            if (isEffect(module.kind)) all += module.path + " ";
        return all;
    };
    ASSERT_EQ(order(), "delay:a saturation:a chorus:a ");
    const auto dragTo = [&](const std::string& path, const std::string& onto, int beyond) {
        ModuleRow* from = line(path);
        const QPoint start(120, 10);
        const QPoint end =
            from->mapFrom(&window, line(onto)->mapTo(&window, QPoint(120, line(onto)->height() / 2 + beyond)));
        QTest::mousePress(from, Qt::LeftButton, {}, start);
        QTest::mouseMove(from, start + QPoint(0, 14));
        QTest::mouseMove(from, end);
        QTest::mouseRelease(from, Qt::LeftButton, {}, end);
    };
    dragTo("chorus:a", "delay:a", -4);
    EXPECT_EQ(order(), "chorus:a delay:a saturation:a ");
    laidOut();
    dragTo("chorus:a", "saturation:a", 4);
    EXPECT_EQ(order(), "delay:a saturation:a chorus:a ");
    EXPECT_FALSE(line("chorus:a")->isOpen()) << "a drag opens nothing";
    session.document.undoStack().undo();
    EXPECT_EQ(order(), "chorus:a delay:a saturation:a ");
}

TEST_F(PatchPageTest, AParameterIsFoundByAnotherWordAndTypedWithArithmetic) {
    QTest::keyClick(&window, Qt::Key_F, Qt::ControlModifier);
    auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    ASSERT_TRUE(field);
    EXPECT_EQ(field->accessibleName(), "Find a parameter");
    QTest::keyClicks(field, "unison");
    auto* found = window.findChild<QListWidget*>();
    ASSERT_GT(found->count(), 1);
    EXPECT_TRUE(found->isVisible());
    EXPECT_EQ(found->item(0)->text(), "Stacked voices · Source 1");
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_TRUE(line("layer:a/source:a")->isOpen());
    EXPECT_FALSE(found->isVisible());
    auto* value = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    ASSERT_TRUE(value);
    EXPECT_EQ(value->accessibleName(), "Stacked voices");
    QTest::keyClicks(value, "5");
    QTest::keyClick(value, Qt::Key_Return);
    EXPECT_EQ(patch().value({"layer:a/source:a", "voices"}), 5.0);
    const std::string envelope = "layer:a/envelope:level";
    typeInto({envelope, "attack"}, "30 ms");
    typeInto({envelope, "attack"}, "x2");
    EXPECT_EQ(patch().value({envelope, "attack"}), 60.0);
    typeInto({envelope, "attack"}, "1/16");
    EXPECT_NEAR(patch().value({envelope, "attack"}), 15000.0 / session.document.performance().tempo, 0.5);
}

TEST_F(PatchPageTest, SectionsAreCopiedAndParametersTied) {
    session.patch.setParameter({"layer:a/source:a", "wave"}, static_cast<double>(Wave::triangle));
    session.patch.setParameter({"layer:a/source:a", "cents"}, 9.0);
    line("layer:a/source:a")->setFocus();
    QTest::keyClick(line("layer:a/source:a"), Qt::Key_C, Qt::ControlModifier);
    line("layer:a/source:b")->setFocus();
    QTest::keyClick(line("layer:a/source:b"), Qt::Key_V, Qt::ControlModifier);
    EXPECT_EQ(patch().value({"layer:a/source:b", "cents"}), 9.0);
    EXPECT_EQ(patch().value({"layer:a/source:b", "wave"}), static_cast<double>(Wave::triangle));
    line("layer:a/filter:a")->setFocus();
    QTest::keyClick(line("layer:a/filter:a"), Qt::Key_V, Qt::ControlModifier);
    QString shown;
    ASSERT_TRUE(QTest::qWaitFor([&] { return !(shown = closedProblem()).isEmpty(); }, 15000 * patience));
    EXPECT_TRUE(shown.contains("same kind")) << shown.toStdString();

    ASSERT_TRUE(chooseFrom(row({"layer:a/source:b", "cents"}), {"Tie, keeping", "Source 1 cents"}, By::keys));
    typeInto({"layer:a/source:a", "cents"}, "4");
    EXPECT_EQ(patch().value({"layer:a/source:b", "cents"}), 4.0);
    EXPECT_TRUE(row({"layer:a/source:a", "cents"})->findChild<QLabel*>()->text().endsWith("=")) << "the tie is shown";
    ASSERT_TRUE(chooseFrom(row({"layer:a/source:a", "cents"}), {"Untie"}, By::mouse));
    typeInto({"layer:a/source:a", "cents"}, "1");
    EXPECT_EQ(patch().value({"layer:a/source:b", "cents"}), 4.0);
    ASSERT_TRUE(chooseFrom(row({"layer:a/source:a", "cents"}), {"Tie, equal to", "Source 2 cents"}, By::mouse));
    EXPECT_EQ(patch().value({"layer:a/source:a", "cents"}), 4.0);
}

TEST_F(PatchPageTest, SectionsAreChangedAsAWholeFromTheirMenu) {
    const Address cutoff{"layer:a/filter:a", "cutoff"}, resonance{"layer:a/filter:a", "resonance"};
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    typeInto(cutoff, "700");
    QTest::keyClick(&window, Qt::Key_K, Qt::ControlModifier); // kept as a take
    for (const By by : {By::mouse, By::keys}) {
        ASSERT_TRUE(chooseFrom(line("layer:a/filter:a"), {"Random values"}, by));
        EXPECT_NE(patch().value(cutoff), 700.0);
        ASSERT_TRUE(chooseFrom(line("layer:a/filter:a"), {"As in the last take"}, by));
        EXPECT_EQ(patch().value(cutoff), 700.0);
        ASSERT_TRUE(chooseFrom(line("layer:a/filter:a"), {"Back to defaults"}, by));
        EXPECT_EQ(patch().value(cutoff), Patch().value(cutoff));
        session.document.undoStack().undo();
        EXPECT_EQ(patch().value(cutoff), 700.0);
        ASSERT_TRUE(chooseFrom(line("layer:a/source:a"), {"Copy"}, by));
        ASSERT_TRUE(chooseFrom(line("layer:a/source:b"), {"Paste"}, by));
        EXPECT_EQ(patch().value({"layer:a/source:b", "wave"}), patch().value({"layer:a/source:a", "wave"}));
        session.document.undoStack().undo();
        offered("Saturation")->trigger();
        const std::string added = patch().modules()[patch().modules().size() - 2].path; // the output comes last
        EXPECT_TRUE(added.starts_with("saturation"));
        ASSERT_TRUE(chooseFrom(line(added), {"Remove"}, by));
        EXPECT_FALSE(patch().find(added));
    }
    // The same for one value.
    for (const By by : {By::mouse, By::keys}) {
        typeInto(cutoff, "333");
        ASSERT_TRUE(chooseFrom(row(cutoff), {"As in the last take"}, by));
        EXPECT_EQ(patch().value(cutoff), 700.0);
        ASSERT_TRUE(chooseFrom(row(cutoff), {"Back to default"}, by));
        EXPECT_EQ(patch().value(cutoff), Patch().value(cutoff));
    }
    // What a random choice may be is bounded by the range that a search keeps to.
    session.patch.setSearchRange(cutoff, std::pair{500.0, 600.0});
    for (int i = 0; i < 5; ++i) {
        ASSERT_TRUE(chooseFrom(line("layer:a/filter:a"), {"Random values"}, By::keys));
        EXPECT_GE(patch().value(cutoff), 499.9);
        EXPECT_LE(patch().value(cutoff), 600.1);
    }
    session.patch.setLocked(resonance, true);
    const double held = patch().value(resonance);
    ASSERT_TRUE(chooseFrom(line("layer:a/filter:a"), {"Random values"}, By::keys));
    EXPECT_EQ(patch().value(resonance), held) << "locked";
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, PartialsAreDrawnChosenByKeysAndTakenFromTheReference) {
    const std::string path = "layer:a/source:a";
    session.patch.setParameter({path, "wave"}, static_cast<double>(Wave::harmonics));
    window.findChild<PatchView*>()->open(path);
    auto* bars = window.findChild<PartialsEditor*>();
    ASSERT_TRUE(bars);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bars->isVisible() && bars->width() > 230; }, 10000 * patience));
    const auto level = [&](int n) { return partialLevel(patch().find(path)->contents().partialsDb, n); };
    const int steps = session.document.undoStack().count();
    QTest::mousePress(bars, Qt::LeftButton, {}, bars->placeOf(2, -12.0).toPoint());
    QTest::mouseMove(bars, bars->placeOf(10, -36.0).toPoint());
    QTest::mouseRelease(bars, Qt::LeftButton, {}, bars->placeOf(10, -36.0).toPoint());
    EXPECT_NEAR(level(2), -12.0, 1.0);
    EXPECT_NEAR(level(6), -24.0, 1.5) << "a stroke passes all between";
    EXPECT_NEAR(level(10), -36.0, 1.0);
    EXPECT_EQ(session.document.undoStack().count(), steps + 1) << "a stroke is one step";
    const double before = level(10);
    QTest::keyClick(bars, Qt::Key_Up);
    EXPECT_NEAR(level(10), before + 1.0, 1e-9);
    QTest::keyClick(bars, Qt::Key_Left);
    QTest::keyClick(bars, Qt::Key_Delete);
    EXPECT_EQ(level(9), absentPartialDb);
    EXPECT_EQ(bars->accessibleDescription(), "partial 9: absent");
    for (auto* button : line(path)->findChildren<QToolButton*>())
        if (button->text() == "Odd") QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_EQ(level(2), absentPartialDb);
    EXPECT_EQ(level(1), 0.0);
    for (auto* button : line(path)->findChildren<QToolButton*>())
        if (button->accessibleName() == "Takes the partials of the longest chosen note")
            QTest::mouseClick(button, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return level(2) > absentPartialDb; }, 30000 * patience));
    double strongest = absentPartialDb;
    for (int n = 1; n <= tablePartials; ++n) strongest = std::max(strongest, level(n));
    EXPECT_EQ(strongest, 0.0);
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, TellsWhenThePhraseNeedsMoreVoices) {
    const Note first = session.document.performance().notes.front();
    for (int i = 1; i <= 3; ++i) {
        Note note = first;
        note.key += 4 * i;
        session.notes.add(note);
    }
    session.patch.setParameter({"voicing", "voices"}, 3.0);
    EXPECT_TRUE(line("voicing")->accessibleDescription().contains("the phrase needs 4 voices"))
        << line("voicing")->accessibleDescription().toStdString();
    session.patch.setParameter({"voicing", "voices"}, 4.0);
    EXPECT_FALSE(line("voicing")->accessibleDescription().contains("needs"));
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, ASearchKeepsToTheRangeItWasGiven) {
    const Address attack{"layer:a/envelope:level", "attack"};
    row(attack); // opens the line
    QTimer::singleShot(400, [] {
        auto* asking = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_TRUE(asking);
        asking->setTextValue("200 ms to 0,4 s");
        asking->accept();
    });
    QTimer::singleShot(0, [] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_TRUE(menu);
        for (QAction* action : menu->actions())
            if (action->text().startsWith("Search range")) {
                QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
                return;
            }
        FAIL() << "no range offered";
    });
    auto* line = row(attack);
    QContextMenuEvent event(QContextMenuEvent::Keyboard, QPoint(4, 4), line->mapToGlobal(QPoint(4, 4)));
    QApplication::sendEvent(line, &event);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->ranges.contains(attack); }, 10000 * patience));
    EXPECT_EQ(session.document.cue()->ranges.at(attack), (std::pair{200.0, 400.0}));
    session.matching.start(3.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 90000 * patience));
    EXPECT_GE(patch().value(attack), 199.9);
    EXPECT_LE(patch().value(attack), 400.1);
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, EveryFixtureReadsFromTopToBottom) {
    const auto fixtures = std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches";
    auto* view = window.findChild<PatchView*>();
    int count = 0;
    for (const auto& entry : std::filesystem::directory_iterator(fixtures)) {
        SCOPED_TRACE(entry.path().filename().string());
        ++count;
        session.patch.setPatch("Fixture", readPatch(entry.path()));
        const Patch shown = patch();
        for (const auto& module : shown.modules()) {
            ASSERT_TRUE(line(module.path)) << module.path;
            view->open(module.path);
            EXPECT_TRUE(line(module.path)->isOpen());
            EXPECT_FALSE(line(module.path)->accessibleName().isEmpty());
            EXPECT_FALSE(line(module.path)->accessibleDescription().isEmpty()) << module.path;
            for (const auto& d : parametersOf(module.kind))
                if (d.field != "on" && takesPart(shown, module) && matters(shown, module, d)) {
                    EXPECT_TRUE(row({module.path, std::string(d.field)})) << module.path << "/" << d.field;
                }
        }
    }
    EXPECT_GT(count, 10) << "there are fixtures";
    ASSERT_TRUE(settle());
}

/// Builds a patch from the empty one with nothing but what the page offers.
class RebuildTest : public PatchPageTest {
protected:
    void addWhatIsMissing(const Patch& wanted) {
        for (const auto& module : wanted.modules()) {
            if (patch().find(module.path)) continue;
            const auto word = labelOf(module.kind);
            QString text = QString::fromUtf8(word.data(), static_cast<qsizetype>(word.size()));
            const auto* layer = patch().find(layerOfPath(module.path));
            if (layer && patch().find("layer:b"))
                text += " in " + QString::fromStdString(patch().labelOf(*layer)).toLower();
            QAction* action = offered(text);
            ASSERT_TRUE(action) << text.toStdString();
            action->trigger();
            ASSERT_TRUE(patch().find(module.path)) << module.path;
        }
    }
    void chooseFor(LinkEnds* link, const QString& name, const std::string& path) {
        for (auto* list : link->findChildren<QComboBox*>()) {
            if (list->accessibleName() != name || path.empty()) continue;
            const int index = list->findData(QString::fromStdString(path));
            ASSERT_GE(index, 0) << path;
            list->setCurrentIndex(index);
            emit list->activated(index);
        }
    }
    void fill(const Patch& wanted) {
        for (const auto& module : wanted.modules()) {
            const ModuleData& held = module.contents();
            if (module.kind == ModuleKind::link) {
                auto* link = ends(QString::fromStdString(module.path));
                ASSERT_TRUE(link);
                chooseFor(link, "The parameter that is moved", held.to);
                chooseFor(link, "What moves", held.from);
                chooseFor(link, "What scales the amount besides", held.by);
            }
            if (!held.frames.empty()) {
                const auto file = folder / "cycles.wav";
                writeAudio(file, Recording{48000, {held.frames}}, SampleFormat::wavFloat);
                setByHand({module.path, "wave"}, static_cast<double>(Wave::wavetable));
                session.sounds.load(module.path, file);
                ASSERT_TRUE(QTest::qWaitFor([&] { return patch().find(module.path)->contents().frames == held.frames; },
                                            30000 * patience));
            }
            if (!held.shape.empty()) { // from another patch, by the clipboard
                QApplication::clipboard()->setText(QString::fromStdString(sectionToText(wanted, module.path)));
                line(module.path)->setFocus();
                QTest::keyClick(line(module.path), Qt::Key_V, Qt::ControlModifier);
            }
        }
    }
    /// Sets a parameter as the page lets one set it; false where the page does not show it now.
    bool setByHand(const Address& address, double value) {
        if (address.field == "on") {
            if (QToolButton* dot = switchOf(address.module)) QTest::mouseClick(dot, Qt::LeftButton);
            return patch().value(address) == value;
        }
        ParameterRow* shown = row(address);
        if (!shown) return false;
        if (auto* choices = shown->findChild<QComboBox*>()) {
            choices->setCurrentIndex(static_cast<int>(value));
            emit choices->activated(static_cast<int>(value));
        } else if (auto* box = shown->findChild<QCheckBox*>()) {
            QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
        } else {
            typeInto(address, QString::number(value, 'g', 12));
        }
        return patch().value(address) == value;
    }
    std::vector<Address> differing(const Patch& wanted) const {
        std::vector<Address> all;
        for (const auto& module : wanted.modules())
            for (const auto& d : parametersOf(module.kind))
                if (const Address address{module.path, std::string(d.field)};
                    patch().value(address) != wanted.value(address))
                    all.push_back(address);
        return all;
    }
};

TEST_F(RebuildTest, EveryFixtureIsRebuiltFromEmptyByWhatThePageOffers) {
    for (const auto& entry :
         std::filesystem::directory_iterator(std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches")) {
        SCOPED_TRACE(entry.path().filename().string());
        const Patch wanted = readPatch(entry.path());
        for (auto* action : window.findChildren<QAction*>())
            if (action->text().remove('&') == "Empty patch") action->trigger();
        ASSERT_EQ(patch(), Patch());
        addWhatIsMissing(wanted);
        fill(wanted);
        // What matters only with others set is shown once they are.
        for (std::size_t before = 0, left = differing(wanted).size(); left != before && left > 0;) {
            before = left;
            for (const Address& address : differing(wanted)) setByHand(address, wanted.value(address));
            left = differing(wanted).size();
        }
        for (const Address& address : differing(wanted)) ADD_FAILURE() << address.text();
        Patch built = patch();
        built.name = wanted.name;
        EXPECT_EQ(built, wanted);
    }
}

TEST_F(PatchPageTest, AMacroIsNamedAndMovesSeveralParametersByCurves) {
    offered("Macro")->trigger();
    auto* view = window.findChild<PatchView*>();
    view->open("macro:a");
    auto* name = line("macro:a")->findChild<QLineEdit*>("macroName");
    ASSERT_TRUE(name);
    name->setFocus();
    QTest::keyClicks(name, "Openness");
    QTest::keyClick(name, Qt::Key_Return);
    EXPECT_EQ(patch().find("macro:a")->contents().label, "Openness");
    EXPECT_EQ(line("macro:a")->accessibleName(), "Openness");
    const auto moveSomething = [&](const QString& module, const QString& parameter) {
        auto* targets = line("macro:a")->findChild<QToolButton*>("addTarget");
        ASSERT_TRUE(targets);
        emit targets->menu()->aboutToShow();
        for (QAction* of : targets->menu()->actions())
            if (of->text() == module)
                for (QAction* action : of->menu()->actions())
                    if (action->text() == parameter) {
                        action->trigger();
                        return;
                    }
        FAIL() << module.toStdString() << " " << parameter.toStdString();
    };
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    moveSomething("Filter", "Cutoff");
    view->open("macro:a");
    moveSomething("Source 1", "Level");
    EXPECT_EQ(patch().find("link:a")->contents().to, "layer:a/filter:a/cutoff");
    EXPECT_EQ(patch().find("link:b")->contents().to, "layer:a/source:a/level");
    view->open("macro:a");
    EXPECT_EQ(line("macro:a")->findChildren<ParameterRow*>().size(), 3) << "its value, and how far it moves each";
    session.document.undoStack().undo();
    EXPECT_FALSE(patch().find("link:b"));
}

TEST_F(PatchPageTest, ChangesSinceATakeAreListedAndTakenBackOneByOne) {
    session.takes.keep("First");
    const Patch before = patch();
    session.patch.setParameter({"layer:a/source:a", "octave"}, -1.0);
    session.patch.setParameter({"layer:a/source:a", "cents"}, 9.0);
    offered("Reverb")->trigger();
    QTest::keyClick(&window, Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = window.findChild<ChangesDialog*>();
    ASSERT_TRUE(dialog);
    auto* list = dialog->findChild<QTreeWidget*>();
    ASSERT_EQ(list->topLevelItemCount(), 3);
    EXPECT_EQ(list->topLevelItem(0)->text(0), "Source 1 octave");
    EXPECT_EQ(list->topLevelItem(0)->text(2), QString::fromUtf8("−1 oct"));
    list->setFocus();
    list->setCurrentItem(list->topLevelItem(0));
    QTest::keyClick(list, Qt::Key_Return);
    EXPECT_EQ(patch().value({"layer:a/source:a", "octave"}), 0.0);
    EXPECT_EQ(patch().value({"layer:a/source:a", "cents"}), 9.0) << "the others stay";
    ASSERT_EQ(list->topLevelItemCount(), 2);
    for (int i = 0; i < 2; ++i)
        for (auto* button : dialog->findChildren<QPushButton*>())
            if (button->text().remove('&').startsWith("Take this")) QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_TRUE(patch().soundsLike(before));
    EXPECT_EQ(list->topLevelItemCount(), 0);
    session.document.undoStack().undo();
    EXPECT_EQ(list->topLevelItemCount(), 1) << "the list follows";
    dialog->close();
}

TEST_F(PatchPageTest, ALinksCurveIsBentByMouseAndKeys) {
    offered("Link")->trigger();
    choose(ends("link:a"), "The parameter that is moved", "Layer: Layer level");
    choose(ends("link:a"), "What moves", "Velocity");
    auto* curve = curveOf("link:a");
    ASSERT_TRUE(curve);
    drag(curve, 0, {0.0, -25.0});
    const double bent = patch().value({"link:a", "curve"});
    EXPECT_GT(bent, 10.0) << "upwards: more of the way early";
    curve->setFocus();
    QTest::keyClick(curve, Qt::Key_Down);
    EXPECT_LT(patch().value({"link:a", "curve"}), bent);
}

TEST_F(PatchPageTest, StagesTellWhatArrivesAndWhatTheyDo) {
    offered("Saturation")->trigger();
    ASSERT_TRUE(settle());
    auto* view = window.findChild<PatchView*>();
    view->open("saturation:a");
    auto* stage = line("saturation:a")->findChild<StageView*>();
    ASSERT_TRUE(stage);
    session.patch.setParameter({"saturation:a", "on"}, 1.0);
    EXPECT_TRUE(QTest::qWaitFor([&] { return stage->words().startsWith("Arrives with peaks of"); }, 30000 * patience))
        << stage->words().toStdString();
    EXPECT_TRUE(stage->isVisible());
    const StageReading reading = *session.readings.stage("saturation:a");
    EXPECT_GT(reading.addedDb.size(), 3u);
    // Louder by 6 dB in front of it arrives 6 dB louder.
    session.patch.setParameter({"layer:a", "level"}, patch().value({"layer:a", "level"}) - 6.0);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.readings.stage("saturation:a") != nullptr; }, 30000 * patience));
    EXPECT_NEAR(session.readings.stage("saturation:a")->peakDb, reading.peakDb - 6.0, 0.2);
    EXPECT_TRUE(line("saturation:a")->accessibleDescription().contains("in "));
}

TEST_F(PatchPageTest, ValuesThatMakeNoDifferenceInThePhraseAreGreyed) {
    auto* view = window.findChild<PatchView*>();
    view->open("layer:a/envelope:level");
    const auto greyed = [&](const char* field) {
        auto* label = row({"layer:a/envelope:level", field})->findChild<QLabel*>();
        return !label->isEnabled();
    };
    // With full sustain the decay leads nowhere; the attack is heard.
    session.patch.setParameter({"layer:a/envelope:level", "sustain"}, 100.0);
    ASSERT_TRUE(QTest::qWaitFor([&] { return greyed("decay"); }, 45000 * patience));
    EXPECT_FALSE(greyed("attack"));
    EXPECT_TRUE(row({"layer:a/envelope:level", "decay"})->toolTip().contains("no difference in this phrase"));
    session.patch.setParameter({"layer:a/envelope:level", "sustain"}, 40.0);
    EXPECT_TRUE(QTest::qWaitFor([&] { return !greyed("decay"); }, 45000 * patience));
}

TEST_F(PatchPageTest, SlowListeningCanPlayTheRenderAnew) {
    auto& output = static_cast<SimulatedOutput&>(session.playback.output());
    // The envelope rises within 300 ms: half-way through its rise the anew played render is louder than the stretched.
    session.patch.setParameter({"layer:a/envelope:level", "attack"}, 300.0);
    ASSERT_TRUE(settle());
    const auto levelAfter = [&](double seconds) {
        EXPECT_TRUE(stopAndFade());
        session.playback.seek(0.0);
        output.capture(3.0);
        session.playback.play(Side::render);
        const auto wanted = static_cast<int>((seconds + 0.1) * 48000);
        EXPECT_TRUE(QTest::qWaitFor([&] { return output.capturedFrames() >= wanted; }, 15000 * patience));
        double power = 0.0;
        for (int i = wanted - 4800; i < wanted; ++i)
            power += std::pow(static_cast<double>(output.captured()[static_cast<std::size_t>(2 * i)]), 2);
        return 10.0 * std::log10(power / 4800.0 + 1e-12);
    };
    QTest::keyClick(&window, Qt::Key_3, Qt::AltModifier);
    ASSERT_EQ(session.playback.slowness(), 4);
    ASSERT_TRUE(givenToPlayer());
    const double stretched = levelAfter(0.35);
    QTest::keyClick(&window, Qt::Key_5, Qt::AltModifier);
    ASSERT_TRUE(session.listening.slowAnew());
    ASSERT_TRUE(givenToPlayer());
    const double anew = levelAfter(0.35);
    EXPECT_GT(anew, stretched + 3.0);
    session.playback.player().stop();
}

TEST_F(PatchPageTest, AGatesShapeIsTakenFromTheReference) {
    for (const auto& cue : session.document.document().cues)
        if (cue->name == "Beacon") session.document.selectCue(cue->id);
    ASSERT_TRUE(settle());
    offered("LFO")->trigger();
    window.findChild<PatchView*>()->open("layer:a/lfo:a");
    auto* take = line("layer:a/lfo:a")->findChild<QToolButton*>("takeShape");
    ASSERT_TRUE(take);
    QTest::mouseClick(take, Qt::LeftButton);
    EXPECT_EQ(patch().value({"layer:a/lfo:a", "shape"}), static_cast<double>(LfoShape::drawn));
    EXPECT_GE(patch().find("layer:a/lfo:a")->contents().shape.size(), 3u);
    ASSERT_TRUE(patch().find("link:a"));
    EXPECT_EQ(patch().find("link:a")->contents().to, "layer:a/level");
    EXPECT_GT(patch().value({"link:a", "amount"}), 2.0);
    const double before = session.results.state().comparison->likeness;
    ASSERT_TRUE(settle());
    EXPECT_GT(session.results.state().comparison->likeness, before);
    session.document.undoStack().undo();
    EXPECT_FALSE(patch().find("link:a")) << "one step";
    take = line("layer:a/lfo:a")->findChild<QToolButton*>("takeShape"); // the page was made anew
    ASSERT_TRUE(take);
    take->setFocus();
    QTest::keyClick(take, Qt::Key_Return);
    EXPECT_TRUE(patch().find("link:a"));
    ASSERT_TRUE(settle());
}

TEST_F(PatchPageTest, CyclesOfATableAreMovedTurnedRoundAndTakenAway) {
    const std::string path = "layer:a/source:a";
    session.patch.setParameter({path, "wave"}, static_cast<double>(Wave::wavetable));
    ModuleData held;
    for (int cycle = 0; cycle < 3; ++cycle)
        for (int i = 0; i < tableFrameSamples; ++i) held.frames.push_back(0.2f * static_cast<float>(cycle + 1));
    session.patch.setModuleData(path, held);
    window.findChild<PatchView*>()->open(path);
    auto* cycles = window.findChild<TableFrames*>(QString::fromStdString("cycles " + path));
    ASSERT_TRUE(cycles);
    EXPECT_TRUE(cycles->isVisible());
    EXPECT_EQ(cycles->count(), 3);
    QTest::mouseClick(cycles, Qt::LeftButton, {}, QPoint(cycles->width() - 12, 60));
    EXPECT_EQ(cycles->chosen(), 2);
    cycles->setFocus();
    QTest::keyClick(cycles, Qt::Key_Left);
    EXPECT_EQ(cycles->chosen(), 1);
    EXPECT_EQ(patch().value({path, "position"}), 50.0);
    const auto turnRound = [&] {
        for (auto* button : line(path)->findChildren<QToolButton*>())
            if (button->text() == "Reverse") QTest::mouseClick(button, Qt::LeftButton);
    };
    turnRound();
    EXPECT_EQ(patch().find(path)->contents().frames.front(), 0.6f);
    for (auto* button : line(path)->findChildren<QToolButton*>())
        if (button->text() == "Reverse") {
            button->setFocus();
            QTest::keyClick(button, Qt::Key_Return);
        }
    EXPECT_EQ(patch().find(path)->contents().frames.front(), 0.2f);
    turnRound();
    QTest::keyClick(cycles, Qt::Key_Delete);
    EXPECT_EQ(cycles->count(), 2);
    EXPECT_EQ(patch().find(path)->contents().frames.back(), 0.2f);
}

TEST_F(PatchPageTest, TurningAParameterIsRecordedAsACurve) {
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    ASSERT_TRUE(settle());
    const Patch before = patch();
    const int steps = session.document.undoStack().index();
    window.setFocus();
    QTest::keyClick(&window, Qt::Key_R);
    EXPECT_TRUE(session.automation.recording());
    EXPECT_TRUE(window.findChild<QToolButton*>("recordMoves")->isChecked());
    session.playback.play(Side::render);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.playback.position() > 0.3; }, 15000 * patience));
    for (double hz : {500.0, 900.0, 1500.0, 2600.0}) {
        typeInto({"layer:a/filter:a", "cutoff"}, QString::number(hz));
        ASSERT_TRUE(played(0.05));
    }
    window.setFocus();
    QTest::keyClick(&window, Qt::Key_R);
    session.playback.player().stop();
    EXPECT_EQ(patch(), before) << "the parameter stands where it stood";
    const Performance played = session.document.performance();
    const Curve* curve = played.curveOf("layer:a/filter:a/cutoff");
    ASSERT_TRUE(curve);
    EXPECT_GE(curve->points.size(), 3u);
    const auto& cutoff = patch().descriptor({"layer:a/filter:a", "cutoff"});
    EXPECT_NEAR(cutoff.fromUnit(valueAt(curve->points, 0.25)), before.value({"layer:a/filter:a", "cutoff"}), 5.0)
        << "it stands until it is turned";
    EXPECT_NEAR(patch().descriptor({"layer:a/filter:a", "cutoff"}).fromUnit(curve->points.back().value), 2600.0, 1.0);
    ASSERT_TRUE(settle());
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.undoStack().index(), steps) << "one step of undo";
    EXPECT_EQ(session.document.performance().curveOf("layer:a/filter:a/cutoff"), nullptr);
}

TEST_F(PatchPageTest, EveryControlIsReachedByTheKeyboardAlone) {
    for (const char* name : {"LFO", "Macro", "Saturation"}) offered(name)->trigger();
    session.patch.addLink("layer:a/lfo:a", "layer:a/filter:a/cutoff");
    session.patch.setParameter({"layer:a/source:a", "wave"}, static_cast<double>(Wave::harmonics));
    session.patch.setParameter({"layer:a/source:b", "on"}, 1.0);
    session.patch.setParameter({"layer:a/source:b", "wave"}, static_cast<double>(Wave::wavetable));
    ModuleData held;
    held.frames.assign(2u * tableFrameSamples, 0.1f);
    session.patch.setModuleData("layer:a/source:b", held);
    ASSERT_TRUE(settle());
    auto* page = window.findChild<PatchView*>();
    const Patch all = patch();
    for (const auto& module : all.modules()) {
        page->open(module.path);
        laidOut();
        ASSERT_TRUE(line(module.path));
        line(module.path)->setFocus();
        std::set<QWidget*> reached;
        ASSERT_TRUE(QApplication::focusWidget());
        while (reached.insert(QApplication::focusWidget()).second)
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
        for (auto* control : page->findChildren<QWidget*>()) {
            const bool isSet = qobject_cast<QAbstractButton*>(control) || qobject_cast<QAbstractSlider*>(control) ||
                               qobject_cast<QComboBox*>(control) || qobject_cast<QLineEdit*>(control) ||
                               qobject_cast<CurveEditor*>(control) || qobject_cast<PartialsEditor*>(control) ||
                               qobject_cast<TableFrames*>(control) || qobject_cast<ModuleRow*>(control);
            if (!isSet || !control->isVisible() || !control->isEnabled()) continue;
            // A group is entered once, arrows go on; lists scroll to what has the focus.
            if (qobject_cast<QRadioButton*>(control) || qobject_cast<QScrollBar*>(control)) continue;
            EXPECT_TRUE(reached.contains(control)) << module.path << ": " << control->accessibleName().toStdString();
        }
    }
}

TEST_F(PatchPageTest, EveryControlHasANameAndFitsAtTheSmallestSize) {
    window.resize(1024, 700);
    session.patch.setPatch(
        "Fixture", readPatch(std::filesystem::path(FACET_SOURCE_DIR) / "tests/fixtures/patches/tremolo-stab.json"));
    const Patch all = patch();
    for (const auto& module : all.modules()) {
        window.findChild<PatchView*>()->open(module.path);
        laidOut();
        for (auto* control : line(module.path)->findChildren<QWidget*>()) {
            if (!control->isVisible() || control->focusPolicy() == Qt::NoFocus) continue;
            EXPECT_FALSE(control->accessibleName().isEmpty())
                << module.path << ": " << control->metaObject()->className();
            const QRect place(control->mapTo(&window, QPoint()), control->size());
            EXPECT_LE(place.right(), window.width() - 20)
                << place.right() << module.path << ": " << control->accessibleName().toStdString();
        }
    }
}

/// Everything below an accessible object that somebody can see and set has a name, and says what it stands at.
void expectNamed(QAccessibleInterface* object, const QString& where, int& shown) {
    if (!object || !object->isValid() || object->state().invisible) return;
    const QString path = where + "/" + object->text(QAccessible::Name);
    const auto role = object->role();
    const bool isSet = role == QAccessible::Slider || role == QAccessible::SpinBox || role == QAccessible::ComboBox ||
                       role == QAccessible::EditableText || role == QAccessible::CheckBox ||
                       role == QAccessible::RadioButton;
    if (isSet || role == QAccessible::Button) {
        ++shown;
        EXPECT_FALSE(object->text(QAccessible::Name).isEmpty()) << path.toStdString() << " has no name";
    }
    if (role == QAccessible::Slider || role == QAccessible::SpinBox) {
        EXPECT_TRUE(object->valueInterface()) << path.toStdString();
    }
    if (role == QAccessible::ComboBox) {
        EXPECT_FALSE(object->text(QAccessible::Value).isEmpty()) << path.toStdString() << " tells no value";
    }
    for (int i = 0; i < object->childCount(); ++i) {
        // The rows of a list are told by the list.
        if (role == QAccessible::ComboBox || role == QAccessible::List || role == QAccessible::Table ||
            role == QAccessible::Tree)
            break;
        expectNamed(object->child(i), path, shown);
    }
}

TEST_F(PatchPageTest, TheAccessibilityTreeNamesEveryControlAndItsValue) {
    QTest::keyClick(&window, Qt::Key_F12);
    for (const char* name : {"LFO", "Macro", "Link", "Saturation"}) offered(name)->trigger();
    const Patch all = patch();
    for (const auto& module : all.modules()) {
        window.findChild<PatchView*>()->open(module.path);
        laidOut();
        int shown = 0;
        expectNamed(QAccessible::queryAccessibleInterface(&window), {}, shown);
        EXPECT_GT(shown, 30) << "the tree was walked";
    }
}

} // namespace facet::testing
