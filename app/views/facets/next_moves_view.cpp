#include "app/views/facets/next_moves_view.h"

#include "app/session/document/document_store.h"
#include "app/session/matching/next_moves_controller.h"
#include "app/views/facets/facet_card.h"
#include "app/views/common/theme.h"

#include <QComboBox>
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
constexpr int moveHeight = 50, buttonsWidth = 112;

/// "Brightness 40 → 86, whole 31 → 34, +12 once all is there"
QString gainOf(const NextMoves& moves, const Move& move) {
    const FacetGain& most = move.facets.front();
    QString words = MovesView::tr("%1 %2 → %3, whole %4 → %5")
                        .arg(nameOf(most.facet))
                        .arg(std::lround(most.before))
                        .arg(std::lround(most.after))
                        .arg(std::lround(moves.before))
                        .arg(std::lround(move.likeness));
    if (isMeasured(move.onceAll) && move.onceAll > move.likeness - moves.before + 1.0)
        words += MovesView::tr(", +%1 once all is there").arg(std::lround(move.onceAll));
    return words;
}

} // namespace

// ---- one row ----

MoveRow::MoveRow(QWidget* parent)
    : QWidget(parent), hear_(new QToolButton(this)), take_(new QToolButton(this)), decline_(new QToolButton(this)) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(moveHeight);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 16, 4, 2);
    layout->setSpacing(1);
    layout->addStretch(1);
    hear_->setText(tr("Hear"));
    hear_->setCheckable(true);
    take_->setText(tr("Take"));
    decline_->setText(QString::fromUtf8("×"));
    for (QToolButton* button : {hear_, take_, decline_}) {
        button->setObjectName("flat");
        button->setAutoRaise(true);
        button->setFixedHeight(16);
        button->setMaximumWidth(48);
        layout->addWidget(button, 0, Qt::AlignTop);
    }
    connect(decline_, &QToolButton::clicked, this, &MoveRow::declineWanted);
    connect(hear_, &QToolButton::clicked, this, &MoveRow::hearWanted);
    connect(take_, &QToolButton::clicked, this, &MoveRow::takeWanted);
}

void MoveRow::show(const QString& what, const QString& gain, const QString& why, bool heard, bool best) {
    what_ = what;
    gain_ = gain;
    why_ = why;
    best_ = best;
    hear_->setChecked(heard);
    hear_->setText(heard ? tr("Back") : tr("Hear"));
    hear_->setAccessibleName(tr("Hear: %1").arg(what));
    hear_->setToolTip(heard ? tr("Hear the patch as it stands again (Left)")
                            : tr("Hear the phrase with this change, at the same loudness (Right)"));
    take_->setAccessibleName(tr("Take: %1").arg(what));
    take_->setToolTip(tr("Make this change (Return); one step of undo"));
    decline_->setAccessibleName(tr("Not this: %1").arg(what));
    decline_->setToolTip(tr("Not this one: it is not proposed again for this cue (Delete)"));
    setAccessibleName(what);
    setAccessibleDescription(why.isEmpty() ? gain : gain + ". " + why);
    setToolTip(QStringLiteral("<p>%1</p><p>%2</p><p>%3</p>")
                   .arg(what.toHtmlEscaped(), gain.toHtmlEscaped(), why.toHtmlEscaped()));
    update();
}

void MoveRow::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    painter.setPen(QPen(hasFocus() ? t.reference : t.line, hasFocus() ? 1.4 : 1.0));
    painter.setBrush(t.card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.7, 0.7, -0.7, -2.0), 4, 4);
    const int whole = width() - 16, besideButtons = width() - 8 - buttonsWidth;
    const auto line = [&](double y, int room, const QString& words) {
        painter.drawText(QRectF(8, y, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(words, Qt::ElideRight, room));
    };
    painter.setPen(t.ink);
    painter.setFont(interfaceFont(9.0, best_ ? QFont::DemiBold : QFont::Normal));
    line(2, whole, what_);
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    line(17, besideButtons, gain_);
    line(31, whole, why_);
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
    case Qt::Key_Delete:
    case Qt::Key_Backspace: emit declineWanted(); break;
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
      focus_(new QComboBox(this)), again_(new QToolButton(this)), state_(new QLabel(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 6);
    layout->setSpacing(2);
    title_->setObjectName("heading");
    title_->setFont(interfaceFont(10.5, QFont::DemiBold));
    auto* head = new QHBoxLayout;
    head->addWidget(title_);
    focus_->setObjectName("movesFocus");
    focus_->setAccessibleName(tr("What moves are about"));
    focus_->setToolTip(
        tr("All moves, those for the facet you look at, or those for the line of the patch you opened last"));
    focus_->setFont(interfaceFont(8.5));
    connect(focus_, &QComboBox::activated, this, &MovesView::chooseFocus);
    head->addWidget(focus_);
    again_->setObjectName("proposeAgain");
    again_->setText(tr("declined"));
    again_->setFont(interfaceFont(8.5));
    again_->setToolTip(tr("Propose again what you did not want"));
    connect(again_, &QToolButton::clicked, this, [this] { nextMoves_.forgetDeclined(); });
    head->addWidget(again_);
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
        connect(row, &MoveRow::declineWanted, this, [this, index] { decline(index); });
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

void MovesView::decline(int index) {
    heard_ = -1;
    nextMoves_.decline(index);
}

void MovesView::offer(Facet facet, const std::string& module) {
    facet_ = facet;
    module_ = module;
    // Who wants moves for the facet looked at wants them for the next one too.
    if (nextMoves_.facet()) nextMoves_.setFocus(facet);
    refreshFocus();
}

void MovesView::refreshFocus() {
    const QSignalBlocker quiet(focus_);
    const Cue* cue = document_.cue();
    const auto* module = cue ? cue->patch.find(nextMoves_.module().empty() ? module_ : nextMoves_.module()) : nullptr;
    focus_->clear();
    focus_->addItem(tr("for all"));
    focus_->addItem(tr("for %1").arg(nameOf(facet_).toLower()));
    if (module)
        focus_->addItem(tr("for %1").arg(QString::fromStdString(cue->patch.labelOf(*module)).toLower()),
                        QString::fromStdString(module->path));
    focus_->setCurrentIndex(nextMoves_.facet() ? 1 : !nextMoves_.module().empty() && module ? 2 : 0);
    again_->setVisible(cue && !cue->declinedMoves.empty());
}

void MovesView::chooseFocus(int index) {
    if (index == 1)
        nextMoves_.setFocus(facet_);
    else
        nextMoves_.setFocus({}, index == 2 ? focus_->itemData(2).toString().toStdString() : std::string());
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
    refreshFocus();
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const bool used = i < moves.best.size();
        if (used)
            rows_[i]->show(QString::fromStdString(moves.best[i].what), gainOf(moves, moves.best[i]),
                           QString::fromStdString(moves.best[i].why), static_cast<int>(i) == heard_, i == 0);
        rows_[i]->setVisible(used);
    }
}

} // namespace facet

#include "moc_next_moves_view.cpp"
