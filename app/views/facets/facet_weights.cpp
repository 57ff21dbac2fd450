#include "app/views/facets/facet_weights.h"

#include "app/session/document/document_store.h"
#include "app/views/common/words.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <cmath>

namespace facet {

const std::array<std::pair<const char*, double>, 4>& facetWeightChoices() {
    static constexpr std::array<std::pair<const char*, double>, 4> choices{{{QT_TR_NOOP("Counts as usual"), 1.0},
                                                                            {QT_TR_NOOP("Counts double"), 2.0},
                                                                            {QT_TR_NOOP("Counts half"), 0.5},
                                                                            {QT_TR_NOOP("Set aside"), 0.0}}};
    return choices;
}

FacetWeightsView::FacetWeightsView(DocumentStore& document, QWidget* parent) : QWidget(parent), document_(document) {
    auto* layout = new QGridLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    for (int f = 0; f < facetCount; ++f) {
        const auto facet = static_cast<Facet>(f);
        const std::string_view label = labelOf(facet);
        const QString name = text(label);
        auto* box = new QComboBox(this);
        box->setAccessibleName(name);
        for (const auto& [words, weight] : facetWeightChoices()) box->addItem(tr(words), weight);
        connect(box, &QComboBox::activated, this,
                [this, facet, box] { document_.setFacetWeight(facet, box->currentData().toDouble()); });
        boxes_[static_cast<std::size_t>(f)] = box;
        layout->addWidget(new QLabel(name, this), f, 0);
        layout->addWidget(box, f, 1);
    }
    layout->setColumnStretch(2, 1);
    auto* about = new QLabel(tr("They weigh the likenesses by which a search chooses among what it found."), this);
    about->setObjectName("quiet");
    about->setWordWrap(true);
    layout->addWidget(about, facetCount, 0, 1, 3);
    layout->setRowStretch(facetCount + 1, 1);
    refresh();
}

void FacetWeightsView::refresh() {
    const Cue* cue = document_.cue();
    for (std::size_t f = 0; f < boxes_.size(); ++f) {
        boxes_[f]->setEnabled(cue);
        if (!cue) continue;
        int nearest = 0;
        const auto& choices = facetWeightChoices();
        for (std::size_t i = 0; i < choices.size(); ++i)
            if (std::abs(choices[i].second - cue->facetWeights[f]) <
                std::abs(choices[static_cast<std::size_t>(nearest)].second - cue->facetWeights[f]))
                nearest = static_cast<int>(i);
        boxes_[f]->setCurrentIndex(nearest);
    }
}

} // namespace facet

#include "moc_facet_weights.cpp"
