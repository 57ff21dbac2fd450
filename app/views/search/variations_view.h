// Variations of the patch that is worked on: how far they lie, and each to hear and take.
#pragma once

#include <QWidget>
#include <vector>

class QComboBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace facet {

class DocumentStore;
class VariationsController;

/// Makes, hears and takes variations through VariationsController. GUI thread only.
class VariationsView : public QWidget {
    Q_OBJECT

public:
    explicit VariationsView(DocumentStore& document, VariationsController& variations, QWidget* parent = nullptr);
    /// Shows the variations as they stand.
    void refresh();

private:
    DocumentStore& document_;
    VariationsController& variations_;
    QComboBox* distance_;
    QPushButton* make_;
    QLabel* state_;
    QWidget* rows_;
    QVBoxLayout* rowsLayout_;
    QString shown_; ///< what the rows were made for
    std::vector<QPushButton*> hearButtons_;
};

} // namespace facet
