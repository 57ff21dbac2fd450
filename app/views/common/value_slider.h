// A slim horizontal slider for one parameter.
#pragma once

#include <QSlider>

namespace facet {

/// 0…1000 along the parameter's own scale. Drag, click, wheel, arrow keys; Shift moves finely; double-click asks
/// for the default.
class ValueSlider : public QSlider {
    Q_OBJECT

public:
    explicit ValueSlider(QWidget* parent = nullptr);
    QSize sizeHint() const override { return {110, 18}; }

    /// Part of the scale that stands out; empty: none.
    void markRange(double low, double high);

signals:
    /// The producer moved it to a position in [0, 1].
    void moved(double position);
    void defaultWanted();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void wheelEvent(QWheelEvent*) override;

private:
    void moveTo(double position);
    double markLow_ = 0.0, markHigh_ = 0.0;
    double dragStart_ = 0.0;
    double dragValue_ = 0.0;
};

} // namespace facet
