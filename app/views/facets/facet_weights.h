// How much each facet counts, all in one place.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <array>

class QComboBox;

namespace facet {

class DocumentStore;

/// A list of facets with a choice of weight each; edits the active cue, each change one step of undo.
class FacetWeightsView : public QWidget {
    Q_OBJECT

public:
    explicit FacetWeightsView(DocumentStore& document, QWidget* parent = nullptr);
    /// Shows the cue's weights.
    void refresh();

private:
    DocumentStore& document_;
    std::array<QComboBox*, facetCount> boxes_{};
};

/// What people choose from: words and weights.
const std::array<std::pair<const char*, double>, 4>& facetWeightChoices();

} // namespace facet
