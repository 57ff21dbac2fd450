// Mouse and keys over the note editor.
#include "app/views/notes/note_editor.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/time_picture.h"
#include "app/views/listening/mirror_view.h"
#include "core/base/units.h"
#include "core/parameters/value_text.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double grabReach = 5.0; ///< pixels at which an edge or a point is grabbed

} // namespace

int NoteEditor::noteAt(QPointF place) const {
    if (!notesRect().contains(place)) return -1;
    const auto notes = document_.performance().notes;
    for (std::size_t i = notes.size(); i-- > 0;)
        if (barOf(notes[i]).adjusted(-2, 0, 2, 0).contains(place)) return static_cast<int>(i);
    return -1;
}

int NoteEditor::pointAt(QPointF place) const {
    const auto points = lanePoints();
    for (std::size_t i = points.size(); i-- > 0;)
        if (std::hypot(mirror_.xAt(points[i].seconds) - place.x(), laneY(points[i].value) - place.y()) <
            grabReach + 2.0)
            return static_cast<int>(i);
    return -1;
}

/// The note whose velocity stem is nearest; of a chord the one whose head is.
int NoteEditor::stemAt(QPointF place) const {
    const auto notes = document_.performance().notes;
    int best = -1;
    double nearest = 1e9;
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const double away = std::abs(mirror_.xAt(notes[i].start) - place.x());
        if (away > 2.0 * grabReach) continue;
        const double distance = away + 0.1 * std::abs(laneY(notes[i].velocity) - place.y());
        if (distance >= nearest) continue;
        nearest = distance;
        best = static_cast<int>(i);
    }
    return best;
}

NoteDrag::Kind NoteEditor::edgeAt(QPointF place, const Note& note) const {
    const QRectF bar = barOf(note);
    if (bar.width() < 4.0 * grabReach) return NoteDrag::Kind::move;
    if (place.x() < bar.left() + grabReach) return NoteDrag::Kind::start;
    return place.x() > bar.right() - grabReach ? NoteDrag::Kind::end : NoteDrag::Kind::move;
}

void NoteEditor::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !results_.state().reference.recording) return;
    setFocus(Qt::MouseFocusReason);
    from_ = to_ = event->position();
    const auto notes = document_.performance().notes;
    const bool more = event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier);
    if (laneRect().contains(from_)) {
        if (lane_ == velocityLane) {
            const int note = stemAt(from_);
            if (note < 0) return;
            NoteChoice chosen = notes_.chosen();
            if (!chosen.contains(note)) chosen = {note};
            notes_.choose(chosen);
            noteDrag_ = NoteDrag{NoteDrag::Kind::move, notes, chosen, note, 0.0, 0};
            changes_.clear();
            drag_ = Drag::velocity;
            return;
        }
        draggedPoints_ = lanePoints();
        heldPoint_ = pointAt(from_);
        if (heldPoint_ < 0) {
            const Grid grid = notes_.grid();
            const double at = std::max(0.0, secondsAt(from_.x()));
            const CurvePoint added{notes_.snapping() ? std::max(0.0, grid.nearest(at)) : at, laneValueAt(from_.y())};
            const auto where = std::upper_bound(draggedPoints_.begin(), draggedPoints_.end(), added.seconds,
                                                [](double s, const CurvePoint& p) { return s < p.seconds; });
            heldPoint_ = static_cast<int>(where - draggedPoints_.begin());
            draggedPoints_.insert(where, added);
        }
        drag_ = Drag::point;
        update();
        return;
    }
    const int note = noteAt(from_);
    NoteChoice chosen = notes_.chosen();
    if (note < 0) {
        if (!more) notes_.choose({});
        drag_ = Drag::frame;
        return;
    }
    if (more && chosen.contains(note)) {
        chosen.erase(note);
        return notes_.choose(chosen);
    }
    if (!chosen.contains(note) && !more) chosen.clear();
    chosen.insert(note);
    notes_.choose(chosen);
    const Note& held = notes[static_cast<std::size_t>(note)];
    noteDrag_ = NoteDrag{edgeAt(from_, held), notes, chosen, note, secondsAt(from_.x()), keyAt(from_.y())};
    changes_.clear();
    drag_ = Drag::notes;
    soundedKey_ = held.key;
    listening_.hearNote(held);
}

void NoteEditor::mouseMoveEvent(QMouseEvent* event) {
    to_ = event->position();
    if (drag_ == Drag::none) {
        const int under = noteAt(to_);
        setCursor(under < 0 ? laneRect().contains(to_) ? Qt::CrossCursor : Qt::ArrowCursor
                  : edgeAt(to_, document_.performance().notes[static_cast<std::size_t>(under)]) == NoteDrag::Kind::move
                      ? Qt::OpenHandCursor
                      : Qt::SizeHorCursor);
        if (under >= 0) {
            const Note note = document_.performance().notes[static_cast<std::size_t>(under)];
            setToolTip(
                tr("%1%2 · %3 – %4 s · velocity %5")
                    .arg(QString::fromStdString(nameOfKey(note.key)),
                         std::abs(note.cents) >= 0.5
                             ? tr(" %1%2 ct").arg(note.cents < 0 ? "−" : "+").arg(std::abs(note.cents), 0, 'f', 0)
                             : QString())
                    .arg(note.start, 0, 'f', 3)
                    .arg(note.end, 0, 'f', 3)
                    .arg(note.velocity, 0, 'f', 0));
        } else {
            setToolTip({});
        }
        return;
    }
    const Grid grid = notes_.grid();
    if (drag_ == Drag::notes) {
        const bool far = std::abs(to_.x() - from_.x()) > 2.0;
        changes_ = noteDrag_->changesAt(far ? secondsAt(to_.x()) : noteDrag_->fromSeconds, keyAt(to_.y()),
                                        far && notes_.snapping() ? &grid : nullptr);
        for (const NoteChange& change : changes_)
            if (change.from == noteDrag_->notes[static_cast<std::size_t>(noteDrag_->grabbed)] &&
                change.to->key != soundedKey_) {
                soundedKey_ = change.to->key;
                listening_.hearNote(*change.to);
            }
    } else if (drag_ == Drag::velocity) {
        const double by =
            laneValueAt(to_.y()) - noteDrag_->notes[static_cast<std::size_t>(noteDrag_->grabbed)].velocity;
        changes_ = louder(noteDrag_->notes, noteDrag_->chosen, by);
    } else if (drag_ == Drag::point) {
        auto& held = draggedPoints_[static_cast<std::size_t>(heldPoint_)];
        const auto at = static_cast<std::size_t>(heldPoint_);
        // Between its neighbors.
        const double low = at > 0 ? draggedPoints_[at - 1].seconds : 0.0;
        const double high =
            at + 1 < draggedPoints_.size() ? draggedPoints_[at + 1].seconds : document_.performance().seconds();
        const double wanted = secondsAt(to_.x());
        held = {std::clamp(notes_.snapping() ? grid.nearest(wanted) : wanted, low, std::max(low, high)),
                laneValueAt(to_.y())};
    }
    update();
}

void NoteEditor::mouseReleaseEvent(QMouseEvent* event) {
    to_ = event->position();
    const Drag drag = std::exchange(drag_, Drag::none);
    const auto noteDrag = std::exchange(noteDrag_, std::nullopt);
    if (drag == Drag::notes) {
        notes_.change(noteDrag->kind == NoteDrag::Kind::move ? tr("Move note") : tr("Change note's length"), changes_);
    } else if (drag == Drag::velocity) {
        notes_.change(tr("Change velocity"), changes_);
        if (!changes_.empty()) listening_.hearNote(*changes_.front().to);
    } else if (drag == Drag::point) {
        setLanePoints(draggedPoints_, false);
    } else if (drag == Drag::frame) {
        const QRectF frame = QRectF(from_, to_).normalized();
        if (frame.width() > 3.0 || frame.height() > 3.0) {
            NoteChoice chosen =
                event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier) ? notes_.chosen() : NoteChoice{};
            const auto notes = document_.performance().notes;
            for (std::size_t i = 0; i < notes.size(); ++i)
                if (frame.intersects(barOf(notes[i]))) chosen.insert(static_cast<int>(i));
            notes_.choose(chosen);
        }
    }
    changes_.clear();
    refresh();
}

void NoteEditor::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!results_.state().reference.recording) return;
    const QPointF place = event->position();
    drag_ = Drag::none;
    noteDrag_.reset();
    if (laneRect().contains(place)) {
        if (const int point = pointAt(place); point >= 0) removePoint(point);
        return;
    }
    if (!notesRect().contains(place)) return;
    const double at = std::max(0.0, secondsAt(place.x()));
    if (const int note = noteAt(place); note >= 0) {
        notes_.change(tr("Split note"), split(document_.performance().notes, {note}, at));
        return;
    }
    const Grid grid = notes_.grid();
    Note added{at, 0.0, keyAt(place.y()), 0.0, 100.0};
    if (notes_.snapping()) { // the step that was clicked into
        added.start = grid.nearest(at);
        if (added.start > at) added.start -= grid.stepSeconds();
        added.start = std::max(0.0, added.start);
    }
    added.end =
        std::min(document_.performance().seconds(), added.start + (notes_.snapping() ? grid.stepSeconds() : 0.25));
    if (!(added.end > added.start)) return;
    notes_.add(added);
    listening_.hearNote(added);
}

void NoteEditor::wheelEvent(QWheelEvent* event) {
    const double turns = (event->angleDelta().y() + event->angleDelta().x()) / 120.0;
    if (event->modifiers() & Qt::ShiftModifier)
        mirror_.scroll(-0.1 * turns);
    else
        mirror_.zoom(std::pow(1.25, turns), secondsAt(event->position().x()));
    event->accept();
}

void NoteEditor::removePoint(int index) {
    auto points = lanePoints();
    if (index < 0 || index >= static_cast<int>(points.size())) return;
    points.erase(points.begin() + index);
    heldPoint_ = -1;
    setLanePoints(points, false);
}

void NoteEditor::nudge(double seconds, int semitones) {
    const auto changes = moved(document_.performance().notes, notes_.chosen(), seconds, semitones);
    if (changes.empty()) return;
    notes_.change(semitones ? tr("Change note") : tr("Move note"), changes);
    if (semitones) listening_.hearNote(*changes.front().to);
    refresh();
}

void NoteEditor::keyPressEvent(QKeyEvent* event) {
    const auto notes = document_.performance().notes;
    const int count = static_cast<int>(notes.size());
    const bool control = event->modifiers() & Qt::ControlModifier;
    const bool shift = event->modifiers() & Qt::ShiftModifier;
    const int first = notes_.chosen().empty() ? -1 : *notes_.chosen().begin();
    const double step = notes_.snapping() ? notes_.grid().stepSeconds() : 0.005;
    const int way = event->key() == Qt::Key_Right || event->key() == Qt::Key_Up ? 1 : -1;
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (control && shift)
            notes_.change(tr("Change note's length"), resized(notes, notes_.chosen(), 0.0, way * step));
        else if (control)
            nudge(way * step, 0);
        else if (count > 0)
            notes_.choose({std::clamp(first + way, 0, count - 1)});
        return;
    case Qt::Key_Up:
    case Qt::Key_Down:
        if (shift)
            notes_.change(tr("Change velocity"), louder(notes, notes_.chosen(), 5.0 * way), "velocity");
        else
            nudge(0.0, control ? 12 * way : way);
        return;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        if (notes_.chosen().empty())
            removePoint(heldPoint_);
        else
            notes_.change(tr("Delete note"), deleted(notes, notes_.chosen()));
        return;
    case Qt::Key_Escape: notes_.choose({}); return;
    default: break;
    }
    if (event->matches(QKeySequence::SelectAll)) {
        NoteChoice all;
        for (int i = 0; i < count; ++i) all.insert(all.end(), i);
        notes_.choose(all);
        return;
    }
    QWidget::keyPressEvent(event);
}

void NoteEditor::contextMenuEvent(QContextMenuEvent* event) {
    const QPointF place = event->pos();
    const int note = noteAt(place);
    if (note >= 0 && !notes_.chosen().contains(note)) notes_.choose({note});
    const double at = std::max(0.0, secondsAt(place.x()));
    QMenu menu(this);
    const auto apply = [&](const QString& name, const std::vector<NoteChange>& changes) {
        menu.addAction(name, this, [this, name, changes] { notes_.change(name, changes); })
            ->setEnabled(!changes.empty());
    };
    const auto notes = document_.performance().notes;
    if (note >= 0) {
        apply(tr("Split here"), split(notes, {note}, at));
        apply(tr("Join"), joined(notes, notes_.chosen()));
        apply(tr("Octave up"), moved(notes, notes_.chosen(), 0.0, 12));
        apply(tr("Octave down"), moved(notes, notes_.chosen(), 0.0, -12));
        apply(tr("Quantize"), quantized(notes, notes_.chosen(), notes_.grid()));
        apply(tr("Delete"), deleted(notes, notes_.chosen()));
    } else {
        menu.addAction(tr("Bar 1 begins here"), this, [this, at] { notes_.setDownbeat(at); });
    }
    menu.exec(event->globalPos());
}

} // namespace facet
