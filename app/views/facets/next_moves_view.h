// Next moves: the changes that bring the render closer, to hear and to take.
#pragma once

#include <QWidget>
#include <vector>

class QLabel;
class QToolButton;

namespace facet {

class MoveRow;
class DocumentStore;
class NextMovesController;

/// Five lines at most, the best first. Up and Down choose, Right hears it, Left what is before it, Return takes.
class MovesView : public QWidget {
    Q_OBJECT

public:
    explicit MovesView(DocumentStore& document, NextMovesController& nextMoves, QWidget* parent = nullptr);
    /// Shows the moves as they stand.
    void refresh();
    /// The move that is heard in place of the patch; −1: none.
    int heard() const { return heard_; }
    /// Plays the phrase with a move in place of the patch; −1: the patch again.
    void hear(int index);
    /// Makes a move an edit of the patch.
    void take(int index);

protected:
    /// Looked for only while somebody sees them.
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    DocumentStore& document_;
    NextMovesController& nextMoves_;
    QLabel* title_;
    QLabel* state_;
    std::vector<MoveRow*> rows_;
    int heard_ = -1;
};

/// One of them.
class MoveRow : public QWidget {
    Q_OBJECT

public:
    explicit MoveRow(QWidget* parent);
    /// `heard`: it plays in place of the patch. `best`: it stands out as the first.
    void show(const QString& what, const QString& gain, bool heard, bool best);

signals:
    void hearWanted();
    void takeWanted();
    void stepWanted(int by);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    QString what_, gain_;
    bool best_ = false;
    QToolButton* hear_;
    QToolButton* take_;
};

} // namespace facet
