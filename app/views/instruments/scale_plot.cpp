#include "app/views/instruments/scale_plot.h"

#include "app/views/common/plot_style.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "core/parameters/value_text.h"

#include <QVBoxLayout>
#include <algorithm>
#include <qcustomplot.h>

namespace facet {

namespace {

constexpr int curvePoints = 200;

bool standsOnLogarithm(const ParameterDescriptor& d, double lowest) {
    return d.scale == Scale::logarithmic && lowest > 0.0;
}

} // namespace

ScalePlot::ScalePlot(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(plot_);
    plot_->setMinimumHeight(150);
    plot_->setFocusPolicy(Qt::NoFocus);
    setAccessibleName(tr("Values that the positions stand for"));
    stylePlot(*plot_);
}

void ScalePlot::showNothing() {
    plot_->clearPlottables();
    plot_->xAxis->setVisible(false);
    plot_->yAxis->setVisible(false);
    plot_->replot();
}

void ScalePlot::show(const QString& control, const ParameterDescriptor& descriptor, const ControlScale* scale,
                     const std::vector<MeasuredPosition>& measured) {
    const Theme& t = theme();
    plot_->clearPlottables();
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis}) axis->setVisible(true);
    QVector<double> at, values;
    if (scale) {
        const auto [first, last] = scale->positions();
        for (int i = 0; i <= curvePoints; ++i) {
            at.append(first + (last - first) * i / curvePoints);
            values.append(scale->valueAt(at.back()));
        }
        QCPGraph* curve = plot_->addGraph();
        curve->setPen(QPen(t.reference, 2));
        curve->setData(at, values, true);
    }
    QVector<double> knownAt, known, below, above;
    for (const MeasuredPosition& each : measured) {
        if (!each.isIdentifiable) continue;
        knownAt.append(each.position);
        known.append(each.value);
        below.append(each.value - each.lowest);
        above.append(each.highest - each.value);
    }
    if (!knownAt.isEmpty()) {
        QCPGraph* dots = plot_->addGraph();
        dots->setLineStyle(QCPGraph::lsNone);
        dots->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, t.render, 7));
        dots->setData(knownAt, known);
        auto* range = new QCPErrorBars(plot_->xAxis, plot_->yAxis);
        range->setDataPlottable(dots);
        range->setPen(QPen(t.render, 1));
        range->setData(below, above);
        at += knownAt;
        values += known;
    }
    if (values.isEmpty()) return showNothing();
    const auto [lowest, highest] = std::minmax_element(values.begin(), values.end());
    const bool logarithmic = standsOnLogarithm(descriptor, *lowest);
    plot_->yAxis->setScaleType(logarithmic ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
    plot_->yAxis->setTicker(logarithmic ? QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog)
                                        : QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    plot_->yAxis->setNumberFormat(logarithmic ? "f" : "g");
    plot_->yAxis->setNumberPrecision(logarithmic && *lowest >= 1.0 ? 0 : logarithmic ? 1 : 4);
    const double room = logarithmic ? 0.0 : 0.05 * (*highest - *lowest);
    plot_->yAxis->setRange(logarithmic ? *lowest / 1.15 : *lowest - room,
                           logarithmic ? *highest * 1.15 : *highest + room);
    const auto [first, last] = std::minmax_element(at.begin(), at.end());
    const double side = 0.03 * (*last - *first);
    plot_->xAxis->setRange(*first - side, *last + side);
    plot_->xAxis->setLabel(tr("Position of %1").arg(control));
    const QString unit = text(symbolOf(descriptor.unit));
    plot_->yAxis->setLabel(unit.isEmpty() ? text(descriptor.label) : tr("%1 in %2").arg(text(descriptor.label), unit));
    plot_->replot();
}

} // namespace facet

#include "moc_scale_plot.cpp"
