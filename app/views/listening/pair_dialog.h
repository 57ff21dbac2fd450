// Two takes side by side: what differs, how each does against the reference, their pictures and their sound.
#pragma once

#include "app/session/results/result_values.h"
#include "core/parameters/patch.h"

#include <QDialog>
#include <memory>

class QComboBox;
class QLabel;
class QPushButton;
class QTreeWidget;

namespace facet {

class FacetPlot;
class DocumentStore;
class TakeKeeper;
class PatchComparisons;
class Listening;
class Playback;

/// Both patches are rendered and measured in the background when chosen; a pair that is no longer chosen is not shown.
/// Either take can be made the patch that is worked on. GUI thread only.
class PairDialog : public QDialog {
    Q_OBJECT

public:
    /// `first` against the patch as it stands, to begin with; both can be chosen anew.
    PairDialog(DocumentStore& document, TakeKeeper& takes, PatchComparisons& comparisons, Listening& listening,
               Playback& playback, std::uint64_t first, QWidget* parent = nullptr);
    ~PairDialog() override;

private:
    void fill();
    void compare();
    void showPair(std::shared_ptr<const PatchPair> pair);
    void showPicture();
    const Patch* patchOf(int which) const;
    void hear(int which);

    DocumentStore& document_;
    TakeKeeper& takes_;
    PatchComparisons& comparisons_;
    Listening& listening_;
    Playback& playback_;
    quint64 ticket_ = 0;
    std::shared_ptr<const PatchPair> pair_;
    QComboBox* choices_[2];
    QTreeWidget* marks_;
    QTreeWidget* changes_;
    QLabel* about_;
    FacetPlot* plot_;
    QPushButton* hear_[2];
    QPushButton* back_[2];
};

} // namespace facet
