// The facets as a list: small overlaid curves, likeness and the largest difference in words.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <vector>

class QToolButton;
class QVBoxLayout;

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
    /// In the order they are worked in, or the least alike first.
    void sortBySize(bool on);

signals:
    void facetChosen(facet::Facet facet);

private:
    Session& session_;
    Facet chosen_ = Facet::brightness;
    void arrange();
    bool bySize_ = false;
    QToolButton* order_;
    QVBoxLayout* column_;
    std::vector<FacetCard*> cards_; ///< as they stand
};

} // namespace facet
