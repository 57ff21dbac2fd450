#include "app/views/patch/partials_editor.h"

#include "app/session/document/document_store.h"
#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double sideMargin = 8.0, roomForWords = 20.0, roomBelow = 16.0;
constexpr double lowestShownDb = -72.0; ///< at the bottom, and absent below it

} // namespace

PartialsEditor::PartialsEditor(DocumentStore& document, std::string path, QWidget* parent)
    : QWidget(parent), document_(document), path_(std::move(path)) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(220);
    setFixedHeight(sizeHint().height());
    setObjectName(QString::fromStdString("partials " + path_));
    setAccessibleName(tr("Partials"));
}

PartialLevels PartialsEditor::levels() const {
    const auto* module = document_.cue() ? document_.cue()->patch.find(path_) : nullptr;
    return module ? module->contents().partialsDb : PartialLevels();
}

QString PartialsEditor::words() const {
    const double db = partialLevel(levels(), chosen_);
    return tr("partial %1: %2")
        .arg(chosen_)
        .arg(db <= absentPartialDb ? tr("absent") : tr("%1 dB").arg(db, 0, 'f', 1).replace('-', QChar(0x2212)));
}

void PartialsEditor::refresh() {
    setAccessibleDescription(words());
    update();
}

QPointF PartialsEditor::placeOf(int n, double db) const {
    const double wide = (width() - 2 * sideMargin) / tablePartials;
    const double share = std::clamp((db - lowestShownDb) / -lowestShownDb, 0.0, 1.0);
    return {sideMargin + wide * (n - 0.5), height() - roomBelow - share * (height() - roomBelow - roomForWords)};
}

int PartialsEditor::partialAt(double x) const {
    return std::clamp(static_cast<int>((x - sideMargin) / (width() - 2 * sideMargin) * tablePartials) + 1, 1,
                      tablePartials);
}

double PartialsEditor::levelAt(double y) const {
    const double share = (height() - roomBelow - y) / (height() - roomBelow - roomForWords);
    return share < 0.01 ? absentPartialDb
                        : std::round(10.0 * (lowestShownDb - std::min(share, 1.0) * lowestShownDb)) / 10.0;
}

void PartialsEditor::take(const PartialLevels& levels) {
    document_.editCue(
        tr("Draw partials"),
        [&](Cue& cue) {
            ModuleData held = cue.patch.find(path_)->contents();
            held.partialsDb = levels;
            cue.patch.setData(path_, held);
        },
        QString("partials %1 %2").arg(QString::fromStdString(path_)).arg(stroke_));
    refresh();
}

/// All partials that the stroke passes, on a line from where it was.
void PartialsEditor::drawTo(QPointF at, bool away) {
    const int to = partialAt(at.x());
    const double db = away ? absentPartialDb : levelAt(at.y());
    PartialLevels drawn = levels();
    const int from = last_ == 0 ? to : last_;
    for (int n = std::min(from, to); n <= std::max(from, to); ++n) {
        const double share = to == from ? 1.0 : static_cast<double>(n - from) / (to - from);
        const bool absent = db <= absentPartialDb || (lastDb_ <= absentPartialDb && n != to);
        drawn = withPartial(drawn, n, absent ? absentPartialDb : lastDb_ + share * (db - lastDb_));
    }
    if (to == from) drawn = withPartial(drawn, to, db);
    last_ = chosen_ = to;
    lastDb_ = db;
    take(drawn);
}

void PartialsEditor::mousePressEvent(QMouseEvent* event) {
    setFocus(Qt::MouseFocusReason);
    ++stroke_;
    last_ = 0;
    drawTo(event->position(), event->button() == Qt::RightButton);
}

void PartialsEditor::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & (Qt::LeftButton | Qt::RightButton))
        drawTo(event->position(), event->buttons() & Qt::RightButton);
}

void PartialsEditor::keyPressEvent(QKeyEvent* event) {
    const auto choose = [&](int n) {
        chosen_ = std::clamp(n, 1, tablePartials);
        ++stroke_;
        refresh();
    };
    const auto move = [&](double by) {
        const double now = partialLevel(levels(), chosen_);
        take(withPartial(levels(), chosen_, now <= absentPartialDb ? lowestShownDb + 12.0 : now + by));
    };
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0;
    switch (event->key()) {
    case Qt::Key_Left: choose(chosen_ - 1); break;
    case Qt::Key_Right: choose(chosen_ + 1); break;
    case Qt::Key_Home: choose(1); break;
    case Qt::Key_End: choose(tablePartials); break;
    case Qt::Key_Up: move(step); break;
    case Qt::Key_Down: move(-step); break;
    case Qt::Key_PageUp: move(6.0); break;
    case Qt::Key_PageDown: move(-6.0); break;
    case Qt::Key_Delete: take(withPartial(levels(), chosen_, absentPartialDb)); break;
    default: QWidget::keyPressEvent(event);
    }
}

void PartialsEditor::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(hasFocus() ? t.reference : t.line, 1.0));
    painter.setBrush(t.card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    painter.setFont(interfaceFont(7.5));
    for (double db : {-24.0, -48.0}) {
        const double y = placeOf(1, db).y();
        painter.setPen(t.line);
        painter.drawLine(QPointF(sideMargin, y), QPointF(width() - sideMargin, y));
        painter.setPen(t.quiet);
        painter.drawText(QRectF(width() - 56, y - 12, 48, 11), Qt::AlignRight,
                         tr("%1 dB").arg(db).replace('-', QChar(0x2212)));
    }
    const PartialLevels shown = levels();
    const double wide = (width() - 2 * sideMargin) / tablePartials;
    for (int n = 1; n <= tablePartials; ++n) {
        const bool chosen = n == chosen_ && hasFocus();
        const QPointF top = placeOf(n, partialLevel(shown, n));
        const double bottom = height() - roomBelow;
        const QRectF bar(top.x() - 0.35 * wide, top.y(), 0.7 * wide, std::max(1.0, bottom - top.y()));
        painter.fillRect(bar, chosen ? t.reference : partialLevel(shown, n) <= absentPartialDb ? t.line : t.ink);
    }
    painter.setPen(t.quiet);
    for (int n : {1, 8, 16, 32, 48, 64})
        painter.drawText(QRectF(placeOf(n, 0).x() - 12, height() - 14, 24, 12), Qt::AlignCenter, QString::number(n));
    painter.setFont(interfaceFont(8.5));
    painter.drawText(QRectF(8, 2, width() - 16, 16), Qt::AlignLeft | Qt::AlignVCenter, words());
}

} // namespace facet

#include "moc_partials_editor.cpp"
