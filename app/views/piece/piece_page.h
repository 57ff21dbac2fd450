// The piece that the cues belong to: which cues are heard in it, where and how loud, and the backing they play to.
#pragma once

#include <QWidget>
#include <cstdint>
#include <vector>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QPushButton;
class QToolButton;

namespace facet {

class PieceLanes;
struct Cue;
struct Excerpt;
class DocumentStore;
class PieceEditor;
class Listening;
class Playback;

/// Edits the piece through PieceEditor: a table of cues and excerpts above their lanes on one time line. GUI thread
/// only.
class PiecePage : public QWidget {
    Q_OBJECT

public:
    explicit PiecePage(DocumentStore& document, PieceEditor& piece, Listening& listening, Playback& playback,
                       QWidget* parent = nullptr);
    PieceLanes& lanes() { return *lanes_; }
    /// Seconds into the piece.
    void setPlayhead(double seconds, bool playing);

signals:
    /// Ask for a file.
    void backingWanted();

private:
    struct Row {
        std::uint64_t cue;
        std::uint64_t excerpt;
        QCheckBox* heard = nullptr; ///< of the cue's first row only, as are level and what is heard
        QLabel* name = nullptr;
        QDoubleSpinBox* place = nullptr;
        QDoubleSpinBox* level = nullptr;
        QComboBox* take = nullptr;
    };
    void rebuild();
    Row makeRow(const Cue& cue, const Excerpt& excerpt, QGridLayout* grid);
    void makePart(Row& row, const Cue& cue, QGridLayout* grid, int line);
    void refresh();
    void refreshHearing();
    QDoubleSpinBox* levelBox(QWidget* parent, const QString& of);

    DocumentStore& document_;
    PieceEditor& piece_;
    Listening& listening_;
    Playback& playback_;
    QPushButton* together_;
    QComboBox* loop_;
    QLabel* state_;
    QPushButton* choose_;
    QToolButton* remove_;
    QWidget* table_ = nullptr;
    QLabel* backing_ = nullptr;
    QDoubleSpinBox* backingLevel_ = nullptr;
    PieceLanes* lanes_;
    std::vector<Row> rows_;
    bool filling_ = false;
};

} // namespace facet
