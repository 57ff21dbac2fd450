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
class DocumentStore;
class NotesController;
class ResultsController;
class Listening;

class NotesPage : public QWidget {
    Q_OBJECT

public:
    NotesPage(DocumentStore& document, NotesController& notes, ResultsController& results, Listening& listening,
              MirrorView& mirror, QWidget* parent = nullptr);
    void refresh();
    NoteEditor& editor() { return *editor_; }

signals:
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
