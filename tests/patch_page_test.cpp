// Building a patch beyond its fixed modules, in the real window: adding, linking, hearing, undoing, removing.
#include "app/views/link_ends.h"
#include "app/views/patch_view.h"
#include "core/audio/audio_file.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QMenu>
#include <QSignalSpy>
#include <QToolButton>

namespace facet::testing {

class PatchPageTest : public WindowTest {
protected:
    PatchPageTest() { window.showView("patch"); }
    const Patch& patch() const { return session.cue()->patch; }

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
    LinkEnds* ends(const QString& path) { return window.findChild<LinkEnds*>("ends " + path); }
};

TEST_F(PatchPageTest, AnLfoIsAddedLinkedHeardAndUndone) {
    const auto before = session.results().render.recording;
    ASSERT_TRUE(offered("LFO"));
    offered("LFO")->trigger();
    offered("Link")->trigger();
    ASSERT_TRUE(patch().find("layer:a/lfo:a"));
    ASSERT_TRUE(ends("link:a"));
    choose(ends("link:a"), "What moves", "LFO");
    choose(ends("link:a"), "The parameter that is moved", "Layer: Layer level");
    EXPECT_EQ(patch().find("link:a")->contents().from, "layer:a/lfo:a");
    EXPECT_EQ(patch().find("link:a")->contents().to, "layer:a/level");
    typeInto({"link:a", "amount"}, "9 dB");
    EXPECT_EQ(row({"link:a", "amount"})->findChild<QLineEdit*>("value")->text(), "9 dB")
        << "in the unit of what is moved";
    ASSERT_TRUE(settle());
    EXPECT_EQ(patch().value({"link:a", "amount"}), 9.0);
    EXPECT_NE(session.results().render.recording->channels[0], before->channels[0]) << "the link is heard";
    // What the shape does not have is not shown.
    EXPECT_TRUE(row({"layer:a/lfo:a", "rate"}));
    EXPECT_FALSE(row({"layer:a/lfo:a", "duty"}));
    session.setParameter({"layer:a/lfo:a", "shape"}, static_cast<double>(LfoShape::square));
    EXPECT_TRUE(row({"layer:a/lfo:a", "duty"}));

    const int steps = session.undoStack().index();
    for (auto* remove : window.findChildren<QToolButton*>())
        if (remove->property("module").toString() == "layer:a/lfo:a") {
            QTest::mouseClick(remove, Qt::LeftButton);
            break;
        }
    EXPECT_FALSE(patch().find("layer:a/lfo:a"));
    EXPECT_FALSE(patch().find("link:a")) << "a link that lost its end goes too";
    session.undoStack().undo();
    EXPECT_EQ(session.undoStack().index(), steps);
    EXPECT_TRUE(patch().find("link:a"));
    EXPECT_TRUE(ends("link:a")) << "and is shown again";
    while (session.undoStack().canUndo()) session.undoStack().undo();
    EXPECT_FALSE(patch().find("layer:a/lfo:a"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(session.results().render.recording->channels[0], before->channels[0]);
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
    EXPECT_TRUE(QTest::qWaitFor([&] { return !(sentence = closedProblem()).isEmpty(); }, 5000));
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
    session.saveAs(folder / "grown.facet");
    Session again(folder / "other", SimulatedOutput().name());
    again.open(folder / "grown.facet");
    EXPECT_EQ(again.cue()->patch, wanted);
}

TEST_F(PatchPageTest, EffectsAreAddedHeardReorderedAndUndone) {
    const auto before = session.results().render.recording;
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
    EXPECT_NE(session.results().render.recording->channels[0], before->channels[0]);
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
    session.undoStack().undo();
    EXPECT_EQ(first(), "delay:a");
    ASSERT_TRUE(press("Remove delay"));
    EXPECT_FALSE(patch().find("delay:a"));
    for (int i = 0; i < mostEffects - 1; ++i) session.addModule(ModuleKind::chorus, {});
    EXPECT_FALSE(offered("Reverb")->isEnabled()) << "twelve are all";
}

TEST_F(PatchPageTest, AWavetableComesFromTheReferenceAndFromAFile) {
    session.setParameter({"layer:a/source:a", "wave"}, static_cast<double>(Wave::wavetable));
    auto* sound = window.findChild<QWidget*>("sound layer:a/source:a");
    ASSERT_TRUE(sound);
    EXPECT_TRUE(sound->isVisible());
    for (auto* button : sound->findChildren<QToolButton*>())
        if (button->text() == "From reference") QTest::mouseClick(button, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !patch().find("layer:a/source:a")->contents().frames.empty(); }, 10000));
    EXPECT_EQ(patch().find("layer:a/source:a")->contents().frames.size(), 32u * tableFrameSamples);
    session.undoStack().undo();
    EXPECT_TRUE(patch().find("layer:a/source:a")->contents().frames.empty());

    const auto path = folder.path() / "cycles.wav";
    writeAudio(
        path,
        facet::testing::soundOf(2.0 * tableFrameSamples / 48000, 48000, [](double t) { return std::sin(2e3 * t); }),
        SampleFormat::wavFloat);
    session.loadSound("layer:a/source:a", path);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return patch().find("layer:a/source:a")->contents().frames.size() == 2u * tableFrameSamples; }, 10000));
    // What is no wavetable is told, and changes nothing.
    writeAudio(path, facet::testing::soundOf(1.0, 48000, [](double t) { return std::sin(2e3 * t); }),
               SampleFormat::wavFloat);
    session.loadSound("layer:a/source:a", path);
    QString told;
    ASSERT_TRUE(QTest::qWaitFor([&] { return !(told = closedProblem()).isEmpty(); }, 10000));
    EXPECT_TRUE(told.contains("no wavetable")) << told.toStdString();
    EXPECT_EQ(patch().find("layer:a/source:a")->contents().frames.size(), 2u * tableFrameSamples);
}

} // namespace facet::testing
