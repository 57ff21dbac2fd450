#include "app/views/listening/changes_dialog.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

ChangesDialog::ChangesDialog(DocumentStore& document, PatchEditor& patchEditor, std::uint64_t take, QWidget* parent)
    : QDialog(parent), document_(document), patchEditor_(patchEditor), take_(take) {
    setObjectName("changesDialog");
    resize(560, 360);
    auto* layout = new QVBoxLayout(this);
    about_ = new QLabel(this);
    layout->addWidget(about_);
    list_ = new QTreeWidget(this);
    list_->setAccessibleName(tr("Changes"));
    list_->setRootIsDecorated(false);
    list_->setHeaderLabels({tr("What"), tr("Then"), tr("Now")});
    list_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    layout->addWidget(list_, 1);
    auto* line = new QHBoxLayout;
    line->addStretch(1);
    back_ = new QPushButton(tr("&Take this one back"), this);
    back_->setToolTip(tr("Everything else stays; one step of undo"));
    back_->setAutoDefault(false); // Return in the list would press it too
    connect(back_, &QPushButton::clicked, this, &ChangesDialog::takeBack);
    line->addWidget(back_);
    auto* close = new QPushButton(tr("&Close"), this);
    close->setAutoDefault(false);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    line->addWidget(close);
    layout->addLayout(line);
    connect(list_, &QTreeWidget::itemActivated, this, &ChangesDialog::takeBack);
    connect(list_, &QTreeWidget::currentItemChanged, this, [this] { back_->setEnabled(list_->currentItem()); });
    connect(&document_, &DocumentStore::changed, this, &ChangesDialog::refresh);
    refresh();
}

void ChangesDialog::refresh() {
    const Cue* cue = document_.cue();
    const auto found =
        cue ? std::find_if(cue->takes.begin(), cue->takes.end(), [this](const auto& take) { return take->id == take_; })
            : decltype(cue->takes.begin()){};
    if (!cue || found == cue->takes.end()) { // the take, or its cue, is gone
        accept();
        return;
    }
    const int place = list_->indexOfTopLevelItem(list_->currentItem());
    changes_ = changesBetween((*found)->patch, cue->patch);
    setWindowTitle(tr("Since “%1”").arg(QString::fromStdString((*found)->name)));
    about_->setText(changes_.empty() ? tr("Nothing has changed since then.")
                    : changes_.size() == 1
                        ? tr("One change since then. It can be taken back.")
                        : tr("%1 changes since then. Each can be taken back by itself.").arg(changes_.size()));
    list_->clear();
    for (const PatchChange& change : changes_)
        list_->addTopLevelItem(
            new QTreeWidgetItem({QString::fromStdString(change.what), QString::fromStdString(change.before),
                                 QString::fromStdString(change.after)}));
    for (int column : {1, 2}) list_->resizeColumnToContents(column);
    const int last = list_->topLevelItemCount() - 1;
    if (last >= 0) list_->setCurrentItem(list_->topLevelItem(std::clamp(place, 0, last)));
    back_->setEnabled(last >= 0);
}

void ChangesDialog::takeBack() {
    const int place = list_->indexOfTopLevelItem(list_->currentItem());
    if (place >= 0) patchEditor_.takeChangeBack(take_, changes_[static_cast<std::size_t>(place)]);
}

} // namespace facet

#include "moc_changes_dialog.cpp"
