// The partials of a harmonic table as bars to draw.
#pragma once

#include "core/parameters/partial_table.h"

#include <QWidget>
#include <string>

namespace facet {

class DocumentStore;

/// Draws with the mouse, the right button takes partials away; arrow keys choose a partial and move its level, with
/// Shift finely, Page Up and Page Down by 6 dB; Delete takes it away. Shows changes at refresh().
class PartialsEditor : public QWidget {
    Q_OBJECT

public:
    PartialsEditor(DocumentStore& document, std::string path, QWidget* parent = nullptr);
    void refresh();
    QSize sizeHint() const override { return {320, 140}; }
    /// Center of a partial's bar at a level.
    QPointF placeOf(int n, double db) const;
    int chosen() const { return chosen_; }

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    PartialLevels levels() const;
    void take(const PartialLevels& levels);
    int partialAt(double x) const;
    double levelAt(double y) const;
    void drawTo(QPointF at, bool away);
    QString words() const;

    DocumentStore& document_;
    const std::string path_;
    int chosen_ = 1;
    int last_ = 0; ///< partial that the stroke has reached
    double lastDb_ = 0.0;
    int stroke_ = 0; ///< each is one step of undo
};

} // namespace facet
