#include "app/views/facets/facet_list.h"

#include "app/session/document/document_store.h"
#include "app/session/results/results_controller.h"
#include "app/views/facets/facet_card.h"
#include "app/views/common/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

constexpr Facet allFacets[] = {Facet::pitch, Facet::level,  Facet::harmonics, Facet::brightness,
                               Facet::noise, Facet::motion, Facet::width,     Facet::space};

} // namespace

FacetList::FacetList(DocumentStore& document, ResultsController& results, QWidget* parent)
    : QWidget(parent), document_(document), results_(results) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* title = new QLabel(tr("Facets"), this);
    title->setObjectName("heading");
    title->setFont(interfaceFont(10.5, QFont::DemiBold));
    auto* head = new QHBoxLayout;
    head->addWidget(title);
    head->addStretch(1);
    order_ = new QToolButton(this);
    order_->setObjectName("flat");
    order_->setCheckable(true);
    order_->setAutoRaise(true);
    order_->setText(tr("least alike first"));
    order_->setAccessibleName(tr("Least alike first"));
    order_->setToolTip(tr("Off: in the order in which a sound is worked"));
    connect(order_, &QToolButton::clicked, this, &FacetList::sortBySize);
    head->addWidget(order_);
    layout->addLayout(head);
    column_ = layout;
    for (Facet facet : allFacets) {
        auto* card = new FacetCard(facet, this);
        layout->addWidget(card);
        cards_.push_back(card);
        connect(card, &QAbstractButton::clicked, this, [this, facet] { choose(facet); });
        connect(card, &FacetCard::weighed, this,
                [this, facet](double weight) { document_.setFacetWeight(facet, weight); });
    }
    layout->addStretch(1);
    choose(chosen_);
}

void FacetList::choose(Facet facet) {
    chosen_ = facet;
    for (FacetCard* card : cards_) card->setChecked(card->facet() == facet);
    emit facetChosen(facet);
}

void FacetList::sortBySize(bool on) {
    bySize_ = on;
    order_->setChecked(on);
    arrange();
}

void FacetList::arrange() {
    const auto& comparison = results_.state().comparison;
    const auto place = [&](const FacetCard* card) {
        const FacetComparison* found = comparison ? comparison->find(card->facet()) : nullptr;
        const double size = !found || !found->measured ? 1000.0 : found->likeness;
        return std::pair(bySize_ ? size : 0.0, static_cast<int>(card->facet()));
    };
    std::vector<FacetCard*> wanted = cards_;
    std::sort(wanted.begin(), wanted.end(), [&](const auto* a, const auto* b) { return place(a) < place(b); });
    if (wanted == cards_) return;
    cards_ = wanted;
    QWidget* before = order_;
    for (FacetCard* card : cards_) {
        column_->removeWidget(card);
        QWidget::setTabOrder(before, card);
        before = card;
    }
    for (std::size_t i = 0; i < cards_.size(); ++i) column_->insertWidget(static_cast<int>(i) + 1, cards_[i]);
}

void FacetList::refresh() {
    for (FacetCard* card : cards_) {
        const Cue* cue = document_.cue();
        card->show(results_.state(), cue ? cue->facetWeights[static_cast<std::size_t>(card->facet())] : 1.0);
    }
    // Not while one of them is worked with: it would leave from under the hand.
    if (results_.state().comparisonIsCurrent) arrange();
}

} // namespace facet

#include "moc_facet_list.cpp"
