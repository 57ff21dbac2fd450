// Comparing in the real window: facets that are weighed and set aside, next moves heard and taken.
#include "app/views/listening/blind_dialog.h"
#include "app/views/facets/facet_card.h"
#include "app/views/facets/facet_plot.h"
#include "app/views/listening/mirror_view.h"
#include "app/views/facets/next_moves_view.h"
#include "app/views/listening/pair_dialog.h"
#include "app/views/common/theme.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/heavy_work.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QInputDialog>
#include <QLabel>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTreeWidget>
#include <atomic>
#include <thread>

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
    bool looked(NextMovesController::State state) {
        return QTest::qWaitFor([this, state] { return session.nextMoves.state() == state; }, 180000 * patience);
    }
    double heardLikeness() { return session.results.state().comparison->likeness; }
};

TEST_F(ComparePageTest, FacetsAreSetAsideAndWeighedByMouseAndKeys) {
    const double all = heardLikeness();
    const FacetComparison* worst = nullptr;
    for (const auto& facet : session.results.state().comparison->facets)
        if (facet.measured && (!worst || facet.likeness < worst->likeness)) worst = &facet;
    ASSERT_LT(worst->likeness, 90.0) << "the empty patch is not alike";
    const std::string name(labelOf(worst->facet));
    const auto index = static_cast<std::size_t>(worst->facet);
    ASSERT_TRUE(chooseFrom(card(name.c_str()), {"Set aside"}, By::mouse));
    EXPECT_EQ(session.document.cue()->facetWeights[index], 0.0);
    ASSERT_TRUE(settle());
    EXPECT_GT(heardLikeness(), all);
    EXPECT_TRUE(card(name.c_str())->accessibleDescription().contains("set aside"));
    bool shown = false;
    for (auto* label : window.findChildren<QLabel*>())
        shown = shown || label->text() == "Likeness without " + QString::fromStdString(name);
    EXPECT_TRUE(shown) << "the head says so";
    card(name.c_str())->setFocus();
    QTest::keyClick(card(name.c_str()), Qt::Key_0);
    EXPECT_EQ(session.document.cue()->facetWeights[index], 1.0);
    ASSERT_TRUE(chooseFrom(card(name.c_str()), {"Counts double"}, By::keys));
    ASSERT_TRUE(settle());
    EXPECT_LT(heardLikeness(), all + 1e-9);

    // It is kept with the project.
    session.document.saveAs(folder / "weighed.facet");
    session.document.open(folder / "weighed.facet");
    EXPECT_EQ(session.document.cue()->facetWeights[index], 2.0);
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, TellsHowAlikeThePatchIsToItself) {
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.results.state().floor >= 0.0; }, 30000 * patience));
    EXPECT_LE(session.results.state().floor, 100.0);
    bool shown = false;
    for (auto* label : window.findChildren<QLabel*>())
        shown = shown || (label->isVisible() &&
                          label->text() == QString("of %1").arg(std::lround(session.results.state().floor)));
    EXPECT_TRUE(shown);
}

TEST_F(ComparePageTest, BothSoundsAreHeardInTurnInOneEarEachAndByTheirDifference) {
    auto text = [this] {
        QStringList all;
        for (auto* label : window.findChildren<QLabel*>())
            if (label->isVisible()) all << label->text();
        return all.join("|");
    };
    QTest::keyClick(&window, Qt::Key_4, Qt::ControlModifier);
    EXPECT_EQ(session.playback.together(), Together::alternating);
    EXPECT_TRUE(text().contains("in turn"));
    session.document.setLoop(0.0, 0.3);
    session.playback.setLooping(true);
    session.playback.play(Side::reference);
    EXPECT_TRUE(QTest::qWaitFor([this] { return session.playback.player().side() == Side::render; }, 10000 * patience));
    EXPECT_TRUE(
        QTest::qWaitFor([this] { return session.playback.player().side() == Side::reference; }, 10000 * patience));
    QTest::keyClick(&window, Qt::Key_5, Qt::ControlModifier);
    EXPECT_EQ(session.playback.together(), Together::ears);
    EXPECT_TRUE(text().contains("left"));
    QTest::keyClick(&window, Qt::Key_6, Qt::ControlModifier);
    EXPECT_TRUE(session.listening.hearingDifference());
    EXPECT_TRUE(button("Lacking")) << "the buttons say what is heard";
    EXPECT_TRUE(button("Too much"));
    // After an edit the difference is another; leaving it gives the sounds back.
    session.patch.setParameter({"layer:a/source:a", "octave"}, 1.0);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.listening.hearingDifference());
    QTest::keyClick(&window, Qt::Key_3, Qt::ControlModifier);
    EXPECT_FALSE(session.listening.hearingDifference());
    EXPECT_EQ(session.playback.together(), Together::swapped);
    EXPECT_TRUE(button("Reference"));
    session.playback.player().stop();
}

TEST_F(ComparePageTest, AMoveIsHeardAndTakenByKeysAndByMouse) {
    auto* view = window.findChild<MovesView*>();
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    ASSERT_FALSE(rows().empty());
    const double before = heardLikeness();
    EXPECT_NEAR(session.nextMoves.moves().before, before, 0.5);
    const Patch own = session.document.cue()->patch;
    const double promised = session.nextMoves.moves().best.front().likeness;

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
        [this] { return session.playback.player().playing() && session.playback.player().side() == Side::render; },
        10000 * patience));
    EXPECT_EQ(session.document.cue()->patch, own) << "hearing changes nothing";
    QTest::keyClick(first, Qt::Key_Left);
    EXPECT_EQ(view->heard(), -1);
    session.playback.player().stop();

    QTest::keyClick(first, Qt::Key_Return);
    EXPECT_NE(session.document.cue()->patch, own);
    EXPECT_TRUE(session.nextMoves.moves().best.empty()) << "an edit drops what was found";
    ASSERT_TRUE(settle());
    EXPECT_NEAR(heardLikeness(), promised, 1.0);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch, own) << "one step";

    // The same by mouse and from the menu.
    ASSERT_TRUE(QTest::qWaitFor([this] { return !rows().empty(); }, 180000 * patience)) << "a first list";
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    for (auto* button : rows().front()->findChildren<QToolButton*>())
        if (button->text() == "Hear") QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_EQ(view->heard(), 0);
    QTest::keyClick(&window, Qt::Key_H, Qt::ControlModifier);
    EXPECT_EQ(view->heard(), -1);
    QTest::keyClick(&window, Qt::Key_Return, Qt::ControlModifier);
    EXPECT_NE(session.document.cue()->patch, own);
    session.playback.player().stop();
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, AMoveIsDeclinedAndProposedAgain) {
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    ASSERT_FALSE(rows().empty());
    const std::string idea = session.nextMoves.moves().best.front().idea;
    EXPECT_FALSE(rows().front()->accessibleDescription().isEmpty());
    rows().front()->setFocus();
    QTest::keyClick(rows().front(), Qt::Key_Delete);
    EXPECT_TRUE(session.document.cue()->declinedMoves.contains(idea));
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    for (const Move& move : session.nextMoves.moves().best) EXPECT_NE(move.idea, idea) << move.what;
    QToolButton* again = window.findChild<QToolButton*>("proposeAgain");
    ASSERT_TRUE(again && again->isVisible());
    QTest::mouseClick(again, Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->declinedMoves.empty());
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    ASSERT_FALSE(session.nextMoves.moves().best.empty());
    EXPECT_EQ(session.nextMoves.moves().best.front().idea, idea);
    for (auto* button : rows().front()->findChildren<QToolButton*>())
        if (button->accessibleName().startsWith("Not this")) QTest::mouseClick(button, Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->declinedMoves.contains(idea)) << "by mouse";
    session.document.undoStack().undo();
    EXPECT_TRUE(session.document.cue()->declinedMoves.empty()) << "one step of undo";
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, MovesAreAboutTheFacetOrTheModuleThatIsChosen) {
    window.findChild<PatchView*>()->open("layer:a/envelope:level");
    window.showView("level");
    auto* focus = window.findChild<QComboBox*>("movesFocus");
    ASSERT_TRUE(focus && focus->isVisible());
    ASSERT_EQ(focus->count(), 3);
    EXPECT_EQ(focus->itemText(1), "for level");
    EXPECT_EQ(focus->itemText(2), "for level envelope");
    focus->setCurrentIndex(1);
    emit focus->activated(1);
    EXPECT_EQ(session.nextMoves.facet(), Facet::level);
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    for (const Move& move : session.nextMoves.moves().best)
        EXPECT_TRUE(std::any_of(move.facets.begin(), move.facets.end(), [](const FacetGain& each) {
            return each.facet == Facet::level && each.after > each.before;
        })) << move.what;
    focus->setCurrentIndex(2);
    emit focus->activated(2);
    EXPECT_EQ(session.nextMoves.module(), "layer:a/envelope:level");
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    const Patch own = session.document.cue()->patch;
    for (const Move& move : session.nextMoves.moves().best) {
        const auto changed = changedAddresses(own, move.patch);
        EXPECT_TRUE(std::any_of(changed.begin(), changed.end(), [](const Address& each) {
            return each.module == "layer:a/envelope:level";
        })) << move.what;
    }
    focus->setCurrentIndex(0);
    emit focus->activated(0);
    EXPECT_FALSE(session.nextMoves.facet());
    EXPECT_TRUE(session.nextMoves.module().empty());
}

TEST_F(ComparePageTest, MovesObeyLocksAndAreLookedForOnlyWhileTheyAreSeen) {
    ASSERT_TRUE(looked(NextMovesController::State::looking) ||
                session.nextMoves.state() == NextMovesController::State::complete);
    for (const auto& module : session.document.cue()->patch.modules())
        for (const auto& d : parametersOf(module.kind))
            if (module.path != "layer:a/envelope:level")
                session.patch.setLocked({module.path, std::string(d.field)}, true);
    const Patch own = session.document.cue()->patch;
    ASSERT_TRUE(settle());
    ASSERT_TRUE(looked(NextMovesController::State::complete));
    for (const Move& move : session.nextMoves.moves().best)
        for (const auto& module : own.modules())
            for (const auto& d : parametersOf(module.kind))
                if (const Address address{module.path, std::string(d.field)};
                    session.document.cue()->locks.contains(address) && move.patch.has(address)) {
                    EXPECT_EQ(move.patch.value(address), own.value(address)) << move.what;
                }
    window.showView("patch");
    session.patch.setParameter({"layer:a/envelope:level", "attack"}, 90.0);
    ASSERT_TRUE(settle());
    laidOut();
    EXPECT_EQ(session.nextMoves.state(), NextMovesController::State::none);
}

std::atomic<int> heavyElsewhere = 0, heavyInTheWindow = 0;
std::thread::id windowThread;

TEST_F(ComparePageTest, TheWindowsThreadNeverDoesHeavyWork) {
    windowThread = std::this_thread::get_id();
    heavyElsewhere = heavyInTheWindow = 0;
    listenToHeavyWork([](const char* what) {
        if (std::this_thread::get_id() != windowThread) {
            ++heavyElsewhere;
            return;
        }
        ++heavyInTheWindow;
        ADD_FAILURE() << what << " on the window's thread";
    });
    for (const char* view : {"reference", "notes", "facets", "patch", "search", "build"}) {
        window.showView(view);
        laidOut();
    }
    window.showView("facets");
    for (const Qt::Key key : {Qt::Key_F8, Qt::Key_F9, Qt::Key_F10, Qt::Key_F11}) QTest::keyClick(&window, key);
    QTest::keyClick(&window, Qt::Key_F9, Qt::ShiftModifier);
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    session.patch.setParameter(cutoff, 900.0);
    ASSERT_TRUE(settle());
    session.listening.hearModules(HeardModules::without, "layer:a/filter:a");
    session.listening.hearModules(HeardModules::whole);
    session.listening.hearDifference(true);
    session.playback.setSlowness(2);
    session.playback.setSlowness(1);
    session.listening.hearDifference(false);
    session.takes.keep("One");
    session.comparisons.comparePair(Patch(), session.document.cue()->patch);
    session.comparisons.weigh({Patch()});
    window.findChild<PatchView*>()->open("layer:a/filter:a");
    ASSERT_TRUE(settle());
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.nextMoves.state() == NextMovesController::State::complete; },
                                180000 * patience));
    session.notes.findAgain();
    ASSERT_TRUE(settle());
    session.matching.start(1.0);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 90000 * patience));
    ASSERT_TRUE(settle());
    listenToHeavyWork(nullptr);
    EXPECT_GT(heavyElsewhere, 50);
    EXPECT_EQ(heavyInTheWindow, 0);
}

TEST_F(ComparePageTest, ABlindTestIsWorkedByKeysAndKeptWithTheTake) {
    session.takes.keep("Held");
    bool ran = false;
    QTimer::singleShot(0, &window, [&] {
        ASSERT_TRUE(QTest::qWaitFor([] { return QApplication::activeModalWidget(); }, 10000 * patience));
        auto* dialog = qobject_cast<BlindDialog*>(QApplication::activeModalWidget());
        ASSERT_TRUE(dialog);
        dialog->findChild<QSpinBox*>()->setValue(6);
        for (auto* each : dialog->findChildren<QPushButton*>())
            if (each->text().contains("Begin")) QTest::mouseClick(each, Qt::LeftButton);
        ASSERT_TRUE(dialog->test());
        Player& player = session.playback.player();
        const auto hears = [&](Side side) {
            return QTest::qWaitFor([&] { return player.playing() && player.side() == side; }, 10000 * patience);
        };
        QTest::keyClick(dialog, Qt::Key_A);
        EXPECT_TRUE(hears(Side::reference));
        QTest::keyClick(dialog, Qt::Key_B);
        EXPECT_TRUE(hears(Side::render));
        EXPECT_FALSE(button("Reference")->isChecked() || button("Render")->isChecked()) << "nothing else tells";
        for (int trial = 0; trial < 6; ++trial) {
            QTest::keyClick(dialog, Qt::Key_X);
            EXPECT_TRUE(hears(dialog->test()->xIsB() ? Side::render : Side::reference));
            for (auto* label : dialog->findChildren<QLabel*>())
                EXPECT_FALSE(label->text().contains("right")) << "nothing tells how it goes";
            const bool right = trial != 2; // one mistake
            QTest::keyClick(dialog, dialog->test()->xIsB() == right ? Qt::Key_Right : Qt::Key_Left);
        }
        EXPECT_FALSE(dialog->test());
        bool shown = false;
        for (auto* label : dialog->findChildren<QLabel*>())
            shown = shown || (label->text().contains("5 of 6 right") && label->text().contains("10.9 %"));
        EXPECT_TRUE(shown);
        ran = true;
        QTest::keyClick(dialog, Qt::Key_Escape);
    });
    QTest::keyClick(&window, Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(ran);
    EXPECT_FALSE(session.playback.blind());
    ASSERT_TRUE(session.document.cue()->takes.back()->blind);
    EXPECT_EQ(*session.document.cue()->takes.back()->blind, (BlindResult{6, 5}));
    EXPECT_EQ(session.document.cue()->takes.size(), 1u) << "the take that the patch is";
    session.document.saveAs(folder / "tested.facet");
    session.document.open(folder / "tested.facet");
    EXPECT_EQ(*session.document.cue()->takes.back()->blind, (BlindResult{6, 5}));
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, TakesAreComparedHeardAndGoneBackTo) {
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    session.patch.setParameter(cutoff, 700.0);
    ASSERT_TRUE(settle());
    session.takes.keep("Dark");
    session.patch.setParameter(cutoff, 5000.0);
    ASSERT_TRUE(settle());
    QTest::keyClick(&window, Qt::Key_T, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = window.findChild<PairDialog*>();
    ASSERT_TRUE(dialog);
    const auto lists = dialog->findChildren<QTreeWidget*>();
    ASSERT_EQ(lists.size(), 2);
    ASSERT_TRUE(QTest::qWaitFor([&] { return lists[0]->topLevelItemCount() > 5; }, 30000 * patience));
    EXPECT_EQ(lists[0]->topLevelItem(0)->text(2), likeness()) << "B is the patch as it stands";
    ASSERT_EQ(lists[1]->topLevelItemCount(), 1);
    EXPECT_EQ(lists[1]->topLevelItem(0)->text(0), "Filter cutoff");
    EXPECT_EQ(lists[1]->topLevelItem(0)->text(1), "700 Hz");
    EXPECT_EQ(lists[1]->topLevelItem(0)->text(2), "5 kHz");
    QPushButton *hear = nullptr, *back = nullptr;
    for (auto* each : dialog->findChildren<QPushButton*>()) {
        if (each->text() == "Hear &A") hear = each;
        if (each->text() == "Go to A") back = each;
    }
    ASSERT_TRUE(hear && back);
    QTest::mouseClick(hear, Qt::LeftButton);
    EXPECT_TRUE(QTest::qWaitFor(
        [this] { return session.playback.player().playing() && session.playback.player().side() == Side::render; },
        10000 * patience));
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 5000.0);
    QTest::mouseClick(back, Qt::LeftButton);
    session.playback.player().stop();
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 700.0);
    ASSERT_EQ(session.document.cue()->takes.size(), 2u) << "what was worked on is kept";
    EXPECT_EQ(session.document.cue()->takes.back()->patch.value(cutoff), 5000.0);
    EXPECT_TRUE(session.document.cue()->takes.back()->name.starts_with("Before"));
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->patch.value(cutoff), 5000.0) << "one step";
    EXPECT_EQ(session.document.cue()->takes.size(), 1u);
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, ATakeIsNotedStarredAndBegunFromInANewCue) {
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    session.takes.keep("Held");
    const std::uint64_t id = session.document.cue()->takes.back()->id;
    const auto card = [this] { return window.findChild<QAbstractButton*>("take Held"); };
    const auto menu = [&](const QString& entry) {
        bool chosen = false;
        QTimer::singleShot(0, &window, [&] {
            auto* shown = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            ASSERT_TRUE(shown);
            for (QAction* action : shown->actions())
                if (action->text().startsWith(entry)) {
                    chosen = true;
                    QTest::mouseClick(shown, Qt::LeftButton, {}, shown->actionGeometry(action).center());
                    return;
                }
            shown->close();
        });
        emit card()->customContextMenuRequested({10, 10});
        return chosen;
    };
    QTimer::singleShot(300, &window, [] {
        auto* question = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_TRUE(question);
        question->setTextValue("the low one");
        question->accept();
    });
    ASSERT_TRUE(menu("Note"));
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return session.document.cue()->takes.back()->note == "the low one"; }, 10000 * patience));
    ASSERT_TRUE(menu("Star"));
    EXPECT_TRUE(session.document.cue()->takes.back()->starred);
    const std::string name = session.document.cue()->name;
    ASSERT_TRUE(menu("New cue from it"));
    EXPECT_EQ(session.document.cue()->name, name + ", from Held");
    EXPECT_EQ(session.document.cue()->takes.size(), 1u);
    EXPECT_EQ(session.document.cue()->takes.back()->id, id);
    EXPECT_EQ(session.document.cue()->excerpts.size(), 1u) << "the same reference";
    ASSERT_TRUE(settle());
    EXPECT_TRUE(session.results.state().comparison);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->name, name);
}

TEST_F(ComparePageTest, ASearchKeepsWhatWasThereBefore) {
    session.patch.setParameter(cutoff, 555.0);
    session.patch.setParameter({"layer:a/filter:a", "on"}, 1.0);
    ASSERT_TRUE(settle());
    session.matching.start(1.5);
    ASSERT_TRUE(QTest::qWaitFor([this] { return !session.matching.state().running; }, 90000 * patience));
    ASSERT_EQ(session.document.cue()->takes.size(), 2u);
    EXPECT_EQ(session.document.cue()->takes.front()->patch.value(cutoff), 555.0);
    EXPECT_EQ(session.document.cue()->takes.back()->name, "Match 1");
    ASSERT_TRUE(settle());
}

TEST_F(ComparePageTest, FacetsStandInTheOrderOfWorkOrOfSize) {
    const auto order = [this] {
        std::vector<FacetCard*> cards;
        for (auto* each : window.findChildren<FacetCard*>()) cards.push_back(each);
        std::sort(cards.begin(), cards.end(), [](const auto* a, const auto* b) { return a->y() < b->y(); });
        std::vector<Facet> facets;
        for (const auto* each : cards) facets.push_back(each->facet());
        return facets;
    };
    EXPECT_EQ(order().front(), Facet::pitch);
    for (auto* each : window.findChildren<QToolButton*>())
        if (each->accessibleName() == "Least alike first") QTest::mouseClick(each, Qt::LeftButton);
    laidOut();
    double last = 0.0;
    for (Facet facet : order()) {
        const FacetComparison* found = session.results.state().comparison->find(facet);
        if (!found->measured) continue;
        EXPECT_GE(found->likeness, last - 1e-9);
        last = found->likeness;
    }
    // The arrow keys go through them as they stand.
    auto* first = card(std::string(labelOf(order()[0])).c_str());
    first->setFocus();
    QTest::keyClick(first, Qt::Key_Down);
    EXPECT_EQ(QApplication::focusWidget(), card(std::string(labelOf(order()[1])).c_str()));
}

TEST_F(ComparePageTest, PicturesAreChosenReadOffZoomedAndSaved) {
    auto* plot = window.findChild<FacetPlot*>();
    for (const char* name : {"Pitch", "Level", "Harmonics", "Brightness", "Noise", "Motion", "Width", "Space"}) {
        QTest::mouseClick(card(name), Qt::LeftButton);
        auto* chooser = plot->findChild<QComboBox*>("facetPicture");
        ASSERT_GE(chooser->count(), 1) << name;
        chooser->setFocus();
        for (int i = 1; i < chooser->count(); ++i) QTest::keyClick(chooser, Qt::Key_Down);
        EXPECT_EQ(chooser->currentIndex(), chooser->count() - 1) << name;
        plot->setFocus();
        for (int i = 0; i < 20; ++i) QTest::keyClick(plot, Qt::Key_Right);
        EXPECT_TRUE(plot->readout().contains("|")) << name << ": " << plot->readout().toStdString();
        QTest::keyClick(plot, Qt::Key_Plus);
        QTest::keyClick(plot, Qt::Key_Home);
    }
    QTest::mouseClick(card("Harmonics"), Qt::LeftButton);
    plot->choosePicture(0);
    plot->setFocus();
    QTest::keyClick(plot, Qt::Key_Home);
    for (int i = 0; i < 2; ++i) QTest::keyClick(plot, Qt::Key_Right);
    EXPECT_TRUE(plot->readout().startsWith("partial 2:")) << plot->readout().toStdString();

    const QImage drawn = plot->grab().toImage();
    int inked = 0;
    for (int y = 0; y < drawn.height(); ++y)
        for (int x = 0; x < drawn.width(); ++x) inked += drawn.pixelColor(x, y) == theme().reference;
    EXPECT_GT(inked, 500) << "the reference's partials stand there";

    const auto numbers = folder / "partials.csv";
    typeNextFile(numbers);
    ASSERT_TRUE(chooseFrom(plot, {"Save numbers"}, By::keys));
    const std::string text = readWholeFile(numbers);
    EXPECT_TRUE(text.starts_with("\"partial\",\"reference, dB\",\"render, dB\"\n1,")) << text.substr(0, 60);
    EXPECT_EQ(std::count(text.begin(), text.end(), '\n'), 33);
    const auto picture = folder / "partials.png";
    typeNextFile(picture);
    ASSERT_TRUE(chooseFrom(plot, {"Save picture"}, By::mouse));
    EXPECT_GT(QImage(QString::fromStdString(picture.string())).width(), 200);
    EXPECT_THROW(plot->writeNumbers("/proc/nowhere/x.csv"), Error);
    EXPECT_THROW(plot->writePicture("/proc/nowhere/x.png"), Error);
}

TEST_F(ComparePageTest, TheMirrorShowsDifferencesAndMeasures) {
    QTest::keyClick(&window, Qt::Key_F9, Qt::ShiftModifier);
    EXPECT_EQ(window.mirror().picture(), MirrorView::Picture::difference);
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.results.state().lacking && session.results.state().excess; },
                                30000 * patience));
    const auto before = session.results.state().excess;
    session.patch.setParameter({"layer:a/source:a", "octave"}, 1.0);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return session.results.state().excess && session.results.state().excess != before; }, 30000 * patience))
        << "of the new render";
    const double y = window.mirror().rulerRect().top() - 30.0;
    // The pointer is the display's: a move arrives when it does.
    const auto measures = [&](double seconds, const char* unit) {
        return QTest::qWaitFor(
            [&] {
                QTest::mouseMove(&window.mirror(), QPointF(window.mirror().xAt(seconds), y).toPoint());
                return window.mirror().measured().contains(unit);
            },
            10000 * patience);
    };
    EXPECT_TRUE(measures(0.4, "Hz")) << window.mirror().measured().toStdString();
    QTest::keyClick(&window, Qt::Key_F10);
    window.mirror().setFocus();
    QTest::keyClick(&window.mirror(), Qt::Key_Right, Qt::ShiftModifier);
    EXPECT_TRUE(window.mirror().measured().contains("dB apart")) << window.mirror().measured().toStdString();
    EXPECT_EQ(window.mirror().accessibleDescription(), window.mirror().measured());
    QTest::keyClick(&window, Qt::Key_F11);
    EXPECT_TRUE(measures(0.5, "ct apart")) << window.mirror().measured().toStdString();
}

} // namespace facet::testing
