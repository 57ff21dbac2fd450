#include "app/views/facets/next_moves_view.h"

#include "app/session/document/document_store.h"
#include "app/session/matching/next_moves_controller.h"
#include "app/views/facets/facet_card.h"
#include "app/views/common/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

namespace {

constexpr std::size_t mostMoves = 5;
constexpr int moveHeight = 36, buttonsWidth = 94;

QString gainOf(const NextMoves& moves, const Move& move) {
    return MovesView::tr("%1 %2 → %3, whole %4 → %5")
        .arg(nameOf(move.facet))
        .arg(std::lround(move.facetBefore))
        .arg(std::lround(move.facetAfter))
        .arg(std::lround(moves.before))
        .arg(std::lround(move.likeness));
}

} // namespace

// ---- one row ----

MoveRow::MoveRow(QWidget* parent) : QWidget(parent), hear_(new QToolButton(this)), take_(new QToolButton(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(moveHeight);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 4, 0);
    layout->setSpacing(2);
    layout->addStretch(1);
    hear_->setText(tr("Hear"));
    hear_->setCheckable(true);
    take_->setText(tr("Take"));
    for (QToolButton* button : {hear_, take_}) {
        button->setObjectName("flat");
        button->setAutoRaise(true);
        button->setMaximumHeight(22);
        button->setMaximumWidth(48);
        layout->addWidget(button);
    }
    connect(hear_, &QToolButton::clicked, this, &MoveRow::hearWanted);
    connect(take_, &QToolButton::clicked, this, &MoveRow::takeWanted);
}

void MoveRow::show(const QString& what, const QString& gain, bool heard, bool best) {
    what_ = what;
    gain_ = gain;
    best_ = best;
    hear_->setChecked(heard);
    hear_->setText(heard ? tr("Back") : tr("Hear"));
    hear_->setAccessibleName(tr("Hear: %1").arg(what));
    hear_->setToolTip(heard ? tr("Hear the patch as it stands again (Left)")
                            : tr("Hear the phrase with this change, at the same loudness (Right)"));
    take_->setAccessibleName(tr("Take: %1").arg(what));
    take_->setToolTip(tr("Make this change (Return); one step of undo"));
    setAccessibleName(what);
    setAccessibleDescription(gain);
    setToolTip(what + "\n" + gain);
    update();
}

void MoveRow::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    painter.setPen(QPen(hasFocus() ? t.reference : t.line, hasFocus() ? 1.4 : 1.0));
    painter.setBrush(t.card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.7, 0.7, -0.7, -2.0), 4, 4);
    const int room = width() - 8 - buttonsWidth;
    painter.setPen(t.ink);
    painter.setFont(interfaceFont(9.0, best_ ? QFont::DemiBold : QFont::Normal));
    painter.drawText(QRectF(8, 2, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(what_, Qt::ElideRight, room));
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    painter.drawText(QRectF(8, 17, room, 15), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(gain_, Qt::ElideRight, room));
}

void MoveRow::keyPressEvent(QKeyEvent* event) {
    switch (event->key()) {
    case Qt::Key_Up: emit stepWanted(-1); break;
    case Qt::Key_Down: emit stepWanted(1); break;
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (hear_->isChecked() != (event->key() == Qt::Key_Right)) emit hearWanted();
        break;
    case Qt::Key_Return:
    case Qt::Key_Enter: emit takeWanted(); break;
    default: QWidget::keyPressEvent(event);
    }
}

void MoveRow::mouseDoubleClickEvent(QMouseEvent*) { emit takeWanted(); }
void MoveRow::focusInEvent(QFocusEvent* event) {
    QWidget::focusInEvent(event);
    update();
}
void MoveRow::focusOutEvent(QFocusEvent* event) {
    QWidget::focusOutEvent(event);
    update();
}

// ---- the list ----

MovesView::MovesView(DocumentStore& document, NextMovesController& nextMoves, QWidget* parent)
    : QWidget(parent), document_(document), nextMoves_(nextMoves), title_(new QLabel(tr("Next moves"), this)),
      state_(new QLabel(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 6);
    layout->setSpacing(2);
    title_->setObjectName("heading");
    title_->setFont(interfaceFont(10.5, QFont::DemiBold));
    auto* head = new QHBoxLayout;
    head->addWidget(title_);
    state_->setObjectName("quiet");
    state_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    head->addWidget(state_, 1);
    layout->addLayout(head);
    for (std::size_t i = 0; i < mostMoves; ++i) {
        auto* row = new MoveRow(this);
        row->hide();
        rows_.push_back(row);
        layout->addWidget(row);
        const int index = static_cast<int>(i);
        connect(row, &MoveRow::hearWanted, this, [this, index] { hear(index == heard_ ? -1 : index); });
        connect(row, &MoveRow::takeWanted, this, [this, index] { take(index); });
        connect(row, &MoveRow::stepWanted, this, [this, index](int by) {
            const int to = index + by;
            if (to >= 0 && to < static_cast<int>(rows_.size()) && rows_[static_cast<std::size_t>(to)]->isVisible())
                rows_[static_cast<std::size_t>(to)]->setFocus(Qt::TabFocusReason);
        });
    }
    connect(&nextMoves_, &NextMovesController::changed, this, [this] {
        // A refined list may order them anew; what is heard goes by its patch.
        if (heard_ >= 0) hear(-1);
        refresh();
    });
    connect(&document_, &DocumentStore::changed, this, [this] {
        heard_ = -1; // an edit is heard at once
        refresh();
    });
}

void MovesView::hear(int index) {
    heard_ = index;
    nextMoves_.hear(index);
    refresh();
}

void MovesView::take(int index) {
    heard_ = -1;
    nextMoves_.take(index);
}

void MovesView::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    nextMoves_.want(true);
}

void MovesView::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    nextMoves_.want(false);
}

void MovesView::refresh() {
    const NextMoves& moves = nextMoves_.moves();
    const auto state = nextMoves_.state();
    if (moves.best.empty())
        state_->setText(state == NextMovesController::State::looking    ? tr("looking …")
                        : state == NextMovesController::State::complete ? tr("no single change brings it closer")
                                                                        : QString());
    else
        state_->setText(state == NextMovesController::State::looking ? tr("looking further …")
                                                                     : tr("%1 changes tried").arg(moves.tried));
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const bool used = i < moves.best.size();
        if (used)
            rows_[i]->show(QString::fromStdString(moves.best[i].what), gainOf(moves, moves.best[i]),
                           static_cast<int>(i) == heard_, i == 0);
        rows_[i]->setVisible(used);
    }
}

} // namespace facet

#include "moc_next_moves_view.cpp"
