#include "app/views/notes/piano_keys.h"

#include "app/views/common/theme.h"

#include <QAccessible>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double keyHeight = 13.0, labelWidth = 66.0;
constexpr int rows = static_cast<int>(PianoKeys::velocities.size());

int whitesBelow(int key) { // since the lowest key, which is a C
    static constexpr int within[] = {0, 1, 1, 2, 2, 3, 4, 4, 5, 5, 6, 6};
    return 7 * ((key - PianoKeys::lowestKey) / 12) + within[(key - PianoKeys::lowestKey) % 12];
}

/// The row whose velocity is nearest.
int rowOf(double velocity) {
    int best = 0;
    for (int row = 1; row < rows; ++row)
        if (std::abs(PianoKeys::velocities[static_cast<std::size_t>(row)] - velocity) <
            std::abs(PianoKeys::velocities[static_cast<std::size_t>(best)] - velocity))
            best = row;
    return best;
}

} // namespace

PianoKeys::PianoKeys(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(600);
    setFixedHeight(sizeHint().height());
    setObjectName("piano");
    setAccessibleName(tr("Keys of the patch"));
    choose(chosen_, chosenRow_);
}

bool PianoKeys::isBlack(int key) {
    const int step = key % 12;
    return step == 1 || step == 3 || step == 6 || step == 8 || step == 10;
}

void PianoKeys::setPhrase(const std::vector<Note>& notes) {
    std::array<Keys, velocities.size()> covered;
    for (const Note& note : notes)
        if (note.key >= 0 && note.key < 128)
            covered[static_cast<std::size_t>(rowOf(note.velocity))].set(place(note.key));
    if (covered == covered_) return;
    covered_ = covered;
    update();
}

void PianoKeys::setDown(int key, bool down) {
    if (key < 0 || key > 127 || down_.test(place(key)) == down) return;
    down_.set(place(key), down);
    update();
}

void PianoKeys::allUp() {
    down_.reset();
    update();
}

QRectF PianoKeys::keyRect(int key) const {
    const int whites = whitesBelow(highestKey) + 1;
    const double wide = (width() - labelWidth) / whites;
    const double top = rows * keyHeight + 4.0, high = height() - top - 1.0;
    const double left = labelWidth + whitesBelow(key) * wide;
    if (!isBlack(key)) return {left, top, wide, high};
    return {left - 0.31 * wide, top, 0.62 * wide, 0.6 * high};
}

QRectF PianoKeys::cellRect(int key, int row) const {
    const double wide = (width() - labelWidth) / (whitesBelow(highestKey) + 1) * 7.0 / 12.0;
    const int octave = (key - lowestKey) / 12;
    const double left = keyRect(lowestKey + 12 * octave).left() + (key - lowestKey - 12 * octave) * wide;
    return QRectF(left, (rows - 1 - row) * keyHeight, wide, keyHeight).adjusted(1, 1, -1, -1); // hard on top
}

int PianoKeys::rowAt(QPointF at) const {
    const int row = rows - 1 - static_cast<int>(std::floor(at.y() / keyHeight));
    return row >= 0 && row < rows && at.y() >= 0.0 ? row : rows;
}

int PianoKeys::keyAt(QPointF at) const {
    const int row = rowAt(at);
    int found = -1;
    for (int key = lowestKey; key <= highestKey; ++key) {
        const QRectF rect = row < rows ? cellRect(key, row).adjusted(-1, -1, 1, 1) : keyRect(key);
        if (rect.contains(at) && (found < 0 || isBlack(key))) found = key;
    }
    return found;
}

double PianoKeys::velocityAt(int key, QPointF at) const {
    const QRectF rect = keyRect(key);
    return std::clamp(std::round(30.0 + 97.0 * (at.y() - rect.top()) / rect.height()), 1.0, 127.0);
}

QString PianoKeys::words(int key, int row) const {
    const QString name = QString::fromStdString(nameOfKey(key));
    if (row >= rows) return tr("%1: press to play").arg(name);
    const QString loud = row == 0 ? tr("softly") : row == 1 ? tr("at medium velocity") : tr("hard");
    return covers(key, row) ? tr("%1 %2: the phrase plays it").arg(name, loud)
                            : tr("%1 %2: the phrase does not show it; click to hear").arg(name, loud);
}

void PianoKeys::choose(int key, int row) {
    chosen_ = std::clamp(key, lowestKey, highestKey);
    chosenRow_ = std::clamp(row, 0, rows);
    setAccessibleDescription(words(chosen_, chosenRow_));
    QAccessibleEvent changed(this, QAccessible::DescriptionChanged);
    QAccessible::updateAccessibility(&changed);
    update();
}

void PianoKeys::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    paintCells(painter);
    paintKeys(painter);
}

void PianoKeys::paintCells(QPainter& painter) const {
    painter.setFont(interfaceFont(8.0));
    for (int row = 0; row < rows; ++row) {
        const QString name = row == 0 ? tr("soft 40") : row == 1 ? tr("medium 80") : tr("hard 120");
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(0, (rows - 1 - row) * keyHeight, labelWidth - 6, keyHeight),
                         Qt::AlignRight | Qt::AlignVCenter, name);
        for (int key = lowestKey; key <= highestKey; ++key) {
            const QRectF cell = cellRect(key, row);
            const bool chosen = hasFocus() && key == chosen_ && row == chosenRow_;
            painter.setPen(chosen ? QPen(theme().ink, 1.5) : QPen(Qt::NoPen));
            painter.setBrush(covers(key, row) ? theme().reference : theme().card);
            painter.drawRect(cell);
            if (key % 12 != 0) continue;
            painter.setPen(QPen(theme().line, 2.0)); // an octave begins
            painter.drawLine(cell.topLeft() - QPointF(1, 1), cell.bottomLeft() + QPointF(-1, 1));
        }
    }
}

void PianoKeys::paintKeys(QPainter& painter) const {
    painter.setFont(interfaceFont(7.5));
    for (const bool black : {false, true})
        for (int key = lowestKey; key <= highestKey; ++key) {
            if (isBlack(key) != black) continue;
            const QRectF rect = keyRect(key);
            const bool chosen = hasFocus() && key == chosen_ && chosenRow_ == rows;
            painter.setPen(chosen ? QPen(theme().ink, 2.0) : QPen(theme().line, 1.0));
            // The long keys are the lighter ones in either theme.
            const QColor light = theme().dark ? theme().quiet : theme().card;
            const QColor dark = theme().dark ? theme().paper : theme().ink;
            painter.setBrush(down_.test(place(key)) ? theme().render : black ? dark : light);
            painter.drawRect(rect);
            if (key % 12 != 0) continue;
            painter.setPen(theme().dark || down_.test(place(key)) ? theme().card : theme().quiet);
            painter.drawText(rect.adjusted(0, 0, 0, -3), Qt::AlignHCenter | Qt::AlignBottom,
                             QString::fromStdString(nameOfKey(key)));
        }
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(8.0));
    painter.drawText(QRectF(0, rows * keyHeight + 6, labelWidth - 6, 36),
                     Qt::AlignRight | Qt::AlignTop | Qt::TextWordWrap, tr("filled: in\nthe phrase"));
}

void PianoKeys::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const int key = keyAt(event->position());
    if (key < 0) return;
    const int row = rowAt(event->position());
    choose(key, row);
    if (row < rows) {
        emit wanted(key, velocities[static_cast<std::size_t>(row)]);
        return;
    }
    held_ = key;
    setDown(key, true);
    emit pressed(key, velocityAt(key, event->position()));
}

void PianoKeys::mouseMoveEvent(QMouseEvent* event) {
    if (held_ < 0 || rowAt(event->position()) < rows) return;
    const int key = keyAt(event->position());
    if (key < 0 || key == held_) return;
    const int before = std::exchange(held_, key);
    setDown(key, true);
    setDown(before, false);
    emit pressed(key, velocityAt(key, event->position())); // first: the notes overlap, as fingers do
    emit released(before);
}

void PianoKeys::mouseReleaseEvent(QMouseEvent*) {
    if (held_ < 0) return;
    setDown(held_, false);
    emit released(std::exchange(held_, -1));
}

void PianoKeys::keyPressEvent(QKeyEvent* event) {
    const int step = event->modifiers() & Qt::ShiftModifier ? 12 : 1;
    switch (event->key()) {
    case Qt::Key_Left: choose(chosen_ - step, chosenRow_); break;
    case Qt::Key_Right: choose(chosen_ + step, chosenRow_); break;
    case Qt::Key_Up:
        choose(chosen_, chosenRow_ == rows ? 0 : chosenRow_ + 1 == rows ? chosenRow_ : chosenRow_ + 1);
        break;
    case Qt::Key_Down: choose(chosen_, chosenRow_ == 0 ? rows : chosenRow_ == rows ? rows : chosenRow_ - 1); break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        emit wanted(chosen_, chosenRow_ < rows ? velocities[static_cast<std::size_t>(chosenRow_)] : 100.0);
        break;
    default: QWidget::keyPressEvent(event); return;
    }
}

bool PianoKeys::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int key = keyAt(help->pos());
        if (key >= 0)
            QToolTip::showText(help->globalPos(), words(key, rowAt(help->pos())), this);
        else
            QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

} // namespace facet

#include "moc_piano_keys.cpp"
