#include "app/views/search/variations_view.h"

#include "app/session/document/document_store.h"
#include "app/session/matching/variations_controller.h"
#include "app/views/common/theme.h"
#include "core/parameters/changes.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr std::size_t namedChanges = 3;

/// The changes that go farthest along their scales.
QString farthestChanges(const Patch& from, const Patch& to) {
    std::vector<std::pair<double, QString>> changes;
    for (const PatchChange& change : changesBetween(from, to)) {
        const Address address{change.path, change.field};
        if (change.kind != PatchChange::Kind::value || !from.has(address)) continue;
        const ParameterDescriptor d = from.shownDescriptor(address);
        changes.emplace_back(-std::abs(d.toUnit(to.value(address)) - d.toUnit(from.value(address))),
                             QString::fromStdString(change.what + " " + change.after));
    }
    std::sort(changes.begin(), changes.end());
    QStringList words;
    for (std::size_t i = 0; i < std::min(namedChanges, changes.size()); ++i) words << changes[i].second;
    return words.join(", ");
}

} // namespace

VariationsView::VariationsView(DocumentStore& document, VariationsController& variations, QWidget* parent)
    : QWidget(parent), document_(document), variations_(variations) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    layout->setSpacing(6);
    auto* head = new QHBoxLayout;
    make_ = new QPushButton(tr("Vary"), this);
    make_->setObjectName("makeVariations");
    make_->setToolTip(tr("Look for patches near this one; locks and search ranges are obeyed"));
    connect(make_, &QPushButton::clicked, this, [this] { variations_.make(distance_->currentData().toDouble()); });
    head->addWidget(make_);
    distance_ = new QComboBox(this);
    distance_->setAccessibleName(tr("How far variations lie"));
    for (const auto& [words, likeness] :
         {std::pair{tr("close by (about 90 alike)"), 90.0}, {tr("related (75)"), 75.0}, {tr("far (50)"), 50.0}})
        distance_->addItem(words, likeness);
    distance_->setCurrentIndex(1);
    head->addWidget(distance_);
    state_ = new QLabel(this);
    state_->setObjectName("quiet");
    head->addWidget(state_, 1);
    layout->addLayout(head);
    rows_ = new QWidget(this);
    rowsLayout_ = new QVBoxLayout(rows_);
    rowsLayout_->setContentsMargins(0, 0, 0, 0);
    rowsLayout_->setSpacing(4);
    layout->addWidget(rows_);
    layout->addStretch(1);
    connect(&variations_, &VariationsController::changed, this, &VariationsView::refresh);
    refresh();
}

void VariationsView::refresh() {
    const VariationState& state = variations_.state();
    const Cue* cue = document_.cue();
    const bool own = cue && state.cue == cue->id;
    make_->setEnabled(cue && cue->excerpt() && !document_.performance().notes.empty());
    state_->setText(!own                  ? tr("Patches near the one you work on.")
                    : state.running       ? tr("rendering …")
                    : state.found.empty() ? tr("Nothing lies that far from it; unlock something, or look closer by.")
                                          : tr("likeness to what was varied"));
    QString key = own ? QString::number(state.cue) : QString();
    if (own)
        for (const Variation& each : state.found) key += QString(" %1").arg(each.patch.hash());
    if (key != shown_) {
        shown_ = key;
        hearButtons_.clear();
        while (QLayoutItem* item = rowsLayout_->takeAt(0)) {
            item->widget()->hide();
            item->widget()->deleteLater();
            delete item;
        }
        for (std::size_t i = 0; own && i < state.found.size(); ++i) {
            const Variation& one = state.found[i];
            auto* row = new QWidget(rows_);
            auto* line = new QHBoxLayout(row);
            line->setContentsMargins(0, 2, 0, 2);
            auto* likeness = new QLabel(QString::number(std::lround(one.likeness)), row);
            likeness->setFont(interfaceFont(13, QFont::DemiBold));
            likeness->setFixedWidth(40);
            line->addWidget(likeness);
            auto* words = new QLabel(farthestChanges(state.of, one.patch), row);
            words->setWordWrap(true);
            words->setFont(interfaceFont(9));
            line->addWidget(words, 1);
            auto* hear = new QPushButton(tr("Hear"), row);
            hear->setObjectName("hearVariation");
            hear->setCheckable(true);
            connect(hear, &QPushButton::clicked, this,
                    [this, i](bool on) { variations_.hear(on ? static_cast<int>(i) : -1); });
            line->addWidget(hear);
            hearButtons_.push_back(hear);
            auto* take = new QPushButton(tr("Take"), row);
            take->setObjectName("takeVariation");
            connect(take, &QPushButton::clicked, this, [this, i] { variations_.take(static_cast<int>(i)); });
            line->addWidget(take);
            rowsLayout_->addWidget(row);
            row->show();
        }
    }
    for (std::size_t i = 0; i < hearButtons_.size(); ++i) {
        const bool heard = state.heard == static_cast<int>(i);
        hearButtons_[i]->setChecked(heard);
        hearButtons_[i]->setText(heard ? tr("Heard") : tr("Hear"));
    }
}

} // namespace facet

#include "moc_variations_view.cpp"
