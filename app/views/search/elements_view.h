// What the patch is made of, how the recording speaks for it, and what a search may or has to use.
#pragma once

#include <QWidget>

class QComboBox;
class QLabel;
class QVBoxLayout;

namespace facet {

class ElementsController;
class PatchEditor;
class DocumentStore;

/// A row for each element of the patch: what leaving it out costs, its values, what was measured that speaks for it,
/// and buttons to hear the sound without it and to rule it out. Above: what was ruled out and insisted on. Below: what
/// the recording speaks for and the patch has not. GUI thread only.
class ElementsView : public QWidget {
    Q_OBJECT

public:
    ElementsView(DocumentStore& document, PatchEditor& patch, ElementsController& elements, QWidget* parent = nullptr);
    /// Shows the patch and the producer's wishes as they stand.
    void refresh();

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void showWishes();
    void showElements();
    void showHeardElsewhere();
    void fillChoices();
    QWidget* makeRow(std::size_t i);
    void addLine(QWidget* line);

    DocumentStore& document_;
    PatchEditor& patch_;
    ElementsController& elements_;
    QComboBox* choices_; ///< what can be insisted on
    QWidget* rows_;
    QVBoxLayout* rowsLayout_;
    QString shown_; ///< what the rows were made for
};

} // namespace facet
