// The facets as a list: small overlaid curves, likeness and the largest difference in words.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <vector>

namespace facet {

class Session;

class FacetCard;

class FacetList : public QWidget {
    Q_OBJECT

public:
    explicit FacetList(Session& session, QWidget* parent = nullptr);
    void refresh();
    Facet chosen() const { return chosen_; }
    void choose(Facet facet);

signals:
    void facetChosen(facet::Facet facet);

private:
    Session& session_;
    Facet chosen_ = Facet::brightness;
    std::vector<FacetCard*> cards_;
};

} // namespace facet
