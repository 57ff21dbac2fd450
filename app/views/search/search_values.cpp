#include "app/views/search/search_values.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/session/matching/match_controller.h"
#include "app/session/messages.h"
#include "app/views/patch/range_dialog.h"
#include "app/views/common/words.h"
#include "core/match/optimize/search_space.h"
#include "core/parameters/value_text.h"

#include <QHeaderView>
#include <QLabel>
#include <QTimer>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

enum Column { name, value, sure, range, columns };
constexpr double unknownShare = 0.6; ///< of what may be chosen: such a value is not known at all

QString shown(const ParameterDescriptor& d, double number) { return QString::fromStdString(textOf(d, number)); }

/// Of parameters that are tied to each other a search moves one, and knows how sure that is.
bool goesWithAnother(const Patch& patch, const Address& address, const std::vector<KnownRange>& known) {
    return std::ranges::any_of(patch.ties(), [&](const Tie& tie) {
        const auto isMember = [&](const Address& a) { return std::ranges::count(tie.members, a) > 0; };
        return isMember(address) &&
               std::ranges::any_of(known, [&](const auto& each) { return isMember(each.address); });
    });
}

} // namespace

SearchValues::SearchValues(DocumentStore& document, PatchEditor& patchEditor, MatchController& matching,
                           Messages& messages, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), matching_(matching), messages_(messages) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    list_ = new QTreeWidget(this);
    list_->setAccessibleName(tr("Values that a search may move"));
    list_->setRootIsDecorated(false);
    list_->setUniformRowHeights(true);
    list_->setHeaderLabels({tr("Locked · parameter"), tr("Value"), tr("As alike within"), tr("Search keeps to")});
    list_->header()->setSectionResizeMode(name, QHeaderView::Stretch);
    list_->header()->setStretchLastSection(false);
    for (int column : {value, sure, range})
        list_->header()->setSectionResizeMode(column, QHeaderView::ResizeToContents);
    list_->setToolTip(tr("A tick locks a value; a double-click or Enter asks for the range that a search keeps to"));
    layout->addWidget(list_);
    auto* hint =
        new QLabel(tr("A tick locks a value. A double-click or Enter sets the range that a search keeps to."), this);
    hint->setObjectName("quiet");
    hint->setWordWrap(true);
    layout->addWidget(hint);
    connect(list_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item) {
        if (filling_) return;
        const Address address = Address::parse(item->data(name, Qt::UserRole).toString().toStdString());
        const bool locked = item->checkState(name) == Qt::Checked;
        // A lock makes the rows anew, which must wait until this one has done with its change.
        QTimer::singleShot(0, this, [this, address, locked] { patchEditor_.setLocked(address, locked); });
    });
    connect(list_, &QTreeWidget::itemActivated, this, &SearchValues::askRange); // Enter or a double-click
    refresh();
}

void SearchValues::askRange() {
    const QTreeWidgetItem* item = list_->currentItem();
    if (!item || !document_.cue()) return;
    askSearchRange(document_, patchEditor_, messages_,
                   Address::parse(item->data(name, Qt::UserRole).toString().toStdString()), item->text(name), this);
}

void SearchValues::refresh() {
    const Cue* cue = document_.cue();
    const MatchState& match = matching_.state();
    if (!cue) {
        list_->clear();
        shown_.clear();
        return;
    }
    // How sure a search was says nothing of a patch that it did not find.
    const bool found = !match.running && match.cue == cue->id && !match.found.empty() &&
                       match.found.front().patch.soundsLike(cue->patch);
    // What is locked or ranged stays in the list.
    Patch loose = cue->patch; // of what is tied each has its line
    for (const Tie& tie : cue->patch.ties()) loose.untie(tie.members.front());
    std::vector<Address> addresses = SearchSpace(loose, {}, Identifiable{}).addresses();
    const auto add = [&](const Address& address) {
        if (cue->patch.has(address) && std::find(addresses.begin(), addresses.end(), address) == addresses.end())
            addresses.push_back(address);
    };
    for (const Address& lock : cue->locks) add(lock);
    for (const auto& [address, range] : cue->ranges) add(address);
    QString key = QString("%1 %2 %3").arg(cue->id).arg(cue->patch.hash()).arg(found ? match.seconds : 0.0);
    for (const Address& lock : cue->locks) key += QString::fromStdString(lock.text());
    for (const auto& [address, range] : cue->ranges)
        key += QString("%1 %2 %3").arg(QString::fromStdString(address.text())).arg(range.first).arg(range.second);
    if (key == shown_) return;
    shown_ = key;
    filling_ = true;
    const QString chosen = list_->currentItem() ? list_->currentItem()->data(name, Qt::UserRole).toString() : QString();
    list_->clear();
    for (const Address& address : addresses) {
        const ParameterDescriptor d = cue->patch.shownDescriptor(address);
        const auto* module = cue->patch.find(address.module);
        auto* item = new QTreeWidgetItem(list_);
        const QString label = text(d.label).toLower();
        item->setText(name, QString::fromStdString(cue->patch.labelOf(*module)) + " " + label);
        item->setData(name, Qt::UserRole, QString::fromStdString(address.text()));
        item->setCheckState(name, cue->locks.contains(address) ? Qt::Checked : Qt::Unchecked);
        item->setText(value, shown(d, cue->patch.value(address)));
        item->setTextAlignment(value, Qt::AlignRight | Qt::AlignVCenter);
        const auto known = std::find_if(match.ranges.begin(), match.ranges.end(),
                                        [&](const KnownRange& each) { return each.address == address; });
        const bool locked = cue->locks.contains(address), ranged = cue->ranges.contains(address);
        const auto moving = found ? std::count(match.moving.begin(), match.moving.end(), address) : 0;
        if (moving)
            item->setText(sure, tr("moves over the phrase"));
        else if (known == match.ranges.end() && goesWithAnother(cue->patch, address, match.ranges))
            item->setText(sure, tr("goes with what it is tied to"));
        else if (known == match.ranges.end())
            item->setText(sure, locked ? QString() : tr("not determined by this phrase"));
        else if (known->share > unknownShare)
            item->setText(sure, ranged ? tr("all it may be") : tr("hardly matters"));
        else
            item->setText(sure, tr("%1 to %2").arg(shown(d, known->low), shown(d, known->high)));
        if (const auto kept = cue->ranges.find(address); kept != cue->ranges.end())
            item->setText(range, tr("%1 to %2").arg(shown(d, kept->second.first), shown(d, kept->second.second)));
        if (item->data(name, Qt::UserRole).toString() == chosen) list_->setCurrentItem(item);
    }
    list_->setColumnHidden(sure, !found);
    filling_ = false;
}

} // namespace facet

#include "moc_search_values.cpp"
