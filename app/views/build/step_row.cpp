#include "app/views/build/step_row.h"

#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QPainter>
#include <QTextLayout>
#include <cmath>

namespace facet {

namespace {

constexpr int rowHeight = 56, numberWidth = 34, wayWidth = 96, margin = 8;

} // namespace

StepRow::StepRow(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(rowHeight);
    setCursor(Qt::PointingHandCursor);
}

void StepRow::show(const StepRowWords& words, bool current) {
    words_ = words;
    current_ = current;
    const QString way = words.number.isEmpty() ? tr("likeness %1").arg(std::lround(words.to))
                        : words.apart ? tr("without it %1 → %2").arg(std::lround(words.from)).arg(std::lround(words.to))
                                      : tr("likeness %1 → %2").arg(std::lround(words.from)).arg(std::lround(words.to));
    setAccessibleName(words.number.isEmpty() ? words.title : tr("Step %1: %2").arg(words.number, words.title));
    setAccessibleDescription(way);
    setToolTip(words.title + "\n" + way);
    update();
}

void StepRow::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    painter.setPen(QPen(hasFocus() ? t.reference : current_ ? t.ink : t.line, hasFocus() ? 1.4 : 1.0));
    painter.setBrush(current_ ? t.selected : t.card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.7, 0.7, -0.7, -3.0), 5, 5);
    painter.setPen(words_.hidden ? t.quiet : t.ink);
    painter.setFont(interfaceFont(13, QFont::DemiBold));
    painter.drawText(QRectF(margin, 0, numberWidth - margin, rowHeight - 3), Qt::AlignVCenter | Qt::AlignLeft,
                     words_.number.isEmpty() ? QString::fromUtf8("–") : words_.number);

    const int left = numberWidth, room = width() - left - wayWidth - 2 * margin;
    painter.setFont(interfaceFont(9.5, current_ ? QFont::DemiBold : QFont::Normal));
    // Two lines at most; the second ends with dots where there is more.
    QTextLayout layout(words_.title, painter.font());
    layout.beginLayout();
    const QTextLine first = [&] {
        QTextLine line = layout.createLine();
        if (line.isValid()) line.setLineWidth(room);
        return line;
    }();
    const int length = first.isValid() ? first.textLength() : 0;
    layout.endLayout();
    const QString upper = words_.title.left(length).trimmed(), lower = words_.title.mid(length).trimmed();
    const double line = painter.fontMetrics().height();
    const double top = (rowHeight - 3 - (lower.isEmpty() ? line : 2 * line)) / 2.0;
    painter.drawText(QRectF(left, top, room, line), Qt::AlignLeft | Qt::AlignVCenter, upper);
    painter.drawText(QRectF(left, top + line, room, line), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(lower, Qt::ElideRight, room));

    // The way along the scale: what was there, what came or went.
    const QRectF way(width() - wayWidth - margin, rowHeight / 2.0 + 6, wayWidth, 5);
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.line);
    painter.drawRoundedRect(way, 2.5, 2.5);
    const auto at = [&](double likeness) { return way.left() + way.width() * likeness / 100.0; };
    const double low = std::min(words_.from, words_.to), high = std::max(words_.from, words_.to);
    painter.setBrush(t.quiet);
    painter.drawRoundedRect(QRectF(way.left(), way.top(), at(low) - way.left(), way.height()), 2.5, 2.5);
    painter.setBrush(words_.to >= words_.from ? t.good : t.render);
    painter.drawRoundedRect(QRectF(at(low), way.top(), at(high) - at(low), way.height()), 2.5, 2.5);
    painter.setPen(words_.hidden ? t.quiet : t.ink);
    painter.setFont(interfaceFont(9));
    painter.drawText(QRectF(way.left(), rowHeight / 2.0 - 15, wayWidth, 16), Qt::AlignRight | Qt::AlignVCenter,
                     words_.hidden ? tr("hidden")
                     : words_.number.isEmpty()
                         ? QString::number(std::lround(words_.to))
                         : QString::fromUtf8("%1 → %2").arg(std::lround(words_.from)).arg(std::lround(words_.to)));
}

void StepRow::mousePressEvent(QMouseEvent*) {
    setFocus(Qt::MouseFocusReason);
    emit chosen();
}

void StepRow::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Up: emit stepWanted(-1); break;
    case Qt::Key_Down: emit stepWanted(1); break;
    case Qt::Key_Left: emit hearWanted(true); break;
    case Qt::Key_Right: emit hearWanted(false); break;
    case Qt::Key_Return:
    case Qt::Key_Enter: emit chosen(); break;
    default: QWidget::keyPressEvent(event);
    }
}

void StepRow::focusInEvent(QFocusEvent* event) {
    QWidget::focusInEvent(event);
    update();
}
void StepRow::focusOutEvent(QFocusEvent* event) {
    QWidget::focusOutEvent(event);
    update();
}

} // namespace facet

#include "moc_step_row.cpp"
