// Mouse and keys over the mirror.
#include "app/views/listening/mirror_view.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/reference/reference_controller.h"
#include "app/session/results/results_controller.h"
#include "core/base/units.h"

#include <QContextMenuEvent>
#include <QDragEnterEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QMouseEvent>
#include <QToolTip>
#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

int MirrorView::noteAt(QPointF place) const {
    if (!rulerRect().contains(place)) return -1;
    const auto notes = document_.performance().notes;
    for (std::size_t i = notes.size(); i-- > 0;) {
        const QRectF bar = noteBar(notes[i], 0, 127);
        const bool row = rows_.empty() || (place.y() >= bar.top() && place.y() <= bar.bottom() + 1);
        if (row && place.x() >= bar.left() - 2 && place.x() <= bar.right() + 2) return static_cast<int>(i);
    }
    return -1;
}

void MirrorView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || length() <= 0.0) return;
    setFocus(Qt::MouseFocusReason);
    if (readingsLink().contains(event->position())) return showReadings();
    dragFrom_ = dragTo_ = secondsAt(event->position().x());
    if (!rulerRect().contains(event->position())) {
        looping_ = true;
        return;
    }
    const int note = noteAt(event->position());
    NoteChoice chosen = notes_.chosen();
    const bool more = event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier);
    if (note < 0) {
        if (!more) notes_.choose({});
        return;
    }
    if (more && chosen.contains(note)) {
        chosen.erase(note);
        return notes_.choose(chosen);
    }
    if (!chosen.contains(note)) chosen = more ? chosen : NoteChoice{};
    chosen.insert(note);
    notes_.choose(chosen);
    const auto notes = document_.performance().notes;
    noteDrag_ =
        NoteDrag{edgeAt(event->position(), notes[static_cast<std::size_t>(note)]), notes, chosen, note, dragFrom_, 0};
    dragChanges_.clear();
}

/// Near an end of a note wide enough to be grabbed in the middle too, that end is meant.
NoteDrag::Kind MirrorView::edgeAt(QPointF place, const Note& note) const {
    constexpr double reach = 5.0;
    const double left = xAt(note.start);
    const double right = xAt(note.end);
    if (right - left < 4.0 * reach) return NoteDrag::Kind::move;
    if (place.x() < left + reach) return NoteDrag::Kind::start;
    return place.x() > right - reach ? NoteDrag::Kind::end : NoteDrag::Kind::move;
}

void MirrorView::mouseMoveEvent(QMouseEvent* event) {
    const int under = noteAt(event->position());
    if (readingsLink().contains(event->position())) return setCursor(Qt::PointingHandCursor);
    setCursor(under >= 0 ? edgeAt(event->position(), document_.performance().notes[static_cast<std::size_t>(under)]) ==
                                   NoteDrag::Kind::move
                               ? Qt::OpenHandCursor
                               : Qt::SizeHorCursor
                         : Qt::ArrowCursor);
    cursor_ = std::clamp(secondsAt(event->position().x()), 0.0, std::max(0.0, length()));
    cursorY_ = event->position().y();
    update();
    if (!looping_ && !noteDrag_) return;
    dragTo_ = std::clamp(secondsAt(event->position().x()), 0.0, length());
    if (noteDrag_) {
        const Grid grid = notes_.grid();
        dragChanges_ = noteDrag_->changesAt(dragTo_, noteDrag_->fromKey, notes_.snapping() ? &grid : nullptr);
    }
    update();
}

/// The readings in words, to choose one; the one pointed at is outlined meanwhile.
void MirrorView::showReadings() {
    const Excerpt* excerpt = document_.excerpt();
    auto* menu = new QMenu(this);
    menu->setObjectName("readings");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->setToolTipsVisible(true);
    for (std::size_t i = 0; i < excerpt->readings.size(); ++i) {
        const NoteReading& reading = excerpt->readings[i];
        QAction* way = menu->addAction(
            tr("%1 %  %2").arg(std::lround(100.0 * reading.probability)).arg(QString::fromStdString(reading.words)),
            this, [this, i] { notes_.chooseReading(i); });
        way->setCheckable(true);
        way->setChecked(i == excerpt->reading && !excerpt->imported);
        way->setToolTip(QString::fromStdString(reading.evidence));
        connect(way, &QAction::hovered, this, [this, i] { notes_.pointAt(i); });
    }
    connect(menu, &QMenu::aboutToHide, this, [this] { notes_.pointAt({}); });
    menu->popup(mapToGlobal(readingsLink().bottomLeft().toPoint()));
}

bool MirrorView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (readingsLink().contains(help->pos())) {
            QToolTip::showText(help->globalPos(), tr("The notes may be read in other ways: choose one (Shift+F4)"),
                               this);
            return true;
        }
    }
    return QWidget::event(event);
}

void MirrorView::leaveEvent(QEvent*) {
    cursor_.reset();
    update();
}

void MirrorView::mouseReleaseEvent(QMouseEvent* event) {
    if (const auto drag = std::exchange(noteDrag_, std::nullopt)) {
        if (std::abs(dragTo_ - drag->fromSeconds) > 0.0005)
            notes_.change(drag->kind == NoteDrag::Kind::move ? tr("Move note") : tr("Change note's length"),
                          dragChanges_);
    } else if (std::exchange(looping_, false)) {
        const auto place = [this](double seconds) {
            return std::clamp(notes_.snapping() ? notes_.grid().nearest(seconds) : seconds, 0.0, length());
        };
        const bool wide = std::abs(xAt(dragTo_) - xAt(dragFrom_)) > 4.0;
        if (wide)
            document_.setLoop(place(std::min(dragFrom_, dragTo_)), place(std::max(dragFrom_, dragTo_)));
        else
            emit seekWanted(std::clamp(secondsAt(event->position().x()), 0.0, length()));
    }
    update();
}

void MirrorView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (rulerRect().contains(event->position())) {
        if (noteAt(event->position()) < 0) addNoteAt(secondsAt(event->position().x()));
        return;
    }
    document_.setLoop(0.0, 0.0);
    showAll();
}

void MirrorView::wheelEvent(QWheelEvent* event) {
    const double turns = (event->angleDelta().y() + event->angleDelta().x()) / 120.0;
    if (event->modifiers() & Qt::ShiftModifier) {
        scroll(-0.1 * turns);
    } else {
        zoom(std::pow(1.25, turns), secondsAt(event->position().x()));
    }
    event->accept();
}

void MirrorView::moveChosenNotes(double seconds, int semitones) {
    const auto changes = moved(document_.performance().notes, notes_.chosen(), seconds, semitones);
    notes_.change(semitones ? tr("Change note") : tr("Move note"), changes);
    if (semitones && !changes.empty()) listening_.hearNote(*changes.front().to);
}

/// A quarter of a second, or a step of the grid, with the pitch of the last note.
void MirrorView::addNoteAt(double seconds) {
    const auto notes = document_.performance().notes;
    const Grid grid = notes_.grid();
    if (notes_.snapping()) seconds = std::max(0.0, grid.nearest(seconds));
    const double lasting = notes_.snapping() ? grid.stepSeconds() : 0.25;
    const Note added{seconds, std::min(length(), seconds + lasting), notes.empty() ? 60 : notes.back().key, 0.0, 100.0};
    if (added.end > added.start) notes_.add(added);
}

void MirrorView::keyPressEvent(QKeyEvent* event) {
    const int count = static_cast<int>(document_.performance().notes.size());
    const bool control = event->modifiers() & Qt::ControlModifier;
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right: {
        const int by = event->key() == Qt::Key_Right ? 1 : -1;
        if (event->modifiers() & Qt::ShiftModifier) {
            const double step = 0.005 * (viewEnd_ - viewBegin_);
            cursor_ = std::clamp(cursor_.value_or(playhead_) + by * step, viewBegin_, viewEnd_);
            cursorY_ = -1.0;
            setAccessibleDescription(measured());
            update();
            return;
        }
        if (control)
            moveChosenNotes(0.005 * by, 0);
        else if (count > 0)
            selectNote(std::clamp(selectedNote() + by, 0, count - 1));
        return;
    }
    case Qt::Key_Up: moveChosenNotes(0.0, control ? 12 : 1); return;
    case Qt::Key_Down: moveChosenNotes(0.0, control ? -12 : -1); return;
    case Qt::Key_Delete:
        notes_.change(tr("Delete note"), deleted(document_.performance().notes, notes_.chosen()));
        return;
    case Qt::Key_Escape: selectNote(-1); return;
    default: QWidget::keyPressEvent(event);
    }
}

void MirrorView::dragEnterEvent(QDragEnterEvent* event) { event->ignore(); /* the window takes drops */ }

void MirrorView::contextMenuEvent(QContextMenuEvent* event) {
    const int note = noteAt(event->pos());
    QMenu menu(this);
    if (note >= 0) {
        if (!notes_.chosen().contains(note)) selectNote(note);
        const double at = secondsAt(event->pos().x());
        menu.addAction(tr("Split here"), this, [this, at] {
            notes_.change(tr("Split note"), split(document_.performance().notes, notes_.chosen(), at));
        });
        menu.addAction(tr("Octave up"), this, [this] { moveChosenNotes(0.0, 12); });
        menu.addAction(tr("Octave down"), this, [this] { moveChosenNotes(0.0, -12); });
        menu.addAction(tr("Delete note"), this, [this] {
            notes_.change(tr("Delete note"), deleted(document_.performance().notes, notes_.chosen()));
        });
    } else if (length() > 0.0) {
        const double at = std::clamp(secondsAt(event->pos().x()), 0.0, length());
        menu.addAction(tr("Add note here"), this, [this, at] { addNoteAt(at); });
        menu.addAction(tr("Bar 1 begins here"), this, [this, at] { notes_.setDownbeat(at); });
        const double loopBegin = document_.cue()->loopBegin;
        const double loopEnd = document_.cue()->loopEnd;
        menu.addAction(tr("Leave selection out"), this, [=, this] { reference_.leaveOut(loopBegin, loopEnd, true); })
            ->setEnabled(loopEnd > loopBegin);
        menu.addAction(tr("Take selection in again"), this,
                       [=, this] { reference_.leaveOut(loopBegin, loopEnd, false); })
            ->setEnabled(loopEnd > loopBegin && !document_.cue()->excerpt()->leftOut.empty());
        menu.addAction(tr("Use selection as reference"), this, [this] { reference_.useSelectionAsReference(); })
            ->setEnabled(document_.cue()->loopEnd > document_.cue()->loopBegin);
        menu.addAction(tr("Show all"), this, [this] { showAll(); });
    }
    if (!menu.isEmpty()) menu.exec(event->globalPos());
}

} // namespace facet
