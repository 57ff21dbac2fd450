// The search in the real window: what leads is heard and taken while it runs, locks are obeyed, a stop keeps the best.
#include "app/views/search_view.h"
#include "core/devices/audio_output.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <cmath>

namespace facet::testing {

class SearchPageTest : public WindowTest {
protected:
    SearchPageTest() { window.showView("search"); }
    ~SearchPageTest() override { session.stopMatch(); }

    QPushButton* visible(const QString& name, std::size_t index = 0) {
        for (auto* each : window.findChildren<QPushButton*>(name))
            if (each->isVisible() && index-- == 0) return each;
        return nullptr;
    }
    bool leads(int count = 1) {
        return QTest::qWaitFor(
            [this, count] {
                return session.matchState().running && static_cast<int>(session.matchState().found.size()) >= count;
            },
            60000);
    }
    bool ended() {
        return QTest::qWaitFor([this] { return !session.matchState().running; }, 120000);
    }
};

TEST_F(SearchPageTest, WhatLeadsIsHeardAndTakenWhileItRuns) {
    const Patch before = session.cue()->patch;
    session.startMatch(60.0);
    ASSERT_TRUE(leads(2));
    auto* hear = visible("hearFound");
    ASSERT_TRUE(hear && visible("takeFound"));
    QTest::mouseClick(hear, Qt::LeftButton);
    EXPECT_EQ(session.matchState().heard, 0);
    EXPECT_TRUE(QTest::qWaitFor(
        [this] { return session.playback().player().playing() && session.playback().player().side() == Side::render; },
        3000));
    EXPECT_TRUE(session.cue()->patch.soundsLike(before)) << "hearing changes nothing";
    EXPECT_TRUE(session.matchState().running);
    // By keys: Enter presses the button that has the focus.
    QPushButton* take = visible("takeFound");
    take->setFocus();
    const Patch led = session.matchState().found.front().patch;
    QTest::keyClick(take, Qt::Key_Return);
    EXPECT_TRUE(session.cue()->patch.soundsLike(led));
    EXPECT_TRUE(session.matchState().running) << "it goes on";
    session.stopMatch();
    ASSERT_TRUE(ended());
    EXPECT_TRUE(session.cue()->patch.soundsLike(led)) << "what was taken stays";
    ASSERT_FALSE(session.cue()->takes.empty());
    EXPECT_TRUE(session.cue()->takes.back()->name.starts_with("Match")) << "what it ended with is a take";
}

TEST_F(SearchPageTest, AStopKeepsTheBestAndASearchGoesOnFromThere) {
    const double before = session.results().comparison->likeness;
    auto* limit = window.findChild<SearchView*>()->findChild<QComboBox*>();
    ASSERT_TRUE(limit);
    limit->setCurrentIndex(limit->count() - 1);
    QTest::keyClick(&window, Qt::Key_M, Qt::ControlModifier);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.matchState().likeness > before + 10.0; }, 60000));
    QTest::keyClick(&window, Qt::Key_M, Qt::ControlModifier);
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    const double first = session.results().comparison->likeness;
    EXPECT_GT(first, before + 5.0);
    ASSERT_EQ(session.cue()->takes.size(), 1u);
    session.startMatch(6.0);
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    EXPECT_GE(session.results().comparison->likeness, first - 3.0) << "it began with what was there";
    EXPECT_EQ(session.cue()->takes.size(), 2u);
    EXPECT_TRUE(session.matchState().found.front().comparison.likeness > 0.0);
    session.undoStack().undo();
    EXPECT_EQ(session.cue()->takes.size(), 1u) << "one step";
}

TEST_F(SearchPageTest, ALockedParameterIsObeyed) {
    const Address wave{"layer:a/source:a", "wave"}, attack{"layer:a/envelope:level", "attack"};
    session.setParameter(wave, static_cast<double>(Wave::triangle));
    session.setParameter(attack, 33.0);
    session.setLocked(wave, true);
    session.setLocked(attack, true);
    ASSERT_TRUE(settle());
    session.startMatch(4.0);
    ASSERT_TRUE(leads());
    for (const ScoredPatch& leading : session.matchState().found) {
        EXPECT_EQ(leading.patch.value(wave), static_cast<double>(Wave::triangle));
        EXPECT_EQ(leading.patch.value(attack), 33.0);
    }
    ASSERT_TRUE(ended());
    EXPECT_EQ(session.cue()->patch.value(wave), static_cast<double>(Wave::triangle));
    EXPECT_EQ(session.cue()->patch.value(attack), 33.0);
}

TEST_F(SearchPageTest, PlaybackDoesNotStutterWhileItRuns) {
    auto* output = dynamic_cast<SimulatedOutput*>(&session.playback().output());
    ASSERT_TRUE(output);
    session.playback().toggle();
    session.startMatch(20.0);
    ASSERT_TRUE(leads());
    const double from = session.playback().player().position();
    session.playback().setLooping(false);
    session.playback().seek(0.0);
    QTest::qWait(1500);
    const double played = session.playback().player().position();
    EXPECT_GT(played, 0.99 * 1.4) << "from " << from;
    EXPECT_LT(session.playback().player().takeLoad(), 1.0f) << "of real time";
}

} // namespace facet::testing
