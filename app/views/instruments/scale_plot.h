// What the positions of a control stand for, as a curve.
#pragma once

#include "core/instruments/instrument.h"
#include "core/measuring/measured_scale.h"

#include <QWidget>
#include <vector>

class QCustomPlot;

namespace facet {

/// The scale as a line, measured positions as dots with what comes about as near. GUI thread only.
class ScalePlot : public QWidget {
    Q_OBJECT

public:
    explicit ScalePlot(QWidget* parent = nullptr);
    /// `scale` may be null, and must be without a problem.
    void show(const QString& control, const ParameterDescriptor& descriptor, const ControlScale* scale,
              const std::vector<MeasuredPosition>& measured = {});
    void showNothing();

private:
    QCustomPlot* plot_;
};

} // namespace facet
