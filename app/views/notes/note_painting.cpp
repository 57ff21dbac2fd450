// What the note editor draws.
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

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

bool isBlackKey(int key) {
    const int step = ((key % 12) + 12) % 12;
    return step == 1 || step == 3 || step == 6 || step == 8 || step == 10;
}

} // namespace

void NoteEditor::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF area = notesRect();
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(t.card);
    painter.drawRoundedRect(area, 5, 5);
    painter.drawRoundedRect(laneRect(), 5, 5);
    if (!results_.state().reference.recording) {
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(10));
        painter.drawText(area, Qt::AlignCenter, tr("Open a reference first; its notes are edited here"));
        return;
    }
    paintKeys(painter);
    const TimeToX toX = [this](double s) { return mirror_.xAt(s); };
    painter.save();
    painter.setClipRect(area);
    paintGrid(painter, area, mirror_.viewBegin(), mirror_.viewEnd(), toX, notes_.grid(), true);
    paintPitch(painter);
    paintNotes(painter);
    paintOutlined(painter);
    painter.setClipRect(laneRect().adjusted(-5, 0, 5, 0)); // a stem's head at the very start is whole
    paintGrid(painter, laneRect(), mirror_.viewBegin(), mirror_.viewEnd(), toX, notes_.grid(), false);
    paintLane(painter);
    painter.restore();
    paintTimes(painter, laneRect(), mirror_.viewBegin(), mirror_.viewEnd(), toX);

    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8));
    const QRectF lane = laneRect();
    const auto [low, high] = laneRange();
    painter.drawText(QRectF(0, lane.top(), lane.left() - 6, 14), Qt::AlignRight | Qt::AlignVCenter, laneText(high));
    painter.drawText(QRectF(0, lane.bottom() - 14, lane.left() - 6, 14), Qt::AlignRight | Qt::AlignVCenter,
                     laneText(low));
    if (hasFocus()) {
        painter.setPen(QPen(t.reference, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(area, 5, 5);
    }
}

void NoteEditor::paintKeys(QPainter& painter) {
    const Theme& t = theme();
    const QRectF area = notesRect();
    QColor shade = t.paper;
    const double row = area.height() / (highestKey_ - lowestKey_ + 1);
    painter.setFont(interfaceFont(8));
    for (int key = lowestKey_; key <= highestKey_; ++key) {
        const QRectF bar(area.left() + 1, area.top() + (highestKey_ - key) * row, area.width() - 2, row);
        if (isBlackKey(key)) painter.fillRect(bar, shade);
        if (key % 12 == 0) {
            painter.setPen(QPen(t.line, 1));
            painter.drawLine(bar.bottomLeft(), bar.bottomRight());
        }
        if (key % 12 != 0 && (row < 12.0 || isBlackKey(key))) continue;
        painter.setPen(key % 12 == 0 ? t.ink : t.quiet);
        painter.drawText(QRectF(0, bar.center().y() - 8, area.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::fromStdString(nameOfKey(key)));
    }
}

/// The pitch heard in the recording, to see what the notes leave out.
void NoteEditor::paintPitch(QPainter& painter) {
    const ProfilePtr& profile = results_.state().reference.profile;
    if (!profile) return;
    const QRectF area = notesRect();
    const double row = area.height() / (highestKey_ - lowestKey_ + 1);
    QPainterPath path;
    bool begun = false;
    for (double x = area.left(); x < area.right(); x += 1.0) {
        const float hz = profile->pitchHz.at(secondsAt(x));
        if (!isMeasured(hz)) {
            begun = false;
            continue;
        }
        const double key = keyFromHz(hz) - document_.performance().tuningCents / 100.0;
        const QPointF point(x, area.top() + (highestKey_ - key + 0.5) * row);
        begun ? path.lineTo(point) : path.moveTo(point);
        begun = true;
    }
    QColor color = theme().reference;
    color.setAlphaF(0.65f);
    painter.setPen(QPen(color, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
}

void NoteEditor::paintNotes(QPainter& painter) {
    const Theme& t = theme();
    auto notes = document_.performance().notes;
    if (noteDrag_) notes = changed(noteDrag_->notes, changes_);
    const bool tight = barOf({0.0, 1.0, 60, 0.0, 100.0}).height() < 11.0;
    painter.setFont(interfaceFont(tight ? 6.5 : 8, QFont::DemiBold));
    for (std::size_t i = 0; i < notes.size(); ++i) {
        const QRectF bar = barOf(notes[i]);
        const bool chosen =
            noteDrag_ && !changes_.empty()
                ? std::any_of(changes_.begin(), changes_.end(), [&](const auto& c) { return c.to == notes[i]; })
                : notes_.chosen().contains(static_cast<int>(i));
        QColor fill = t.note;
        fill.setAlphaF(static_cast<float>(0.35 + 0.65 * notes[i].velocity / 127.0)); // the louder the darker
        painter.setPen(chosen ? QPen(t.ink, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(chosen ? t.selected : fill);
        painter.drawRoundedRect(bar, 2.5, 2.5);
        if (bar.height() < 7.0 || bar.width() < 24.0) continue;
        painter.setPen(chosen || notes[i].velocity < 50.0 ? t.ink : t.card);
        painter.drawText(bar.adjusted(4, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                         QString::fromStdString(nameOfKey(notes[i].key)));
    }
    if (drag_ == Drag::frame) {
        QColor inside = t.selected;
        inside.setAlphaF(0.5f);
        painter.setPen(QPen(t.reference, 1, Qt::DashLine));
        painter.setBrush(inside);
        painter.drawRect(QRectF(from_, to_).normalized());
    }
}

/// The notes as another reading has them.
void NoteEditor::paintOutlined(QPainter& painter) {
    const auto outlined = notes_.outlined();
    if (!outlined || noteDrag_) return;
    painter.setPen(QPen(theme().ink, 1.2, Qt::DotLine));
    painter.setBrush(Qt::NoBrush);
    for (const Note& note : document_.excerpt()->readings[*outlined].notes)
        painter.drawRoundedRect(barOf(note).adjusted(0.5, 0.5, -0.5, -0.5), 2.5, 2.5);
}

void NoteEditor::paintLane(QPainter& painter) {
    const Theme& t = theme();
    const QRectF area = laneRect();
    if (lane_ == velocityLane) {
        auto notes = document_.performance().notes;
        if (noteDrag_) notes = changed(noteDrag_->notes, changes_);
        for (std::size_t i = 0; i < notes.size(); ++i) {
            const bool chosen = notes_.chosen().contains(static_cast<int>(i));
            const QPointF head(mirror_.xAt(notes[i].start), laneY(notes[i].velocity));
            painter.setPen(QPen(chosen ? t.ink : t.note, 2));
            painter.drawLine(head, QPointF(head.x(), area.bottom() - 2));
            painter.setBrush(chosen ? t.ink : t.note);
            painter.drawEllipse(head, 3.5, 3.5);
        }
        return;
    }
    const auto points = drag_ == Drag::point ? draggedPoints_ : lanePoints();
    if (points.empty()) {
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(9));
        painter.drawText(area, Qt::AlignCenter,
                         tr("Click to set points of the curve: straight lines between, double-click takes one away"));
        return;
    }
    if (lane_ == bendLane) {
        painter.setPen(QPen(t.line, 1));
        painter.drawLine(QPointF(area.left(), laneY(0.0)), QPointF(area.right(), laneY(0.0)));
    }
    QPolygonF line;
    line << QPointF(area.left(), laneY(valueAt(points, secondsAt(area.left()))));
    for (const CurvePoint& p : points) line << QPointF(mirror_.xAt(p.seconds), laneY(p.value));
    line << QPointF(area.right(), laneY(points.back().value));
    painter.setPen(QPen(t.ink, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(line);
    painter.setFont(interfaceFont(8));
    for (std::size_t i = 0; i < points.size(); ++i) {
        const QPointF at(mirror_.xAt(points[i].seconds), laneY(points[i].value));
        painter.setPen(QPen(t.ink, 1));
        painter.setBrush(static_cast<int>(i) == heldPoint_ ? t.ink : t.card);
        painter.drawEllipse(at, 3.5, 3.5);
        if (static_cast<int>(i) != heldPoint_) continue;
        painter.setPen(t.ink);
        const double right = at.x() > area.right() - 70 ? -74.0 : 7.0;
        painter.drawText(QRectF(at.x() + right, std::max(area.top(), at.y() - 14), 68, 13),
                         right < 0 ? Qt::AlignRight : Qt::AlignLeft, laneText(points[i].value));
    }
}

} // namespace facet
