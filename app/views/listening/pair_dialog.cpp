#include "app/views/listening/pair_dialog.h"

#include "app/session/document/document_store.h"
#include "app/session/document/take_keeper.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/results/patch_comparisons.h"
#include "app/views/facets/facet_card.h"
#include "app/views/facets/facet_plot.h"
#include "app/views/common/theme.h"
#include "core/parameters/changes.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <cmath>

namespace facet {

namespace {

QString letter(int which) { return which == 0 ? QStringLiteral("A") : QStringLiteral("B"); }

} // namespace

PairDialog::PairDialog(DocumentStore& document, TakeKeeper& takes, PatchComparisons& comparisons, Listening& listening,
                       Playback& playback, std::uint64_t first, QWidget* parent)
    : QDialog(parent), document_(document), takes_(takes), comparisons_(comparisons), listening_(listening),
      playback_(playback) {
    setObjectName("pairDialog");
    setWindowTitle(tr("Compare takes"));
    resize(880, 560);
    auto* layout = new QVBoxLayout(this);
    auto* head = new QHBoxLayout;
    for (int i = 0; i < 2; ++i) {
        auto* caption = new QLabel(letter(i), this);
        caption->setFont(interfaceFont(10.5, QFont::DemiBold));
        caption->setStyleSheet(QString("color: %1").arg((i == 0 ? theme().reference : theme().render).name()));
        head->addWidget(caption);
        choices_[i] = new QComboBox(this);
        choices_[i]->setAccessibleName(tr("Take %1").arg(letter(i)));
        caption->setBuddy(choices_[i]);
        head->addWidget(choices_[i], 1);
    }
    layout->addLayout(head);
    auto* body = new QHBoxLayout;
    auto* left = new QVBoxLayout;
    marks_ = new QTreeWidget(this);
    marks_->setAccessibleName(tr("Likeness to the reference"));
    marks_->setRootIsDecorated(false);
    marks_->setHeaderLabels({tr("Likeness to the reference"), "A", "B"});
    marks_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    marks_->header()->setStretchLastSection(false);
    left->addWidget(marks_, 3);
    about_ = new QLabel(this);
    about_->setObjectName("quiet");
    left->addWidget(about_);
    changes_ = new QTreeWidget(this);
    changes_->setAccessibleName(tr("What differs"));
    changes_->setRootIsDecorated(false);
    changes_->setHeaderLabels({tr("What differs"), "A", "B"});
    changes_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    changes_->header()->setStretchLastSection(false);
    left->addWidget(changes_, 3);
    body->addLayout(left, 4);
    plot_ = new FacetPlot(this);
    body->addWidget(plot_, 5);
    layout->addLayout(body, 1);
    auto* foot = new QHBoxLayout;
    for (int i = 0; i < 2; ++i) {
        hear_[i] = new QPushButton(tr("Hear &%1").arg(letter(i)), this);
        hear_[i]->setToolTip(tr("In the phrase, at the reference's loudness"));
        connect(hear_[i], &QPushButton::clicked, this, [this, i] { hear(i); });
        foot->addWidget(hear_[i]);
    }
    auto* reference = new QPushButton(tr("Hear the &reference"), this);
    connect(reference, &QPushButton::clicked, this, [this] { playback_.play(Side::reference); });
    foot->addWidget(reference);
    foot->addStretch(1);
    for (int i = 0; i < 2; ++i) {
        back_[i] = new QPushButton(tr("Go to %1").arg(letter(i)), this);
        back_[i]->setToolTip(tr("It becomes the patch you work on; one step of undo"));
        connect(back_[i], &QPushButton::clicked, this, [this, i] {
            takes_.restore(choices_[i]->currentData().toULongLong());
            accept();
        });
        foot->addWidget(back_[i]);
    }
    auto* close = new QPushButton(tr("&Close"), this);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    foot->addWidget(close);
    layout->addLayout(foot);
    for (auto* button : findChildren<QPushButton*>()) button->setAutoDefault(false);
    fill();
    choices_[0]->setCurrentIndex(std::max(0, choices_[0]->findData(QVariant::fromValue<qulonglong>(first))));
    choices_[1]->setCurrentIndex(0);
    for (QComboBox* box : choices_) connect(box, &QComboBox::activated, this, &PairDialog::compare);
    connect(marks_, &QTreeWidget::currentItemChanged, this, &PairDialog::showPicture);
    connect(&comparisons_, &PatchComparisons::pairCompared, this,
            [this](quint64 ticket, const std::shared_ptr<const PatchPair>& pair) {
                if (ticket == ticket_) showPair(pair);
            });
    compare();
}

PairDialog::~PairDialog() { listening_.hearOther({}); }

void PairDialog::fill() {
    for (QComboBox* box : choices_) {
        box->addItem(tr("The patch as it stands"), QVariant::fromValue<qulonglong>(0));
        if (!document_.cue()) continue;
        for (const auto& take : document_.cue()->takes)
            box->addItem(QString::fromStdString(take->name), QVariant::fromValue<qulonglong>(take->id));
    }
}

const Patch* PairDialog::patchOf(int which) const {
    const Cue* cue = document_.cue();
    const std::uint64_t id = choices_[which]->currentData().toULongLong();
    if (!cue || id == 0) return cue ? &cue->patch : nullptr;
    for (const auto& take : cue->takes)
        if (take->id == id) return &take->patch;
    return nullptr;
}

void PairDialog::compare() {
    const Patch *a = patchOf(0), *b = patchOf(1);
    if (!a || !b) return;
    changes_->clear();
    const auto changes = changesBetween(*a, *b);
    for (const PatchChange& change : changes)
        changes_->addTopLevelItem(
            new QTreeWidgetItem({QString::fromStdString(change.what), QString::fromStdString(change.before),
                                 QString::fromStdString(change.after)}));
    for (int column : {1, 2}) {
        changes_->resizeColumnToContents(column);
        changes_->setColumnWidth(column, changes_->columnWidth(column) + 12);
    }
    about_->setText(changes.empty()       ? tr("The two are the same patch.")
                    : changes.size() == 1 ? tr("One difference between the two")
                                          : tr("%1 differences between the two").arg(changes.size()));
    for (int i = 0; i < 2; ++i) back_[i]->setEnabled(choices_[i]->currentData().toULongLong() != 0);
    marks_->clear();
    marks_->addTopLevelItem(new QTreeWidgetItem({tr("measuring …"), "", ""}));
    pair_.reset();
    ticket_ = comparisons_.comparePair(*a, *b);
}

void PairDialog::showPair(std::shared_ptr<const PatchPair> pair) {
    pair_ = std::move(pair);
    const auto text = [](const FacetComparison* facet) {
        return facet && facet->measured ? QString::number(std::lround(facet->likeness)) : QStringLiteral("–");
    };
    marks_->clear();
    auto* whole = new QTreeWidgetItem({tr("Whole"), QString::number(std::lround(pair_->toReference[0].likeness)),
                                       QString::number(std::lround(pair_->toReference[1].likeness))});
    whole->setData(0, Qt::UserRole, -1);
    marks_->addTopLevelItem(whole);
    QTreeWidgetItem* furthest = nullptr;
    double most = -1.0;
    for (const FacetComparison& a : pair_->toReference[0].facets) {
        const FacetComparison* b = pair_->toReference[1].find(a.facet);
        auto* item = new QTreeWidgetItem({nameOf(a.facet), text(&a), text(b)});
        item->setData(0, Qt::UserRole, static_cast<int>(a.facet));
        marks_->addTopLevelItem(item);
        if (!a.measured || !b || !b->measured || std::abs(a.likeness - b->likeness) <= most) continue;
        most = std::abs(a.likeness - b->likeness);
        furthest = item;
    }
    for (int i = 0; i < marks_->topLevelItemCount(); ++i)
        for (int column : {1, 2}) marks_->topLevelItem(i)->setTextAlignment(column, Qt::AlignRight);
    for (int column : {1, 2}) marks_->setColumnWidth(column, 52);
    marks_->setCurrentItem(furthest ? furthest : whole); // where the two differ most
}

/// The chosen facet of both, A in the reference's color.
void PairDialog::showPicture() {
    const QTreeWidgetItem* item = marks_->currentItem();
    if (!pair_ || !item || item->data(0, Qt::UserRole).isNull()) return;
    const int facet = item->data(0, Qt::UserRole).toInt();
    CueResults both;
    both.reference = pair_->sounds[0];
    both.render = pair_->sounds[1];
    plot_->show(facet < 0 ? Facet::level : static_cast<Facet>(facet), both);
}

void PairDialog::hear(int which) {
    if (const Patch* patch = patchOf(which)) {
        listening_.hearOther(*patch);
        playback_.play(Side::render);
    }
}

} // namespace facet

#include "moc_pair_dialog.cpp"
