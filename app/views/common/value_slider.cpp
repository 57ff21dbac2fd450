#include "app/views/common/value_slider.h"

#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr int steps = 1000;
constexpr double knobReach = 4.0;

} // namespace

ValueSlider::ValueSlider(QWidget* parent) : QSlider(Qt::Horizontal, parent) {
    setRange(0, steps);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(60);
    setFixedHeight(18);
}

void ValueSlider::moveTo(double position) {
    position = std::clamp(position, 0.0, 1.0);
    setValue(static_cast<int>(std::lround(position * steps)));
    emit moved(position);
}

void ValueSlider::markRange(double low, double high) {
    markLow_ = low;
    markHigh_ = high;
    update();
}

void ValueSlider::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const double y = height() / 2.0;
    const double x = knobReach + (width() - 2 * knobReach) * value() / steps;
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.line);
    painter.drawRoundedRect(QRectF(knobReach, y - 1.5, width() - 2 * knobReach, 3), 1.5, 1.5);
    if (markHigh_ > markLow_) {
        painter.setBrush(t.reference);
        const double wide = width() - 2 * knobReach;
        painter.drawRect(QRectF(knobReach + wide * markLow_, y + 4.5, wide * (markHigh_ - markLow_), 2));
    }
    painter.setBrush(isEnabled() ? t.quiet : t.line);
    painter.drawRoundedRect(QRectF(knobReach, y - 1.5, x - knobReach, 3), 1.5, 1.5);
    painter.setBrush(!isEnabled() ? t.line : hasFocus() ? t.reference : t.ink);
    painter.drawRoundedRect(QRectF(x - 2, y - 6, 4, 12), 1.5, 1.5);
}

void ValueSlider::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus(Qt::MouseFocusReason);
    const double position = (event->position().x() - knobReach) / (width() - 2 * knobReach);
    if (!(event->modifiers() & Qt::ShiftModifier)) moveTo(position);
    dragStart_ = event->position().x();
    dragValue_ = static_cast<double>(value()) / steps;
}

void ValueSlider::mouseMoveEvent(QMouseEvent* event) {
    if (!(event->buttons() & Qt::LeftButton)) return;
    const double fine = event->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0;
    moveTo(dragValue_ + fine * (event->position().x() - dragStart_) / (width() - 2 * knobReach));
}

void ValueSlider::mouseDoubleClickEvent(QMouseEvent*) { emit defaultWanted(); }

void ValueSlider::keyPressEvent(QKeyEvent* event) {
    const double now = static_cast<double>(value()) / steps;
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.001 : 0.01;
    switch (event->key()) {
    case Qt::Key_Right:
    case Qt::Key_Up: moveTo(now + step); break;
    case Qt::Key_Left:
    case Qt::Key_Down: moveTo(now - step); break;
    case Qt::Key_PageUp: moveTo(now + 0.1); break;
    case Qt::Key_PageDown: moveTo(now - 0.1); break;
    case Qt::Key_Home: moveTo(0.0); break;
    case Qt::Key_End: moveTo(1.0); break;
    default: QSlider::keyPressEvent(event);
    }
}

void ValueSlider::wheelEvent(QWheelEvent* event) {
    if (!hasFocus()) { // scrolling past must not change anything
        event->ignore();
        return;
    }
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.001 : 0.01;
    moveTo(static_cast<double>(value()) / steps + step * event->angleDelta().y() / 120.0);
    event->accept();
}

} // namespace facet

#include "moc_value_slider.cpp"
