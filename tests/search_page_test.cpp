// The search in the real window: what leads is heard and taken while it runs, locks are obeyed, a stop keeps the best.
#include "app/views/search/search_view.h"
#include "core/devices/audio_output.h"
#include "app/views/facets/facet_weights.h"
#include "app/views/search/elements_view.h"
#include "app/views/search/search_values.h"
#include "app/views/search/variations_view.h"
#include "tests/support/window_fixture.h"

#include <QComboBox>
#include <QElapsedTimer>
#include <QInputDialog>
#include <QLabel>
#include <QTabWidget>
#include <QTemporaryDir>
#include <QTimer>
#include <QTreeWidget>
#include <cmath>

namespace facet::testing {

class SearchPageTest : public WindowTest {
protected:
    SearchPageTest() { window.showView("search"); }
    ~SearchPageTest() override { session.matching.stop(); }

    QPushButton* visible(const QString& name, std::size_t index = 0) {
        for (auto* each : window.findChildren<QPushButton*>(name))
            if (each->isVisible() && index-- == 0) return each;
        return nullptr;
    }
    bool leads(int count = 1) {
        return QTest::qWaitFor(
            [this, count] {
                return session.matching.state().running &&
                       static_cast<int>(session.matching.state().found.size()) >= count;
            },
            180000 * patience);
    }
    bool ended() {
        return QTest::qWaitFor([this] { return !session.matching.state().running; }, 120000 * patience);
    }
    /// A search that tells how sure it is, which on a slow machine one that is late leaves out.
    bool tellsHowSure() {
        for (const double seconds : {4.0, 8.0, 16.0, 32.0}) {
            session.matching.start(seconds);
            if (!ended() || !settle()) return false;
            if (!session.matching.state().ranges.empty()) return true;
        }
        return false;
    }
};

TEST_F(SearchPageTest, WhatLeadsIsHeardAndTakenWhileItRuns) {
    const Patch before = session.document.cue()->patch;
    session.matching.start(60.0);
    ASSERT_TRUE(leads(2));
    auto* hear = visible("hearFound");
    ASSERT_TRUE(hear && visible("takeFound"));
    QTest::mouseClick(hear, Qt::LeftButton);
    EXPECT_EQ(session.matching.state().heard, 0);
    EXPECT_TRUE(QTest::qWaitFor(
        [this] { return session.playback.player().playing() && session.playback.player().side() == Side::render; },
        10000 * patience));
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(before)) << "hearing changes nothing";
    EXPECT_TRUE(session.matching.state().running);
    // By keys: Enter presses the button that has the focus.
    QPushButton* take = visible("takeFound");
    take->setFocus();
    const Patch led = session.matching.state().found.front().patch;
    QTest::keyClick(take, Qt::Key_Return);
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(led));
    EXPECT_TRUE(session.matching.state().running) << "it goes on";
    session.matching.stop();
    ASSERT_TRUE(ended());
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(led)) << "what was taken stays";
    ASSERT_FALSE(session.document.cue()->takes.empty());
    EXPECT_TRUE(session.document.cue()->takes.back()->name.starts_with("Match")) << "what it ended with is a take";
}

TEST_F(SearchPageTest, AStopKeepsTheBestAndASearchGoesOnFromThere) {
    const double before = session.results.state().comparison->likeness;
    auto* limit = window.findChild<SearchView*>()->findChild<QComboBox*>();
    ASSERT_TRUE(limit);
    limit->setCurrentIndex(limit->count() - 1);
    QTest::keyClick(&window, Qt::Key_M, Qt::ControlModifier);
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.matching.state().likeness > before + 10.0; }, 180000 * patience));
    QTest::keyClick(&window, Qt::Key_M, Qt::ControlModifier);
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    const double first = session.results.state().comparison->likeness;
    EXPECT_GT(first, before + 5.0);
    ASSERT_EQ(session.document.cue()->takes.size(), 1u);
    session.matching.start(6.0);
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    EXPECT_GE(session.results.state().comparison->likeness, first - 3.0) << "it began with what was there";
    EXPECT_EQ(session.document.cue()->takes.size(), 2u);
    EXPECT_TRUE(session.matching.state().found.front().comparison.likeness > 0.0);
    session.document.undoStack().undo();
    EXPECT_EQ(session.document.cue()->takes.size(), 1u) << "one step";
}

TEST_F(SearchPageTest, ALockedParameterIsObeyed) {
    const Address wave{"layer:a/source:a", "wave"}, attack{"layer:a/envelope:level", "attack"};
    session.patch.setParameter(wave, static_cast<double>(Wave::triangle));
    session.patch.setParameter(attack, 33.0);
    session.patch.setLocked(wave, true);
    session.patch.setLocked(attack, true);
    ASSERT_TRUE(settle());
    session.matching.start(4.0);
    ASSERT_TRUE(leads());
    for (const ScoredPatch& leading : session.matching.state().found) {
        EXPECT_EQ(leading.patch.value(wave), static_cast<double>(Wave::triangle));
        EXPECT_EQ(leading.patch.value(attack), 33.0);
    }
    ASSERT_TRUE(ended());
    EXPECT_EQ(session.document.cue()->patch.value(wave), static_cast<double>(Wave::triangle));
    EXPECT_EQ(session.document.cue()->patch.value(attack), 33.0);
}

TEST_F(SearchPageTest, ValuesAreLockedAndRangedBesideTheSearchAndTellHowSureItIs) {
    auto* values = window.findChild<SearchValues*>();
    auto* list = values->findChild<QTreeWidget*>();
    auto* side = window.findChild<SearchView*>()->findChild<QTabWidget*>();
    side->setCurrentWidget(values);
    ASSERT_TRUE(list->isVisible());
    const auto row = [&](const QString& address) -> QTreeWidgetItem* {
        for (int i = 0; i < list->topLevelItemCount(); ++i)
            if (list->topLevelItem(i)->data(0, Qt::UserRole).toString() == address) return list->topLevelItem(i);
        return nullptr;
    };
    const QString attack = "layer:a/envelope:level/attack", release = "layer:a/envelope:level/release";
    ASSERT_TRUE(row(attack) && row(release));
    EXPECT_TRUE(list->isColumnHidden(2)) << "no search has told anything yet";
    const double held = session.document.cue()->patch.value(Address::parse(attack.toStdString()));
    row(attack)->setCheckState(0, Qt::Checked);
    EXPECT_TRUE(
        QTest::qWaitFor([&] { return session.document.cue()->locks.contains(Address::parse(attack.toStdString())); },
                        10000 * patience));
    list->setCurrentItem(row(release));
    QTimer::singleShot(0, &window, [] {
        ASSERT_TRUE(QTest::qWaitFor([] { return QApplication::activeModalWidget(); }, 10000 * patience));
        auto* question = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
        ASSERT_TRUE(question);
        question->setTextValue("300 ms to 400 ms");
        question->accept();
    });
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Return);
    ASSERT_TRUE(row(release));
    EXPECT_EQ(row(release)->text(3), "300 ms to 400 ms");
    ASSERT_TRUE(tellsHowSure());
    EXPECT_EQ(session.document.cue()->patch.value(Address::parse(attack.toStdString())), held);
    const double found = session.document.cue()->patch.value(Address::parse(release.toStdString()));
    EXPECT_GE(found, 300.0);
    EXPECT_LE(found, 400.0);
    EXPECT_FALSE(list->isColumnHidden(2));
    for (const KnownRange& each : session.matching.state().ranges) {
        EXPECT_LE(each.low, each.value + 1e-9) << each.address.text();
        EXPECT_GE(each.high, each.value - 1e-9) << each.address.text();
    }
    const Address surest = session.matching.state().ranges.front().address;
    ASSERT_TRUE(row(QString::fromStdString(surest.text())));
    EXPECT_TRUE(row(QString::fromStdString(surest.text()))->text(2).contains(" to "));
    // What is changed by hand is no longer what the search was sure of.
    session.patch.setParameter(surest, session.matching.state().ranges.front().value * 1.2 + 0.1);
    EXPECT_TRUE(QTest::qWaitFor([&] { return list->isColumnHidden(2); }, 10000 * patience));
}

TEST_F(SearchPageTest, WhatIsTiedStaysTiedAndHasItsLine) {
    const Address attack{"layer:a/envelope:level", "attack"}, release{"layer:a/envelope:level", "release"};
    session.patch.setParameter(attack, 12.0);
    session.patch.tie(release, attack, false);
    ASSERT_EQ(session.document.cue()->patch.value(release), 12.0);
    ASSERT_TRUE(tellsHowSure());
    const Patch& found = session.document.cue()->patch;
    EXPECT_EQ(found.value(release), found.value(attack));
    EXPECT_EQ(found.ties().size(), 1u);
    auto* values = window.findChild<SearchValues*>();
    window.findChild<SearchView*>()->findChild<QTabWidget*>()->setCurrentWidget(values);
    auto* list = values->findChild<QTreeWidget*>();
    int lines = 0, going = 0;
    for (int i = 0; i < list->topLevelItemCount(); ++i) {
        const QString address = list->topLevelItem(i)->data(0, Qt::UserRole).toString();
        if (address != QString::fromStdString(attack.text()) && address != QString::fromStdString(release.text()))
            continue;
        ++lines;
        going += list->topLevelItem(i)->text(2) == "goes with what it is tied to";
    }
    EXPECT_EQ(lines, 2);
    EXPECT_EQ(going, 1) << "the other tells how sure it is";
}

TEST_F(SearchPageTest, GoesOnFromWhatWasFound) {
    const double before = session.results.state().comparison->likeness;
    QStringList tried;
    QObject::connect(&session.matching, &MatchController::changed, &window,
                     [&] { tried << session.matching.state().trying; });
    session.matching.start(60.0);
    ASSERT_TRUE(leads());
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.matching.state().likeness > before + 10.0; }, 180000 * patience));
    session.matching.stop();
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    EXPECT_TRUE(tried.contains("comparing kinds of sound"));
    const double first = session.results.state().comparison->likeness;
    tried.clear();
    QTest::mouseClick(visible("goOn"), Qt::LeftButton);
    ASSERT_TRUE(session.matching.state().running);
    ASSERT_TRUE(leads());
    EXPECT_TRUE(QTest::qWaitFor([&] { return tried.contains("going on"); }, 180000 * patience));
    const int triedBefore = session.matching.state().evaluations;
    EXPECT_TRUE(QTest::qWaitFor([&] { return session.matching.state().evaluations > triedBefore; }, 60000 * patience));
    session.matching.stop();
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    EXPECT_FALSE(tried.contains("comparing kinds of sound")) << "it does not begin anew";
    EXPECT_GE(session.results.state().comparison->likeness, first - 3.0);
    EXPECT_EQ(session.document.cue()->takes.size(), 2u);
}

TEST_F(SearchPageTest, VariationsAreHeardAndTaken) {
    const Patch before = session.document.cue()->patch;
    const Address release{"layer:a/envelope:level", "release"};
    session.patch.setLocked(release, true);
    auto* view = window.findChild<VariationsView*>();
    window.findChild<SearchView*>()->findChild<QTabWidget*>()->setCurrentWidget(view);
    view->findChild<QComboBox*>()->setCurrentIndex(1);
    QTest::mouseClick(visible("makeVariations"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !session.variations.state().running; }, 180000 * patience));
    ASSERT_GE(session.variations.state().found.size(), 3u);
    for (const Variation& each : session.variations.state().found) {
        EXPECT_NEAR(each.likeness, 75.0, 9.0);
        EXPECT_EQ(each.patch.value(release), before.value(release)) << "locked";
        EXPECT_FALSE(each.patch.soundsLike(before));
    }
    QTest::mouseClick(visible("hearVariation", 1), Qt::LeftButton);
    EXPECT_EQ(session.variations.state().heard, 1);
    EXPECT_TRUE(QTest::qWaitFor([this] { return session.playback.player().playing(); }, 10000 * patience));
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(before)) << "hearing changes nothing";
    QTest::mouseClick(visible("takeVariation", 1), Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(session.variations.state().found[1].patch));
    session.document.undoStack().undo();
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(before)) << "one step";
}

TEST_F(SearchPageTest, FacetsAreWeighedBesideTheSearch) {
    auto* weights = window.findChild<FacetWeightsView*>();
    window.findChild<SearchView*>()->findChild<QTabWidget*>()->setCurrentWidget(weights);
    auto* level = weights->findChildren<QComboBox*>()[static_cast<int>(Facet::level)];
    ASSERT_EQ(level->accessibleName(), "Level");
    QTest::keyClick(level, Qt::Key_End);
    EXPECT_EQ(session.document.cue()->facetWeights[static_cast<std::size_t>(Facet::level)], 0.0);
    session.document.undoStack().undo();
    EXPECT_EQ(level->currentIndex(), 0);
}

TEST_F(SearchPageTest, TheBankIsMadeOnceAndASearchWaitsForNothing) {
    QTemporaryDir cache;
    const QByteArray before = qgetenv("XDG_CACHE_HOME");
    qputenv("XDG_CACHE_HOME", cache.path().toUtf8());
    session.bank.prepare();
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.bank.fraction() > 0.0; }, 180000 * patience));
    session.matching.start(2.0);
    EXPECT_TRUE(session.matching.state().running);
    ASSERT_TRUE(ended());
    const double made = session.bank.fraction();
    EXPECT_TRUE(QTest::qWaitFor([&] { return session.bank.fraction() > made || made >= 1.0; }, 180000 * patience))
        << "it goes on";
    EXPECT_TRUE(std::filesystem::exists(SeedBank::cacheFile())) << "what was made when the search began was kept";
    qputenv("XDG_CACHE_HOME", before);
}

TEST_F(SearchPageTest, PlaybackDoesNotStutterWhileItRuns) {
    auto* output = dynamic_cast<SimulatedOutput*>(&session.playback.output());
    ASSERT_TRUE(output);
    session.playback.toggle();
    session.matching.start(20.0);
    ASSERT_TRUE(leads());
    const double from = session.playback.player().position();
    session.playback.setLooping(false);
    session.playback.seek(0.0);
    QElapsedTimer clock;
    clock.start();
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.playback.player().position() >= 1.4; }, 15000 * patience))
        << "from " << from;
    EXPECT_LT(static_cast<double>(clock.elapsed()), 1000.0 * 1.4 / 0.99 + 100.0) << "ms";
    EXPECT_LT(session.playback.player().takeLoad(), 1.0f) << "of real time";
}

TEST_F(SearchPageTest, WhatThePatchIsMadeOfIsToldHeardWithoutAndRuledOut) {
    Patch patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    patch.set({"layer:a/filter:a", "cutoff"}, 500.0);
    patch.add("reverb:a");
    patch.set({"reverb:a", "on"}, 1.0);
    session.patch.setPatch("Other", patch);
    ASSERT_TRUE(settle());
    window.showView("elements");
    auto* view = window.findChild<ElementsView*>();
    ASSERT_TRUE(view->isVisible());
    ASSERT_TRUE(QTest::qWaitFor([this] { return session.elements.measured(); }, 60000 * patience));
    const auto rows = [&] {
        std::vector<QWidget*> all;
        for (QWidget* each : view->findChildren<QWidget*>("elementRow"))
            if (each->isVisible()) all.push_back(each);
        return all;
    };
    ASSERT_EQ(rows().size(), 3u) << "a saw, a low-pass, a reverb";
    bool costs = false;
    for (QLabel* each : view->findChildren<QLabel*>("elementCost"))
        costs = costs || (each->isVisible() && each->text().startsWith(QString::fromUtf8("−")));
    EXPECT_TRUE(costs) << "what leaving it out costs";
    QTest::mouseClick(visible("hearWithout"), Qt::LeftButton);
    EXPECT_GE(session.elements.heard(), 0);
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(patch)) << "hearing changes nothing";
    // Rule out what comes last, the reverb.
    QPushButton* out = rows().back()->findChild<QPushButton*>("ruleOut");
    ASSERT_TRUE(out);
    QTest::mouseClick(out, Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->ruledOut.contains(Element::reverb));
    EXPECT_TRUE(elementsOf(session.document.cue()->patch).size() == 2u) << "it is taken out too";
    QPushButton* chip = visible("ruledOutElement");
    ASSERT_TRUE(chip);
    QTest::mouseClick(chip, Qt::LeftButton);
    EXPECT_TRUE(session.document.cue()->ruledOut.empty());
    session.document.undoStack().undo();
    EXPECT_TRUE(session.document.cue()->ruledOut.contains(Element::reverb));
    session.document.undoStack().undo();
    EXPECT_TRUE(session.document.cue()->ruledOut.empty());
    EXPECT_TRUE(session.document.cue()->patch.soundsLike(patch)) << "ruling out was one step";
}

TEST_F(SearchPageTest, WhatIsInsistedOnIsObeyedByTheNextSearch) {
    window.showView("elements");
    auto* choices = window.findChild<ElementsView*>()->findChild<QComboBox*>("insistOn");
    ASSERT_TRUE(choices && choices->isEnabled());
    const int noise = choices->findData(static_cast<int>(Element::noise));
    ASSERT_GT(noise, 0);
    choices->setCurrentIndex(noise);
    emit choices->activated(noise);
    EXPECT_TRUE(session.document.cue()->insisted.contains(Element::noise));
    EXPECT_TRUE(visible("insistedElement"));
    session.matching.start(4.0);
    ASSERT_TRUE(ended());
    std::set<Element> made;
    for (const PatchElement& each : elementsOf(session.document.cue()->patch)) made.insert(each.element);
    EXPECT_TRUE(made.contains(Element::noise));
}

} // namespace facet::testing
