// Comparing in the real window: facets that are weighed and set aside, next moves heard and taken.
#include "app/views/facet_card.h"
#include "app/views/moves_view.h"
#include "tests/support/window_fixture.h"

#include <QLabel>
#include <QSignalSpy>

namespace facet::testing {

class ComparePageTest : public WindowTest {
protected:
    static inline const Address cutoff{"layer:a/filter:a", "cutoff"};

    ComparePageTest() { window.showView("facets"); }
    FacetCard* card(const char* name) { return window.findChild<FacetCard*>(QString("facet ") + name); }
    QString likeness() { return window.findChild<QLabel*>("likeness")->text(); }
    std::vector<MoveRow*> rows() {
        std::vector<MoveRow*> shown;
        for (auto* row : window.findChildren<MoveRow*>())
            if (row->isVisible()) shown.push_back(row);
        return shown;
    }
    bool looked(Session::NextState state) {
        return QTest::qWaitFor([this, state] { return session.nextState() == state; }, 60000);
    }
    double heardLikeness() { return session.results().comparison->likeness; }
};

TEST_F(ComparePageTest, FacetsAreSetAsideAndWeighedByMouseAndKeys) {
    const double all = heardLikeness();
    const FacetComparison* worst = nullptr;
    for (const auto& facet : session.results().comparison->facets)
        if (facet.measured && (!worst || facet.likeness < worst->likeness)) worst = &facet;
    ASSERT_LT(worst->likeness, 90.0) << "the empty patch is not alike";
    const std::string name(labelOf(worst->facet));
    const auto index = static_cast<std::size_t>(worst->facet);
    ASSERT_TRUE(chooseFrom(card(name.c_str()), {"Set aside"}, By::mouse));
    EXPECT_EQ(session.cue()->facetWeights[index], 0.0);
    ASSERT_TRUE(settle());
    EXPECT_GT(heardLikeness(), all);
    EXPECT_TRUE(card(name.c_str())->accessibleDescription().contains("set aside"));
    bool told = false;
    for (auto* label : window.findChildren<QLabel*>())
        told = told || label->text() == "Likeness without " + QString::fromStdString(name);
    EXPECT_TRUE(told) << "the head says so";
    card(name.c_str())->setFocus();
    QTest::keyClick(card(name.c_str()), Qt::Key_0);
    EXPECT_EQ(session.cue()->facetWeights[index], 1.0);
    ASSERT_TRUE(chooseFrom(card(name.c_str()), {"Counts double"}, By::keys));
    ASSERT_TRUE(settle());
    EXPECT_LT(heardLikeness(), all + 1e-9);

    // It is kept with the project.
    session.saveAs(folder / "weighed.facet");
    session.open(folder / "weighed.facet");
    EXPECT_EQ(session.cue()->facetWeights[index], 2.0);
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, TellsHowAlikeThePatchIsToItself) {
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.results().floor >= 0.0; }, 10000));
    EXPECT_LE(session.results().floor, 100.0);
    bool told = false;
    for (auto* label : window.findChildren<QLabel*>())
        told =
            told || (label->isVisible() && label->text() == QString("of %1").arg(std::lround(session.results().floor)));
    EXPECT_TRUE(told);
}

TEST_F(ComparePageTest, BothSoundsAreHeardInTurnInOneEarEachAndByTheirDifference) {
    auto text = [this] {
        QStringList all;
        for (auto* label : window.findChildren<QLabel*>())
            if (label->isVisible()) all << label->text();
        return all.join("|");
    };
    QTest::keyClick(&window, Qt::Key_4, Qt::ControlModifier);
    EXPECT_EQ(session.playback().together(), Together::alternating);
    EXPECT_TRUE(text().contains("in turn"));
    session.setLoop(0.0, 0.3);
    session.playback().setLooping(true);
    session.playback().play(Side::reference);
    EXPECT_TRUE(QTest::qWaitFor([this] { return session.playback().player().side() == Side::render; }, 3000));
    EXPECT_TRUE(QTest::qWaitFor([this] { return session.playback().player().side() == Side::reference; }, 3000));
    QTest::keyClick(&window, Qt::Key_5, Qt::ControlModifier);
    EXPECT_EQ(session.playback().together(), Together::ears);
    EXPECT_TRUE(text().contains("left"));
    QTest::keyClick(&window, Qt::Key_6, Qt::ControlModifier);
    EXPECT_TRUE(session.hearingDifference());
    EXPECT_TRUE(button("Lacking")) << "the buttons say what is heard";
    EXPECT_TRUE(button("Too much"));
    // After an edit the difference is another; leaving it gives the sounds back.
    session.setParameter({"layer:a/source:a", "octave"}, 1.0);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.hearingDifference());
    QTest::keyClick(&window, Qt::Key_3, Qt::ControlModifier);
    EXPECT_FALSE(session.hearingDifference());
    EXPECT_EQ(session.playback().together(), Together::swapped);
    EXPECT_TRUE(button("Reference"));
    session.playback().player().stop();
}

TEST_F(ComparePageTest, AMoveIsHeardAndTakenByKeysAndByMouse) {
    auto* view = window.findChild<MovesView*>();
    ASSERT_TRUE(looked(Session::NextState::complete));
    ASSERT_FALSE(rows().empty());
    const double before = heardLikeness();
    EXPECT_NEAR(session.nextMoves().before, before, 0.5);
    const Patch own = session.cue()->patch;
    const double promised = session.nextMoves().best.front().likeness;

    MoveRow* first = rows().front();
    first->setFocus();
    if (rows().size() > 1) {
        QTest::keyClick(first, Qt::Key_Down);
        EXPECT_TRUE(rows()[1]->hasFocus());
        QTest::keyClick(rows()[1], Qt::Key_Up);
    }
    QTest::keyClick(first, Qt::Key_Right);
    EXPECT_EQ(view->heard(), 0);
    EXPECT_TRUE(QTest::qWaitFor(
        [this] { return session.playback().player().playing() && session.playback().player().side() == Side::render; },
        3000));
    EXPECT_EQ(session.cue()->patch, own) << "hearing changes nothing";
    QTest::keyClick(first, Qt::Key_Left);
    EXPECT_EQ(view->heard(), -1);
    session.playback().player().stop();

    QTest::keyClick(first, Qt::Key_Return);
    EXPECT_EQ(session.cue()->patch, session.cue()->patch);
    EXPECT_NE(session.cue()->patch, own);
    EXPECT_TRUE(session.nextMoves().best.empty()) << "an edit drops what was found";
    ASSERT_TRUE(settle());
    EXPECT_NEAR(heardLikeness(), promised, 1.0);
    session.undoStack().undo();
    EXPECT_EQ(session.cue()->patch, own) << "one step";

    // The same by mouse and from the menu.
    ASSERT_TRUE(QTest::qWaitFor([this] { return !rows().empty(); }, 60000)) << "a first list";
    ASSERT_TRUE(looked(Session::NextState::complete));
    for (auto* button : rows().front()->findChildren<QToolButton*>())
        if (button->text() == "Hear") QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_EQ(view->heard(), 0);
    QTest::keyClick(&window, Qt::Key_H, Qt::ControlModifier);
    EXPECT_EQ(view->heard(), -1);
    QTest::keyClick(&window, Qt::Key_Return, Qt::ControlModifier);
    EXPECT_NE(session.cue()->patch, own);
    session.playback().player().stop();
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, MovesObeyLocksAndAreLookedForOnlyWhileTheyAreSeen) {
    ASSERT_TRUE(looked(Session::NextState::looking) || session.nextState() == Session::NextState::complete);
    for (const auto& module : session.cue()->patch.modules())
        for (const auto& d : parametersOf(module.kind))
            if (module.path != "layer:a/envelope:level") session.setLocked({module.path, std::string(d.field)}, true);
    const Patch own = session.cue()->patch;
    ASSERT_TRUE(settle());
    ASSERT_TRUE(looked(Session::NextState::complete));
    for (const Move& move : session.nextMoves().best)
        for (const auto& module : own.modules())
            for (const auto& d : parametersOf(module.kind))
                if (const Address address{module.path, std::string(d.field)};
                    session.cue()->locks.contains(address) && move.patch.has(address)) {
                    EXPECT_EQ(move.patch.value(address), own.value(address)) << move.what;
                }
    window.showView("patch");
    session.setParameter({"layer:a/envelope:level", "attack"}, 90.0);
    ASSERT_TRUE(settle());
    QTest::qWait(400);
    EXPECT_EQ(session.nextState(), Session::NextState::none);
}

} // namespace facet::testing
