#include "app/views/facet_list.h"

#include "app/session/session.h"
#include "app/views/facet_card.h"
#include "app/views/theme.h"

#include <QLabel>
#include <QVBoxLayout>

namespace facet {

namespace {

constexpr Facet allFacets[] = {Facet::pitch, Facet::level,  Facet::harmonics, Facet::brightness,
                               Facet::noise, Facet::motion, Facet::width,     Facet::space};

} // namespace

FacetList::FacetList(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    auto* title = new QLabel(tr("Facets"), this);
    title->setObjectName("heading");
    title->setFont(interfaceFont(10.5, QFont::DemiBold));
    layout->addWidget(title);
    for (Facet facet : allFacets) {
        auto* card = new FacetCard(facet, this);
        layout->addWidget(card);
        cards_.push_back(card);
        connect(card, &QAbstractButton::clicked, this, [this, facet] { choose(facet); });
        connect(card, &FacetCard::weighed, this,
                [this, facet](double weight) { session_.setFacetWeight(facet, weight); });
    }
    layout->addStretch(1);
    choose(chosen_);
}

void FacetList::choose(Facet facet) {
    chosen_ = facet;
    for (FacetCard* card : cards_) card->setChecked(card->facet() == facet);
    emit facetChosen(facet);
}

void FacetList::refresh() {
    for (FacetCard* card : cards_) {
        const Cue* cue = session_.cue();
        card->show(session_.results(), cue ? cue->facetWeights[static_cast<std::size_t>(card->facet())] : 1.0);
    }
}

} // namespace facet
