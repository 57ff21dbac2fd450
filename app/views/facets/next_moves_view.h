// Next moves: the changes that bring the render closer, to hear and to take.
#pragma once

#include "core/parameters/table.h"

#include <QWidget>
#include <string>
#include <vector>

class QComboBox;
class QLabel;
class QToolButton;

namespace facet {

class MoveRow;
class DocumentStore;
class NextMovesController;

/// Five moves at most, the best first, each with its reason. Up and Down choose, Right hears it, Left what is before
/// it, Return takes it, Delete does not want to see it again. A list says what they are to be about.
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
    /// Does not propose it any more.
    void decline(int index);
    /// What the focus offers: the facet that is looked at, and the module that was opened last.
    void offer(Facet facet, const std::string& module);

protected:
    /// Looked for only while somebody sees them.
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void refreshFocus();
    void chooseFocus(int index);

    DocumentStore& document_;
    NextMovesController& nextMoves_;
    Facet facet_ = Facet::pitch;
    std::string module_;
    QLabel* title_;
    QComboBox* focus_;
    QToolButton* again_;
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
    void show(const QString& what, const QString& gain, const QString& why, bool heard, bool best);

signals:
    void hearWanted();
    void takeWanted();
    void declineWanted();
    void stepWanted(int by);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    QString what_, gain_, why_;
    bool best_ = false;
    QToolButton* hear_;
    QToolButton* take_;
    QToolButton* decline_;
};

} // namespace facet
