#include "app/views/patch/curve_editor.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double margin = 9.0, roomAbove = 20.0, reach = 14.0;

} // namespace

CurveEditor::CurveEditor(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), path_(std::move(path)) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(220);
    setFixedHeight(sizeHint().height());
    setMouseTracking(true);
    setObjectName(QString::fromStdString("curve " + path_));
}

void CurveEditor::refresh() {
    const auto all = handles();
    if (!all.empty()) {
        chosen_ = std::clamp(chosen_, 0, static_cast<int>(all.size()) - 1);
        setAccessibleDescription(all[static_cast<std::size_t>(chosen_)].text);
    }
    update();
}

QPointF CurveEditor::toWidget(QPointF place) const {
    return {margin + (width() - 2 * margin) * place.x(),
            height() - margin - (height() - margin - roomAbove) * place.y()};
}

QPointF CurveEditor::toPlace(QPointF at) const {
    return {std::clamp((at.x() - margin) / (width() - 2 * margin), 0.0, 1.0),
            std::clamp((height() - margin - at.y()) / (height() - margin - roomAbove), 0.0, 1.0)};
}

void CurveEditor::paintEvent(QPaintEvent*) {
    if (!document_.cue() || !document_.cue()->patch.find(path_)) return;
    const Theme& t = theme();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(hasFocus() ? t.reference : t.line, 1.0));
    painter.setBrush(t.card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    paintBehind(painter);
    const auto drawn = [&](const QPolygonF& line) {
        QPolygonF polygon;
        for (const QPointF& p : line) polygon << toWidget(p);
        painter.drawPolyline(polygon);
    };
    painter.setBrush(Qt::NoBrush);
    painter.setClipRect(rect().adjusted(1, 1, -1, -1));
    painter.setPen(QPen(t.quiet, 1.0, Qt::DashLine));
    drawn(shadow());
    painter.setPen(QPen(t.ink, 1.6));
    drawn(curve());
    painter.setClipping(false);
    const auto all = handles();
    for (std::size_t i = 0; i < all.size(); ++i) {
        const bool chosen = static_cast<int>(i) == chosen_ && hasFocus();
        const double radius = all[i].small ? 3.0 : 4.5;
        painter.setPen(QPen(chosen ? t.reference : t.ink, 1.5));
        painter.setBrush(chosen ? t.reference : t.card);
        painter.drawEllipse(toWidget(all[i].place), radius, radius);
    }
    if (all.empty()) return;
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    painter.drawText(QRectF(8, 2, width() - 16, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     all[static_cast<std::size_t>(std::clamp(chosen_, 0, static_cast<int>(all.size()) - 1))].text);
}

int CurveEditor::nearestHandle(QPointF at) const {
    const auto all = handles();
    int best = -1;
    double least = reach;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QPointF away = toWidget(all[i].place) - at;
        const double distance = std::hypot(away.x(), away.y()) + (all[i].small ? 1.0 : 0.0); // large ones first
        if (distance < least) {
            least = distance;
            best = static_cast<int>(i);
        }
    }
    return best;
}

void CurveEditor::choose(int index) {
    const int count = handleCount();
    if (count == 0) return;
    chosen_ = std::clamp(index, 0, count - 1);
    refresh();
}

void CurveEditor::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    const int found = nearestHandle(event->position());
    dragging_ = found >= 0;
    if (dragging_) choose(found);
}

void CurveEditor::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) {
        setCursor(nearestHandle(event->position()) >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
        return;
    }
    moveHandle(chosen_, toPlace(event->position()), event->modifiers() & Qt::ShiftModifier);
    refresh();
}

void CurveEditor::mouseReleaseEvent(QMouseEvent*) { dragging_ = false; }

void CurveEditor::mouseDoubleClickEvent(QMouseEvent* event) {
    if (nearestHandle(event->position()) >= 0) return;
    if (const int added = addHandle(toPlace(event->position())); added >= 0) choose(added);
}

void CurveEditor::keyPressEvent(QKeyEvent* event) {
    const auto all = handles();
    const auto at = static_cast<std::size_t>(std::clamp(chosen_, 0, std::max(0, static_cast<int>(all.size()) - 1)));
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    const auto move = [&](double x, double y) {
        if (all.empty()) return;
        const QPointF step = fine ? QPointF(0.001, 0.002) : keyStep();
        const QPointF to = all[at].place + QPointF(x * step.x(), y * step.y());
        moveHandle(static_cast<int>(at), {std::clamp(to.x(), 0.0, 1.0), std::clamp(to.y(), 0.0, 1.0)}, fine);
        refresh();
    };
    switch (event->key()) {
    case Qt::Key_Left: move(-1, 0); break;
    case Qt::Key_Right: move(1, 0); break;
    case Qt::Key_Up: move(0, 1); break;
    case Qt::Key_Down: move(0, -1); break;
    case Qt::Key_PageDown: choose(chosen_ + 1); break;
    case Qt::Key_PageUp: choose(chosen_ - 1); break;
    case Qt::Key_Insert: {
        // Between the chosen one and the next.
        QPointF place(0.5, 0.5);
        if (!all.empty()) place = (all[at].place + (at + 1 < all.size() ? all[at + 1].place : QPointF(1.0, 0.5))) / 2.0;
        if (const int added = addHandle(place); added >= 0) choose(added);
        break;
    }
    case Qt::Key_Delete:
        if (!all.empty()) removeHandle(static_cast<int>(at));
        refresh();
        break;
    default: QWidget::keyPressEvent(event);
    }
}

} // namespace facet

#include "moc_curve_editor.cpp"
