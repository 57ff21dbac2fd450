// The page for notes: the editor and what one does to notes as a whole.
#pragma once

#include <QWidget>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QSpinBox;

namespace facet {

class MirrorView;
class NoteEditor;
class ReadingsBar;
class DocumentStore;
class NotesController;
class ResultsController;
class Listening;

/// The note editor with its tools: grid, quantizing, joining, tempo and meter, and which curve the lane shows. Every
/// tool edits through NotesController, so each is one step of undo. GUI thread only.
class NotesPage : public QWidget {
    Q_OBJECT

public:
    NotesPage(DocumentStore& document, NotesController& notes, ResultsController& results, Listening& listening,
              MirrorView& mirror, QWidget* parent = nullptr);
    /// Shows the document as it stands; call after it has changed.
    void refresh();
    NoteEditor& editor() { return *editor_; }

signals:
    /// The producer asks to read notes from a file, or to write them to one; the window asks for the file.
    void importWanted();
    void exportWanted();

private:
    QWidget* makeTools();
    void refreshLanes();
    void quantizeChosen();
    void takeBends();

    DocumentStore& document_;
    NotesController& notes_;
    ResultsController& results_;
    Listening& listening_;
    ReadingsBar* readings_;
    NoteEditor* editor_;
    QComboBox* step_;
    QCheckBox* snap_;
    QPushButton* quantize_;
    QPushButton* join_;
    QPushButton* delete_;
    QDoubleSpinBox* tempo_;
    QSpinBox* meter_;
    QComboBox* lane_;
    QPushButton* clear_;
    QPushButton* bends_;
    QLabel* summary_;
};

} // namespace facet
