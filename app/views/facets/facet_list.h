// The facets as a list: small overlaid curves, likeness and the largest difference in words.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <vector>

class QToolButton;
class QVBoxLayout;

namespace facet {

class DocumentStore;
class ResultsController;

class FacetCard;

/// A card for each facet, with both sounds' curves, likeness and the largest difference. GUI thread only.
class FacetList : public QWidget {
    Q_OBJECT

public:
    explicit FacetList(DocumentStore& document, ResultsController& results, QWidget* parent = nullptr);
    /// Shows the results as they stand.
    void refresh();
    Facet chosen() const { return chosen_; }
    void choose(Facet facet);
    /// In the order they are worked in, or the least alike first.
    void sortBySize(bool on);

signals:
    void facetChosen(facet::Facet facet);

private:
    DocumentStore& document_;
    ResultsController& results_;
    Facet chosen_ = Facet::brightness;
    void arrange();
    bool bySize_ = false;
    QToolButton* order_;
    QVBoxLayout* column_;
    std::vector<FacetCard*> cards_; ///< as they stand
};

} // namespace facet
