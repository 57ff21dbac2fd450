#include "app/views/listening/takes_bar.h"

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/views/common/theme.h"
#include "core/compare/blind_test.h"

#include <QAbstractButton>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>

namespace facet {

namespace {

/// One take: its likeness large, its name below.
class TakeCard : public QAbstractButton {
public:
    TakeCard(const Take& take, bool chosen, bool same, QWidget* parent)
        : QAbstractButton(parent), name_(QString::fromStdString(take.name)),
          likeness_(take.likeness ? QString::number(std::lround(*take.likeness)) : "–"), starred_(take.starred),
          chosen_(chosen), same_(same) {
        setFixedSize(124, 54);
        setFocusPolicy(Qt::StrongFocus);
        setAccessibleName(tr("Take %1, likeness %2").arg(name_, likeness_));
        QString details = take.note.empty() ? QString() : "\n" + QString::fromStdString(take.note);
        if (take.blind)
            details += "\n" + tr("Blind test: %1 of %2 right, by guessing %3 %")
                                  .arg(take.blind->right)
                                  .arg(take.blind->trials)
                                  .arg(100.0 * chanceOf(take.blind->right, take.blind->trials), 0, 'f', 1);
        noted_ = !details.isEmpty();
        setToolTip(tr("%1 · likeness %2%3\nClick: go back to it · F2: rename · Delete: delete · right click: more")
                       .arg(name_, likeness_, details));
        setContextMenuPolicy(Qt::CustomContextMenu);
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        const Theme& t = theme();
        painter.setPen(QPen(hasFocus() ? t.reference : chosen_ ? t.ink : t.line, chosen_ || hasFocus() ? 1.4 : 1));
        painter.setBrush(chosen_ ? t.selected : t.paper);
        painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 5, 5);
        painter.setPen(t.ink);
        painter.setFont(interfaceFont(13, QFont::DemiBold));
        painter.drawText(QRectF(10, 5, 60, 22), Qt::AlignLeft | Qt::AlignVCenter, likeness_);
        painter.setFont(interfaceFont(8.5));
        painter.setPen(t.quiet);
        if (chosen_ && !same_)
            painter.drawText(QRectF(46, 5, width() - 54, 22), Qt::AlignRight | Qt::AlignVCenter, tr("edited"));
        if (noted_) painter.drawText(QRectF(46, 5, 16, 22), Qt::AlignLeft | Qt::AlignVCenter, "…");
        if (starred_) painter.drawText(QRectF(36, 5, 16, 22), Qt::AlignLeft | Qt::AlignVCenter, "●");
        painter.drawText(QRectF(10, 28, width() - 18, 20), Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(name_, Qt::ElideRight, width() - 18));
    }

private:
    QString name_;
    QString likeness_;
    bool starred_, chosen_, same_, noted_ = false;
};

} // namespace

TakesBar::TakesBar(DocumentStore& document, TakeKeeper& takes, QWidget* parent)
    : QScrollArea(parent), document_(document), takes_(takes), row_(new QWidget), layout_(new QHBoxLayout(row_)) {
    setWidget(row_);
    setWidgetResizable(true);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFixedHeight(68);
    setFocusPolicy(Qt::NoFocus);
    layout_->setContentsMargins(0, 0, 0, 0);
    layout_->setSpacing(6);
    refresh();
}

void TakesBar::refresh() {
    const Cue* cue = document_.cue();
    const auto takes = cue ? cue->takes : decltype(shown_){};
    bool same = false;
    for (const auto& take : takes)
        if (cue && take->id == cue->chosenTake) same = take->patch.soundsLike(cue->patch);
    if (layout_->count() > 0 && takes == shown_ && cue && cue->chosenTake == shownChosen_ && same == shownMatches_ &&
        cue->id == shownCue_)
        return;
    const bool grown = takes.size() > shown_.size();
    shown_ = takes;
    shownChosen_ = cue ? cue->chosenTake : 0;
    shownMatches_ = same;
    shownCue_ = cue ? cue->id : 0;
    while (QLayoutItem* item = layout_->takeAt(0)) {
        if (item->widget()) item->widget()->deleteLater();
        delete item;
    }
    for (const auto& take : takes) {
        auto* card = new TakeCard(*take, take->id == shownChosen_, same, row_);
        card->setObjectName("take " + QString::fromStdString(take->name));
        layout_->addWidget(card);
        const std::uint64_t id = take->id;
        connect(card, &QAbstractButton::clicked, this, [this, id] { takes_.restore(id); });
        connect(card, &QWidget::customContextMenuRequested, this,
                [this, id, card](const QPoint& at) { showMenu(id, card->mapToGlobal(at)); });
        auto* renameAction = new QAction(tr("Rename"), card);
        renameAction->setShortcut(Qt::Key_F2);
        renameAction->setShortcutContext(Qt::WidgetShortcut);
        connect(renameAction, &QAction::triggered, this, [this, id] { rename(id); });
        auto* deleteAction = new QAction(tr("Delete"), card);
        deleteAction->setShortcut(Qt::Key_Delete);
        deleteAction->setShortcutContext(Qt::WidgetShortcut);
        connect(deleteAction, &QAction::triggered, this, [this, id] { takes_.remove(id); });
        card->addActions({renameAction, deleteAction});
    }
    auto* keep = new QPushButton(tr("keep"), row_);
    keep->setObjectName("keep");
    keep->setFixedSize(60, 54);
    keep->setToolTip(tr("Keep the patch as it is now as a take (Ctrl+K)"));
    connect(keep, &QPushButton::clicked, this, [this] { takes_.keep(); });
    layout_->addWidget(keep);
    layout_->addStretch(1);
    if (grown)
        QMetaObject::invokeMethod(
            this, [this] { horizontalScrollBar()->setValue(horizontalScrollBar()->maximum()); }, Qt::QueuedConnection);
}

void TakesBar::rename(std::uint64_t id) {
    for (const auto& take : shown_) {
        if (take->id != id) continue;
        bool fine = false;
        const QString name = QInputDialog::getText(this, tr("Rename take"), tr("Name"), QLineEdit::Normal,
                                                   QString::fromStdString(take->name), &fine);
        if (fine && !name.trimmed().isEmpty()) takes_.rename(id, name.trimmed());
        return;
    }
}

void TakesBar::note(std::uint64_t id) {
    for (const auto& take : shown_) {
        if (take->id != id) continue;
        bool fine = false;
        const QString text =
            QInputDialog::getMultiLineText(this, tr("Note on “%1”").arg(QString::fromStdString(take->name)), tr("Note"),
                                           QString::fromStdString(take->note), &fine);
        if (fine) takes_.note(id, text.trimmed());
        return;
    }
}

void TakesBar::showMenu(std::uint64_t id, const QPoint& place) {
    bool starred = false;
    for (const auto& take : shown_)
        if (take->id == id) starred = take->starred;
    QMenu menu(this);
    menu.addAction(tr("Go back to it"), this, [this, id] { takes_.restore(id); });
    menu.addAction(tr("What changed since …"), this, [this, id] { emit changesWanted(id); });
    menu.addAction(tr("Compare with …"), this, [this, id] { emit comparisonWanted(id); });
    menu.addAction(tr("New cue from it"), this, [this, id] { takes_.branch(id); });
    menu.addSeparator();
    menu.addAction(tr("Note …"), this, [this, id] { note(id); });
    menu.addAction(starred ? tr("Unstar") : tr("Star"), this, [this, id, starred] { takes_.star(id, !starred); });
    menu.addAction(tr("Rename …"), this, [this, id] { rename(id); });
    menu.addSeparator();
    menu.addAction(tr("Delete (undo brings it back)"), this, [this, id] { takes_.remove(id); });
    menu.exec(place);
}

} // namespace facet

#include "moc_takes_bar.cpp"
