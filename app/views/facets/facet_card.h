// One facet's card: a button that chooses it, with both sounds sketched, its likeness and its largest difference.
#pragma once

#include "app/session/results/result_values.h"
#include "core/parameters/table.h"

#include <QAbstractButton>
#include <vector>

namespace facet {

/// The facet's name as the window writes it.
QString nameOf(Facet facet);

/// A click or the space bar chooses it. The context menu sets how much the facet counts; the key 0 sets it aside and
/// back.
class FacetCard : public QAbstractButton {
    Q_OBJECT

public:
    FacetCard(Facet facet, QWidget* parent);
    Facet facet() const { return facet_; }
    /// `weight`: how much it counts in the whole.
    void show(const CueResults& results, double weight);

signals:
    /// How much it shall count.
    void weighed(double weight);

protected:
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent*) override;

private:
    void drawCurve(QPainter& painter, const QRectF& area, const std::vector<float>& values, const QPen& pen) const;

    const Facet facet_;
    double weight_ = 1.0;
    QString likeness_ = "–";
    QString words_;
    bool current_ = false;
    std::vector<float> reference_;
    std::vector<float> render_;
};

} // namespace facet
