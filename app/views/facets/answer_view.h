// The parameters that answer for one facet, as editable rows.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <string>
#include <vector>

class QLabel;
class QVBoxLayout;

namespace facet {

class ParameterRow;
class DocumentStore;
class PatchEditor;
class PatchComparisons;
class Messages;

/// The parameters that answer for a facet.
class AnswerView : public QWidget {
    Q_OBJECT

public:
    explicit AnswerView(DocumentStore& document, PatchEditor& patchEditor, PatchComparisons& comparisons,
                        Messages& messages, QWidget* parent = nullptr);
    /// Shows the parameters that answer for a facet.
    void show(Facet facet);
    /// Shows the patch's values as they stand.
    void refresh();

private:
    void rebuild();

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    PatchComparisons& comparisons_;
    Messages& messages_;
    Facet facet_ = Facet::pitch;
    QLabel* title_;
    QWidget* list_ = nullptr;
    QVBoxLayout* layout_;
    std::vector<ParameterRow*> rows_;
    std::string shownState_; ///< which modules were on when the rows were made
};

} // namespace facet
