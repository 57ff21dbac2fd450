// The page for recordings: the source whole, and the excerpts that the cue is matched to.
#pragma once

#include <QWidget>
#include <vector>

class QButtonGroup;
class QComboBox;
class QHBoxLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;

namespace facet {

class DocumentStore;
class ReferenceController;
class ResultsController;
class Listening;
class Playback;
class SourcePicture;
class ValueSlider;

/// Shows the source whole with the excerpts cut from it, and edits them through ReferenceController. The source is read
/// only while the page is visible. GUI thread only.
class ReferencePage : public QWidget {
    Q_OBJECT

public:
    explicit ReferencePage(DocumentStore& document, ReferenceController& reference, ResultsController& results,
                           Listening& listening, Playback& playback, QWidget* parent = nullptr);
    /// Shows the document as it stands.
    void refresh();
    SourcePicture& picture() { return *picture_; }
    /// Plays the chosen part of the source, or stops.
    void togglePlaying();

signals:
    /// The producer asks for a file, or to record one; the window asks which.
    void openWanted();
    void recordWanted();

protected:
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;

private:
    QWidget* makeSide();
    void makeTable(QWidget* side);
    void makeHearing(QWidget* side, QHBoxLayout* line);
    void refreshTable();
    void refreshSelection();
    void chooseChannels(int index);
    std::uint64_t chosenId() const;

    DocumentStore& document_;
    ReferenceController& reference_;
    ResultsController& results_;
    Listening& listening_;
    Playback& playback_;
    SourcePicture* picture_;
    QLabel* place_;
    QLabel* chosen_;
    QPushButton* add_;
    QPushButton* move_;
    QPushButton* out_;
    QPushButton* in_;
    QTableWidget* table_;
    QPushButton* remove_;
    QComboBox* channels_;
    QLineEdit* name_;
    ValueSlider* weight_;
    QLabel* weightText_;
    QButtonGroup* parts_;
    QPushButton* addPart_;
};

} // namespace facet
