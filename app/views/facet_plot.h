// The large picture of one facet: both sounds in one plot.
#pragma once

#include "app/session/results.h"
#include "core/parameters/table.h"

#include <QWidget>

class QCPItemText;
class QCustomPlot;
class QLabel;

namespace facet {

/// Curves over time or frequency, or partial levels side by side. Moving the mouse reads both sounds off.
class FacetPlot : public QWidget {
    Q_OBJECT

public:
    explicit FacetPlot(QWidget* parent = nullptr);
    void show(Facet facet, const CueResults& results);
    void restyle();

private:
    void showCurves(Facet facet, const CueResults& results);
    void showNothing(bool empty, Facet facet);
    static QString motionLabel(const Profile& reference, const Profile* render);
    void showPartials(const CueResults& results);
    void readOff(double x);

    QCustomPlot* plot_;
    QCPItemText* nothing_ = nullptr; ///< why the plot is empty
    QLabel* title_;
    QLabel* readout_;
    Facet facet_ = Facet::brightness;
};

} // namespace facet
