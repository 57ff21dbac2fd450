// The build page in the real window: steps heard, arranged, named, hidden, set by ear, kept with the take.
#include "app/views/build/build_page.h"
#include "app/views/build/hand_panel.h"
#include "app/views/build/step_detail.h"
#include "app/views/build/step_row.h"
#include "app/views/common/value_slider.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QPlainTextEdit>

namespace facet::testing {

class BuildPageTest : public WindowTest {
protected:
    static inline const std::string filter = "layer:a/filter:a";

    BuildPageTest() {
        // A bass whose filter closes, as the demo's first cue is.
        Patch patch;
        patch.set({filter, "on"}, 1.0);
        patch.set({filter, "cutoff"}, 170.0);
        patch.set({filter, "envelope"}, 40.0);
        patch.set({"layer:a/envelope:filter", "attack"}, 0.0);
        patch.set({"layer:a/envelope:filter", "decay"}, 1300.0);
        patch.set({"layer:a/envelope:level", "decay"}, 380.0);
        patch.set({"layer:a/envelope:level", "sustain"}, 55.0);
        patch.set({"layer:a/envelope:level", "release"}, 92.0);
        session.patch.setPatch("Built", patch);
        EXPECT_TRUE(settle());
        window.showView("build");
        EXPECT_TRUE(made());
    }
    bool made() {
        const bool done = QTest::qWaitFor(
            [this] {
                return session.build.state() == BuildController::State::made && !session.build.busy() &&
                       session.results.state().reference.profile;
            },
            120000 * patience);
        laidOut();
        return done;
    }
    std::vector<StepRow*> rows() {
        std::vector<StepRow*> shown;
        for (auto* row : window.findChildren<StepRow*>())
            if (row->isVisible()) shown.push_back(row);
        std::sort(shown.begin(), shown.end(), [](auto* a, auto* b) { return a->y() < b->y(); });
        return shown;
    }
    const std::vector<BuildStep>& steps() { return session.build.build().steps; }
    template <typename Widget> Widget* named(const char* name) {
        for (auto* each : window.findChildren<Widget*>(name))
            if (each->isVisible()) return each;
        return nullptr;
    }
    bool heard() {
        return QTest::qWaitFor(
            [this] {
                return !session.build.busy() && session.playback.player().playing() &&
                       session.playback.player().side() == Side::render;
            },
            30000 * patience);
    }
};

TEST_F(BuildPageTest, StepsAreHeardByMouseAndKeys) {
    ASSERT_GE(steps().size(), 2u);
    ASSERT_EQ(rows().size(), steps().size() + 1) << "the empty patch, and each step";
    EXPECT_EQ(rows().front()->accessibleName(), "The empty patch");
    for (std::size_t i = 1; i < rows().size(); ++i) {
        EXPECT_TRUE(rows()[i]->accessibleName().startsWith(QString("Step %1: ").arg(i)));
        EXPECT_TRUE(rows()[i]->accessibleDescription().contains("likeness"));
    }
    const Patch own = session.document.cue()->patch;
    QTest::mouseClick(rows()[1], Qt::LeftButton);
    EXPECT_EQ(session.build.current(), 0);
    EXPECT_TRUE(heard());
    EXPECT_EQ(named<QLineEdit>("stepTitle")->text().toStdString(), steps()[0].title);
    const auto shownRender = [this] { return session.results.state().render.recording; };
    const RecordingPtr first = shownRender();
    QTest::keyClick(rows()[1], Qt::Key_Down);
    EXPECT_EQ(session.build.current(), 1);
    EXPECT_TRUE(rows()[2]->hasFocus());
    EXPECT_TRUE(QTest::qWaitFor([&] { return shownRender() != first; }, 30000 * patience))
        << "the mirror shows that step's render";
    QTest::keyClick(rows()[2], Qt::Key_Left);
    EXPECT_EQ(session.build.heard(), BuildController::Heard::before);
    EXPECT_TRUE(named<QPushButton>("hearBefore")->isChecked());
    QTest::keyClick(rows()[2], Qt::Key_Right);
    EXPECT_EQ(session.build.heard(), BuildController::Heard::step);
    QTest::mouseClick(named<QPushButton>("hearWhole"), Qt::LeftButton);
    EXPECT_EQ(session.build.heard(), BuildController::Heard::whole);
    QTest::keyClick(rows()[2], Qt::Key_Up);
    QTest::keyClick(rows()[1], Qt::Key_Up);
    EXPECT_EQ(session.build.current(), -1) << "the empty patch";
    EXPECT_EQ(session.document.cue()->patch, own) << "hearing changes nothing";
    EXPECT_TRUE(heard());
    window.showView("patch");
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.results.state().renderIsCurrent) << "elsewhere the patch itself is heard again";
    session.playback.player().stop();
}

TEST_F(BuildPageTest, StepsAreArrangedNamedAndHidden) {
    ASSERT_GE(steps().size(), 2u);
    const std::string first = steps()[0].title, second = steps()[1].title;
    session.takes.keep("Kept");
    ASSERT_TRUE(settle());
    QTest::mouseClick(rows()[1], Qt::LeftButton);
    ASSERT_TRUE(heard());
    QTest::mouseClick(named<QToolButton>("stepLater"), Qt::LeftButton);
    ASSERT_TRUE(made());
    EXPECT_EQ(steps()[0].title, second);
    EXPECT_EQ(steps()[1].title, first);
    EXPECT_EQ(session.build.current(), 1) << "the step stays chosen";
    EXPECT_EQ(steps().back().patch, session.document.cue()->patch);

    auto* title = named<QLineEdit>("stepTitle");
    title->setFocus();
    title->selectAll();
    QTest::keyClicks(title, "The body");
    QTest::keyClick(title, Qt::Key_Return);
    ASSERT_TRUE(made());
    EXPECT_EQ(steps()[1].title, "The body");
    auto* words = named<QPlainTextEdit>("stepText");
    words->setFocus();
    QTest::keyClicks(words, "Slowly.");
    rows()[1]->setFocus();
    ASSERT_TRUE(made());
    EXPECT_EQ(steps()[1].text, "Slowly.");
    ASSERT_FALSE(session.document.cue()->takes.empty());
    EXPECT_EQ(session.document.cue()->takes.back()->build, session.document.cue()->build) << "kept with the take";

    QTest::mouseClick(named<QToolButton>("hideStep"), Qt::LeftButton);
    ASSERT_TRUE(made());
    EXPECT_TRUE(steps()[1].hidden);
    EXPECT_EQ(session.build.shownSteps().size(), steps().size() - 1);
    QTest::mouseClick(named<QToolButton>("hideStep"), Qt::LeftButton);
    ASSERT_TRUE(made());
    EXPECT_FALSE(steps()[1].hidden);

    const std::size_t before = steps().size();
    QTest::mouseClick(rows()[1], Qt::LeftButton);
    ASSERT_TRUE(heard());
    QTest::mouseClick(named<QToolButton>("mergeStep"), Qt::LeftButton);
    ASSERT_TRUE(made());
    EXPECT_EQ(steps().size(), before - 1);
    session.document.undoStack().undo();
    ASSERT_TRUE(made());
    EXPECT_EQ(steps().size(), before);

    QTest::mouseClick(named<QPushButton>("arrangeAnew"), Qt::LeftButton);
    ASSERT_TRUE(made());
    EXPECT_EQ(steps()[0].title, first);
    EXPECT_FALSE(session.build.isArranged());
    session.playback.player().stop();
}

TEST_F(BuildPageTest, IsTakenApartFromTheBack) {
    auto* apart = named<QPushButton>("takeApart");
    ASSERT_TRUE(apart && apart->isEnabled());
    QTest::mouseClick(apart, Qt::LeftButton);
    EXPECT_EQ(session.build.current(), static_cast<int>(steps().size()) - 1);
    EXPECT_EQ(rows().back()->accessibleName(), "The empty patch");
    EXPECT_TRUE(rows().front()->accessibleDescription().startsWith("without it"));
    rows().front()->setFocus();
    QTest::keyClick(rows().front(), Qt::Key_Down);
    EXPECT_EQ(session.build.current(), static_cast<int>(steps().size()) - 2);
    EXPECT_TRUE(heard());
    QTest::mouseClick(apart, Qt::LeftButton);
    EXPECT_EQ(rows().front()->accessibleName(), "The empty patch");
    session.playback.player().stop();
}

TEST_F(BuildPageTest, AStepIsTakenAsTheWork) {
    const Patch own = session.document.cue()->patch;
    QTest::mouseClick(rows()[1], Qt::LeftButton);
    ASSERT_TRUE(heard());
    const Patch after = steps()[0].patch;
    QTest::mouseClick(named<QPushButton>("takeStep"), Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(after));
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch, own) << "one step";
    session.playback.player().stop();
    ASSERT_TRUE(settle());
}

TEST_F(BuildPageTest, AStepIsSetByHand) {
    int at = -1;
    for (int i = 0; i < static_cast<int>(steps().size()); ++i)
        if (steps()[static_cast<std::size_t>(i)].title.starts_with("Close the filter")) at = i;
    ASSERT_GE(at, 0);
    QTest::mouseClick(rows()[static_cast<std::size_t>(at) + 1], Qt::LeftButton);
    ASSERT_TRUE(heard());
    auto* hand = named<QPushButton>("byHand");
    hand->setFocus();
    QTest::keyClick(hand, Qt::Key_Return);
    ASSERT_TRUE(session.build.byHand());
    auto* panel = window.findChild<HandPanel*>();
    ASSERT_TRUE(panel->isVisible());
    ValueSlider* cutoff = nullptr;
    for (auto* slider : panel->findChildren<ValueSlider*>()) {
        EXPECT_FALSE(slider->accessibleName().isEmpty());
        if (slider->accessibleName() == "Filter cutoff") cutoff = slider;
    }
    ASSERT_TRUE(cutoff);
    EXPECT_EQ(session.build.handPatch().value({filter, "cutoff"}), 20000.0) << "its value is hidden";
    for (auto* label : panel->findChildren<QLabel*>("handResult")) EXPECT_TRUE(label->text().isEmpty());
    cutoff->setFocus();
    QTest::keyClick(cutoff, Qt::Key_Left);
    EXPECT_LT(session.build.handPatch().value({filter, "cutoff"}), 20000.0);
    EXPECT_TRUE(heard()) << "the phrase follows";
    session.build.setByHand({filter, "cutoff"}, 175.0);
    QPushButton* reveal = nullptr;
    for (auto* each : panel->findChildren<QPushButton*>("primary")) reveal = each;
    ASSERT_TRUE(reveal);
    QTest::mouseClick(reveal, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.build.handLikeness().has_value(); }, 60000 * patience));
    int near = 0;
    for (const HandSetting& each : session.build.handResult())
        if (each.right.address == Address{filter, "cutoff"}) near += each.isAlike();
    EXPECT_EQ(near, 1);
    EXPECT_TRUE(named<QLabel>("handLikeness")->text().contains("near. Likeness"));
    bool told = false;
    for (auto* label : panel->findChildren<QLabel*>("handResult")) told = told || label->text().contains("alike");
    EXPECT_TRUE(told);
    QTest::mouseClick(named<QPushButton>("endByHand"), Qt::LeftButton);
    EXPECT_FALSE(session.build.byHand());
    EXPECT_FALSE(panel->isVisible());
    EXPECT_TRUE(session.document.undoStack().undoText().contains("Built")) << "nothing of it is an edit";
    session.playback.player().stop();
}

TEST_F(BuildPageTest, AnEditFindsTheStepsAnewAndAnEmptyPatchHasNone) {
    const double whole = steps().back().after;
    session.patch.setParameter({filter, "cutoff"}, 3000.0);
    ASSERT_TRUE(settle());
    ASSERT_TRUE(made());
    EXPECT_LT(steps().back().after, whole - 2.0);
    session.patch.setPatch("Empty", Patch());
    ASSERT_TRUE(settle());
    ASSERT_TRUE(made());
    EXPECT_TRUE(steps().empty());
    EXPECT_TRUE(rows().empty());
    EXPECT_TRUE(named<QLabel>("buildState")->text().contains("still the empty one"));
    EXPECT_FALSE(named<QPushButton>("takeApart")->isEnabled());
}

} // namespace facet::testing
