// The search: what is tried, likeness over time, what was found.
#pragma once

#include <QWidget>
#include <vector>

class QComboBox;
class QCustomPlot;
class QLabel;
class QProgressBar;
class QPushButton;
class QTabWidget;
class QVBoxLayout;

namespace facet {

class FacetWeightsView;
class SearchValues;
class DocumentStore;
class PatchEditor;
class SeedBankKeeper;
class MatchController;
class VariationsController;
class ElementsController;
class ElementsView;
class InstrumentChoice;
class InstrumentKeeper;
class Messages;
class VariationsView;
struct MatchState;
struct ScoredPatch;

/// Starts, stops and continues searches; draws likeness over time while one runs; lists what leads or was found, to
/// hear and to take. Beside it: what the patch is made of, values and locks, facet weights, variations, shortfalls. GUI
/// thread only.
class SearchView : public QWidget {
    Q_OBJECT

public:
    explicit SearchView(DocumentStore& document, PatchEditor& patchEditor, SeedBankKeeper& bank,
                        MatchController& matching, VariationsController& variations, ElementsController& elements,
                        InstrumentKeeper& instruments, Messages& messages, QWidget* parent = nullptr);
    /// Shows the search, and the patch it would start from, as they stand.
    void refresh();
    /// Draws the plot anew in the theme's colors; call after the theme has changed.
    void restyle();
    /// Turns to what the patch is made of.
    void showElements();
    /// How long the chosen effort lets a search run, seconds.
    double seconds() const;

private:
    void showHistory();
    void showFound();
    QWidget* makeFoundRow(std::size_t i);
    void showTrials();
    QString wordsOfReading(const MatchState& state, const ScoredPatch& found) const;
    void showMoving();
    void showShortfalls();
    QString figures(int locks) const;
    void markRow(QWidget* row, int index) const;

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    SeedBankKeeper& bank_;
    MatchController& matching_;
    Messages& messages_;
    QPushButton* start_;
    QPushButton* goOn_;
    QTabWidget* side_;
    ElementsView* elements_;
    SearchValues* values_;
    FacetWeightsView* weights_;
    VariationsView* variations_;
    QComboBox* seconds_;
    InstrumentChoice* instrument_;
    QLabel* trying_;
    QLabel* figures_;
    QProgressBar* progress_;
    QCustomPlot* plot_;
    QWidget* found_;
    QVBoxLayout* foundLayout_;
    std::vector<QWidget*> rows_; ///< of what leads or was found
    QString shownFound_;         ///< what the rows were made for; they are made anew only when that changes
};

} // namespace facet
