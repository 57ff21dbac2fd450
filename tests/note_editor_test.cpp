// Editing notes and curves in the real window, with mouse and keys.
#include "app/views/notes/note_editor.h"
#include "app/views/notes/notes_page.h"
#include "app/views/listening/mirror_view.h"
#include "core/audio/audio_file.h"
#include "tests/support/sounds.h"
#include "tests/support/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>

namespace facet::testing {

class NotesTest : public WindowTest {
protected:
    NotesTest() {
        EXPECT_TRUE(window.showView("notes"));
        editor = window.findChild<NoteEditor*>("notes");
        laidOut();
    }
    std::vector<Note> notes() { return session.document.performance().notes; }
    QPoint middleOf(const Note& note) { return editor->placeOf(0.5 * (note.start + note.end), note.key).toPoint(); }
    void drag(QPoint from, QPoint to, Qt::KeyboardModifiers keys = {}) {
        QTest::mousePress(editor, Qt::LeftButton, keys, from);
        QTest::mouseMove(editor, (from + to) / 2);
        QTest::mouseMove(editor, to);
        QTest::mouseRelease(editor, Qt::LeftButton, keys, to);
    }
    QPoint place(double seconds, int key) { return editor->placeOf(seconds, key).toPoint(); }
    double pixel() { return window.mirror().secondsAt(101.0) - window.mirror().secondsAt(100.0); }
    NoteEditor* editor = nullptr;
};

TEST_F(NotesTest, ADragMovesANoteInTimeAndPitchAndUndoBringsItBack) {
    const auto before = notes();
    const Note first = before[0];
    drag(middleOf(first), place(0.5 * (first.start + first.end) + 0.2, first.key + 2));
    const auto after = notes();
    ASSERT_EQ(after.size(), before.size());
    EXPECT_EQ(after[0].key, first.key + 2);
    EXPECT_NEAR(after[0].start, first.start + 0.2, 2 * pixel());
    EXPECT_NEAR(after[0].end - after[0].start, first.end - first.start, 1e-9);
    EXPECT_EQ(session.notes.chosen(), NoteChoice{0}) << "what was moved is what is edited next";
    session.document.undoStack().undo();
    EXPECT_EQ(notes(), before);
}

TEST_F(NotesTest, AnEndIsDraggedAlone) {
    const Note first = notes()[0];
    drag(place(first.end, first.key) - QPoint(2, 0), place(first.end - 0.25, first.key) - QPoint(2, 0));
    EXPECT_EQ(notes()[0].start, first.start);
    EXPECT_NEAR(notes()[0].end, first.end - 0.25, 2 * pixel());
}

TEST_F(NotesTest, DoubleClicksAddAndSplit) {
    const auto before = notes();
    QTest::mouseDClick(editor, Qt::LeftButton, {}, place(2.8, before[0].key + 1));
    auto after = notes();
    ASSERT_EQ(after.size(), before.size() + 1);
    EXPECT_NEAR(after.back().start, 2.8, 2 * pixel());
    EXPECT_EQ(after.back().key, before[0].key + 1);
    QTest::mouseDClick(editor, Qt::LeftButton, {}, middleOf(after[0]));
    ASSERT_EQ(notes().size(), before.size() + 2);
    EXPECT_EQ(notes()[0].end, notes()[1].start);
    // Joining the halves makes the note whole again.
    session.notes.choose({0, 1});
    QTest::mouseClick(button("Join"), Qt::LeftButton);
    EXPECT_EQ(notes()[0], before[0]);
}

TEST_F(NotesTest, AFrameChoosesAndKeysEditTheChoice) {
    const auto before = notes();
    const QRect area = editor->notesRect().toRect();
    drag(area.topLeft() + QPoint(1, 2), area.bottomRight() - QPoint(2, 2));
    EXPECT_EQ(session.notes.chosen().size(), before.size());
    editor->setFocus();
    QTest::keyClick(editor, Qt::Key_Up, Qt::ControlModifier);
    for (std::size_t i = 0; i < before.size(); ++i) EXPECT_EQ(notes()[i].key, before[i].key + 12);
    QTest::keyClick(editor, Qt::Key_Down, Qt::ShiftModifier);
    for (std::size_t i = 0; i < before.size(); ++i)
        EXPECT_EQ(notes()[i].velocity, std::max(1.0, before[i].velocity - 5));
    QTest::keyClick(editor, Qt::Key_Delete);
    EXPECT_TRUE(notes().empty());
    session.document.undoStack().undo();
    EXPECT_EQ(notes().size(), before.size());
    QTest::keyClick(editor, Qt::Key_Escape);
    EXPECT_TRUE(session.notes.chosen().empty());
}

TEST_F(NotesTest, SnappingFollowsTheGridAndBarOne) {
    session.notes.setTempo(120.0);
    session.notes.setDownbeat(0.05);
    window.findChild<NotesPage*>()->findChild<QCheckBox*>()->setChecked(true);
    ASSERT_TRUE(session.notes.snapping());
    const Note second = notes()[1];
    drag(middleOf(second), middleOf(second) + QPoint(30, 0));
    const double steps = (notes()[1].start - 0.05) / 0.125; // sixteenths of 120 bpm last 125 ms
    EXPECT_NEAR(steps, std::round(steps), 1e-9);
    EXPECT_NE(notes()[1].start, second.start);
    session.notes.choose({});
    QTest::mouseClick(button("Quantize all"), Qt::LeftButton);
    for (const Note& note : notes()) {
        const double at = (note.start - 0.05) / 0.125;
        EXPECT_TRUE(note.start == 0.0 || std::abs(at - std::round(at)) < 1e-9) << note.start;
    }
}

TEST_F(NotesTest, VelocitiesAreDraggedInTheLane) {
    const auto before = notes();
    const QPoint head(static_cast<int>(window.mirror().xAt(before[1].start)),
                      static_cast<int>(editor->laneY(before[1].velocity)));
    const QPoint lower(head.x(), static_cast<int>(editor->laneY(40.0)));
    drag(head, lower);
    EXPECT_NEAR(notes()[1].velocity, 40.0, 127.0 / editor->laneRect().height() * 3);
    EXPECT_EQ(notes()[0].velocity, before[0].velocity);
}

TEST_F(NotesTest, ADrawnCurveMovesAParameterInTheRender) {
    ASSERT_TRUE(settle());
    const Address cutoff{"layer:a/filter:a", "cutoff"};
    Patch patch = session.document.cue()->patch;
    patch.set({"layer:a/filter:a", "on"}, 1.0);
    session.patch.setPatch("filter on", patch);
    ASSERT_TRUE(settle());
    const auto render = session.results.state().render.recording;
    auto* lanes = window.findChild<NotesPage*>()->findChildren<QComboBox*>().back();
    const int index = lanes->findData(QString::fromStdString(cutoff.text()));
    ASSERT_GE(index, 0) << "every parameter that can move while a note sounds has a lane";
    lanes->setCurrentIndex(index);
    emit lanes->activated(index);
    // From low to high over the phrase.
    const auto click = [&](double seconds, double value) {
        const QPoint at(static_cast<int>(window.mirror().xAt(seconds)), static_cast<int>(editor->laneY(value)));
        QTest::mouseClick(editor, Qt::LeftButton, {}, at);
    };
    click(0.1, 0.2);
    click(2.0, 0.9);
    const Curve* curve = session.document.cue()->excerpt()->performance.curveOf(cutoff.text());
    ASSERT_NE(curve, nullptr);
    ASSERT_EQ(curve->points.size(), 2u);
    EXPECT_NEAR(curve->points[0].value, 0.2, 0.03);
    EXPECT_NEAR(curve->points[1].seconds, 2.0, 2 * pixel());
    ASSERT_TRUE(settle());
    EXPECT_NE(session.results.state().render.recording, render);
    const auto& centroid = session.results.state().render.profile->centroidHz;
    EXPECT_LT(centroid.at(0.3), 0.5 * centroid.at(2.2)) << "the sound opens along the curve";
    // A double-click takes a point away.
    QTest::mouseDClick(editor, Qt::LeftButton, {},
                       QPoint(static_cast<int>(window.mirror().xAt(curve->points[0].seconds)),
                              static_cast<int>(editor->laneY(curve->points[0].value))));
    EXPECT_EQ(session.document.cue()->excerpt()->performance.curveOf(cutoff.text())->points.size(), 1u);
    // It is saved with the project and comes back.
    session.document.saveAs(folder / "curve.facet");
    const auto kept = session.document.performance().curves;
    session.document.open(folder / "curve.facet");
    EXPECT_EQ(session.document.performance().curves, kept);
}

TEST_F(NotesTest, BendsAreTakenFromTheRecording) {
    // A tone that rises by 70 cents over its second half, as one note.
    double phase = 0.0;
    const Recording bent = testing::soundOf(2.0, 48000, [&](double t) {
        const double cents = t < 1.0 ? 0.0 : 70.0 * (t - 1.0);
        phase += 220.0 * std::exp2(cents / 1200.0) / 48000.0;
        double sum = 0.0;
        for (int k = 1; k <= 10; ++k) sum += std::sin(2.0 * 3.14159265358979 * k * phase) / k;
        return 0.3 * sum * std::min(1.0, (2.0 - t) / 0.02);
    });
    writeAudio(folder / "bent.wav", bent);
    drop(folder / "bent.wav");
    ASSERT_TRUE(QTest::qWaitFor([&] { return session.document.cue()->excerpt()->name == "bent"; }, 60000 * patience));
    ASSERT_TRUE(settle());
    ASSERT_EQ(notes().size(), 1u);
    auto* page = window.findChild<NotesPage*>();
    editor->setLane(NoteEditor::bendLane);
    page->refresh();
    QTest::mouseClick(button("Take bends"), Qt::LeftButton);
    const Performance bends = session.document.performance();
    ASSERT_FALSE(bends.bends.empty());
    EXPECT_LT(bends.bends.size(), 20u) << "breakpoints, not samples";
    EXPECT_NEAR(bends.bendAt(1.8) - bends.bendAt(0.5), 56.0, 10.0);
}

} // namespace facet::testing
