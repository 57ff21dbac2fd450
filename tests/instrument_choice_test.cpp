// Matching for somebody's instrument in the real window: chosen, opened from a file, searched for, told, kept.
#include "app/views/instruments/instrument_choice.h"
#include "core/instruments/played_on.h"
#include "tests/support/window_fixture.h"

#include <QLabel>
#include <fstream>

namespace facet::testing {

class InstrumentChoiceTest : public WindowTest {
protected:
    InstrumentChoiceTest() { window.showView("search"); }
    ~InstrumentChoiceTest() override { session.matching.stop(); }

    InstrumentChoice& choice() {
        for (auto* each : window.findChildren<InstrumentChoice*>())
            if (each->isVisible()) return *each;
        ADD_FAILURE() << "no choice in view";
        return *window.findChild<InstrumentChoice*>();
    }
    void choose(const QString& beginning) {
        for (int i = 0; i < choice().count(); ++i)
            if (choice().itemText(i).startsWith(beginning)) {
                choice().setFocus();
                choice().setCurrentIndex(i);
                emit choice().activated(i); // as a click on the list does
                return;
            }
        FAIL() << "not offered: " << beginning.toStdString();
    }
    const Cue& cue() { return *session.document.cue(); }
    bool ended() {
        return QTest::qWaitFor([this] { return !session.matching.state().running; }, 120000 * patience);
    }
};

TEST_F(InstrumentChoiceTest, ASearchKeepsToItAndThePatchPageGreysWhatItLacks) {
    EXPECT_FALSE(choice().accessibleName().isEmpty());
    choose("Fieldstone");
    ASSERT_TRUE(cue().instrument);
    EXPECT_EQ(choice().currentText(), "Fieldstone");
    session.matching.start(5.0);
    EXPECT_FALSE(choice().isEnabled()) << "while it runs";
    ASSERT_TRUE(ended());
    ASSERT_TRUE(settle());
    ASSERT_TRUE(isOf(*cue().instrument, cue().patch));
    for (const InstrumentControl& each : cue().instrument->controls) {
        const double value = cue().patch.value(each.address);
        EXPECT_NEAR(each.nearest(value), value, 1e-6 * (1.0 + std::abs(value))) << each.name << ": on its scale";
    }

    window.showView("patch");
    const Address cutoff{"layer:a/filter:a", "cutoff"};
    ASSERT_TRUE(row(cutoff));
    EXPECT_TRUE(row(cutoff)->findChild<QLineEdit*>("value")->isEnabled());
    ParameterRow* lacked = row({"layer:a/filter:a", "kind"});
    ASSERT_TRUE(lacked);
    EXPECT_FALSE(lacked->findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly)->isEnabled());
    EXPECT_NE(lacked->toolTip().indexOf("Fieldstone"), -1) << lacked->toolTip().toStdString();

    window.showView("search");
    choose("Facet's own");
    EXPECT_FALSE(cue().instrument);
    window.showView("patch");
    EXPECT_TRUE(
        row({"layer:a/filter:a", "kind"})->findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly)->isEnabled());
    session.document.undoStack().undo();
    ASSERT_TRUE(cue().instrument) << "one step";
    EXPECT_EQ(cue().instrument->name, "Fieldstone");

    session.document.saveAs(folder / "kept.facet");
    Session again(folder / "other", SimulatedOutput().name());
    again.document.open(folder / "kept.facet");
    ASSERT_TRUE(again.document.cue()->instrument);
    EXPECT_EQ(*again.document.cue()->instrument, *cue().instrument) << "the project brings it along";
}

TEST_F(InstrumentChoiceTest, DescriptionsAreOpenedKeptSavedAndTakenAway) {
    Instrument mine{"Slate", "Invented: one knob.", Patch(), {}};
    InstrumentControl knob{"Cutoff", {"layer:a/filter:a", "cutoff"}};
    knob.scale = ControlScale{ControlScale::Law::logarithmic, 0.0, 10.0, 100.0, 10000.0};
    mine.controls.push_back(knob);
    std::ofstream(folder / "slate.json") << instrumentToJson(mine);
    ASSERT_TRUE(session.instruments.open(QString::fromStdString((folder / "slate.json").string())));
    ASSERT_TRUE(cue().instrument);
    EXPECT_EQ(choice().currentText(), "Slate");
    EXPECT_TRUE(session.instruments.isOwn("Slate"));
    Session again(folder / "state", SimulatedOutput().name());
    EXPECT_TRUE(again.instruments.isOwn("Slate")) << "for every project";

    ASSERT_TRUE(session.instruments.save(QString::fromStdString((folder / "out.json").string())));
    EXPECT_EQ(readInstrument(folder / "out.json"), mine);
    EXPECT_FALSE(session.instruments.save("/nowhere/out.json")) << "no such folder";

    choose("Take Slate off");
    EXPECT_FALSE(session.instruments.isOwn("Slate"));
    ASSERT_TRUE(cue().instrument) << "the cue keeps it";
    EXPECT_EQ(choice().currentText(), "Slate");

    // A description that contradicts itself is refused in a sentence, and nothing changes.
    mine.controls.front().scale->low = mine.controls.front().scale->high;
    std::string text = instrumentToJson(mine);
    std::ofstream(folder / "wrong.json") << text;
    EXPECT_FALSE(session.instruments.open(QString::fromStdString((folder / "wrong.json").string())));
    EXPECT_EQ(cue().instrument->controls.front().scale->low, 100.0);
}

} // namespace facet::testing
