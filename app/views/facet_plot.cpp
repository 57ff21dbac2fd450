#include "app/views/facet_plot.h"

#include "app/views/plot_style.h"
#include "app/views/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>
#include <qcustomplot.h>

namespace facet {

namespace {

QString pictureTitle(Facet facet) {
    switch (facet) {
    case Facet::pitch: return QObject::tr("cents against the note, over time");
    case Facet::level: return QObject::tr("level over time, at equal loudness");
    case Facet::harmonics: return QObject::tr("level of each partial, re the strongest");
    case Facet::brightness: return QObject::tr("effective cutoff over time (−6 dB)");
    default: return {};
    }
}

struct Curve {
    QVector<double> x;
    QVector<double> y;
};

/// A facet's track with gaps where it is not measurable.
Curve curveOf(Facet facet, const Profile& profile, double gain) {
    const Track& track = facet == Facet::pitch   ? profile.pitchCents
                         : facet == Facet::level ? profile.levelDb
                                                 : profile.cutoffHz;
    const std::size_t step = facet == Facet::level ? 4 : 1;
    Curve curve;
    for (std::size_t i = 0; i < track.values.size(); i += step) {
        double y = track.values[i];
        if (facet == Facet::level) y = std::max(y + gain, -120.0);
        curve.x << static_cast<double>(i) * track.stepSeconds;
        curve.y << y;
    }
    return curve;
}

} // namespace

FacetPlot::FacetPlot(QWidget* parent)
    : QWidget(parent), plot_(new QCustomPlot(this)), title_(new QLabel(this)), readout_(new QLabel(this)) {
    title_->setFont(interfaceFont(10.5, QFont::DemiBold));
    readout_->setObjectName("quiet");
    readout_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* head = new QHBoxLayout;
    head->addWidget(title_);
    head->addWidget(readout_, 1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(2);
    layout->addLayout(head);
    layout->addWidget(plot_, 1);
    plot_->setMinimumHeight(130);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->setAccessibleName(tr("Picture of the chosen facet"));
    plot_->setToolTip(tr("Wheel: zoom · drag: move · double-click: show all"));
    connect(plot_, &QCustomPlot::mouseMove, this,
            [this](QMouseEvent* event) { readOff(plot_->xAxis->pixelToCoord(event->position().x())); });
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, [this] {
        plot_->rescaleAxes();
        plot_->replot();
    });
    restyle();
}

void FacetPlot::restyle() {
    stylePlot(*plot_);
    plot_->replot();
}

void FacetPlot::show(Facet facet, const CueResults& results) {
    const bool sameFacet = facet == facet_;
    facet_ = facet;
    const std::string_view label = labelOf(facet);
    title_->setText(QString("%1  <span style='font-weight:400;color:%2'>%3</span>")
                        .arg(QString::fromUtf8(label.data(), static_cast<qsizetype>(label.size())),
                             theme().quiet.name(), pictureTitle(facet)));
    if (!sameFacet) readout_->clear();
    plot_->clearPlottables();
    if (results.reference.profile) {
        if (facet == Facet::harmonics)
            showPartials(results);
        else
            showTracks(facet, results);
    }
    plot_->replot();
}

void FacetPlot::showTracks(Facet facet, const CueResults& results) {
    const Theme& t = theme();
    const Profile& reference = *results.reference.profile;
    const bool logarithmic = facet == Facet::brightness;
    plot_->yAxis->setScaleType(logarithmic ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
    plot_->yAxis->setTicker(logarithmic ? QSharedPointer<QCPAxisTicker>(new QCPAxisTickerLog)
                                        : QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    plot_->yAxis->setNumberFormat(logarithmic ? "f" : "g");
    plot_->yAxis->setNumberPrecision(logarithmic ? 0 : 4);
    if (auto ticker = qSharedPointerDynamicCast<QCPAxisTickerLog>(plot_->yAxis->ticker())) {
        ticker->setLogBase(2);
        ticker->setSubTickCount(0);
    }
    plot_->xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    plot_->xAxis->setLabel(tr("seconds"));
    plot_->yAxis->setLabel(facet == Facet::pitch ? tr("cents") : facet == Facet::level ? tr("dB") : tr("Hz"));
    const auto addCurve = [&](const Profile& profile, double gain, const QPen& pen) {
        const Curve curve = curveOf(facet, profile, gain);
        QCPGraph* graph = plot_->addGraph();
        graph->setData(curve.x, curve.y, true);
        graph->setPen(pen);
    };
    addCurve(reference, 0.0, QPen(t.reference, 2));
    if (results.render.profile)
        addCurve(*results.render.profile, reference.loudness - results.render.profile->loudness,
                 QPen(t.render, 2, Qt::DashLine));
    plot_->rescaleAxes();
    plot_->xAxis->setRange(0.0, reference.seconds);
    const QCPRange range = plot_->yAxis->range();
    if (facet == Facet::level) plot_->yAxis->setRange(std::max(range.lower, range.upper - 66.0), range.upper + 3.0);
    if (facet == Facet::pitch)
        plot_->yAxis->setRange(std::min(range.lower - 5.0, -30.0), std::max(range.upper + 5.0, 30.0));
    if (logarithmic) plot_->yAxis->setRange(std::max(20.0, range.lower * 0.8), std::min(24000.0, range.upper * 1.25));
}

void FacetPlot::showPartials(const CueResults& results) {
    const Theme& t = theme();
    plot_->yAxis->setScaleType(QCPAxis::stLinear);
    plot_->yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
    plot_->yAxis->setNumberFormat("g");
    plot_->yAxis->setNumberPrecision(4);
    auto ticker = QSharedPointer<QCPAxisTickerFixed>(new QCPAxisTickerFixed);
    ticker->setTickStep(2.0);
    ticker->setTickOrigin(1.0);
    plot_->xAxis->setTicker(ticker);
    plot_->xAxis->setLabel(tr("partial"));
    plot_->yAxis->setLabel(tr("dB"));
    const auto addBars = [&](const Profile& profile, double shift, const QColor& color, Qt::BrushStyle style) {
        auto* bars = new QCPBars(plot_->xAxis, plot_->yAxis);
        QVector<double> x;
        QVector<double> y;
        for (int n = 1; n <= 32; ++n) {
            x << n + shift;
            y << std::max(0.0, profile.partials[static_cast<std::size_t>(n - 1)] + 70.0);
        }
        bars->setData(x, y);
        bars->setBaseValue(-70.0);
        for (double& v : y) v -= 70.0;
        bars->setData(x, y);
        bars->setWidth(0.34);
        bars->setPen(QPen(color, 1));
        bars->setBrush(QBrush(color, style));
    };
    addBars(*results.reference.profile, -0.19, t.reference, Qt::SolidPattern);
    if (results.render.profile) addBars(*results.render.profile, 0.19, t.render, Qt::BDiagPattern);
    plot_->xAxis->setRange(0.2, 32.8);
    plot_->yAxis->setRange(-70.0, 3.0);
}

void FacetPlot::readOff(double x) {
    QString unit = facet_ == Facet::pitch ? tr("ct") : facet_ == Facet::brightness ? tr("Hz") : tr("dB");
    QStringList values;
    const auto value = [&](double v, const QColor& color) {
        values << QString("<span style='color:%1'>%2 %3</span>")
                      .arg(color.name(),
                           std::isfinite(v)
                               ? QString::number(v, 'f', facet_ == Facet::brightness ? 0 : 1).replace('-', "−")
                               : "–",
                           unit);
    };
    if (facet_ == Facet::harmonics) {
        const int n = static_cast<int>(std::lround(x));
        if (n < 1 || n > 32) return;
        for (int i = 0; i < plot_->plottableCount(); ++i)
            if (auto* bars = qobject_cast<QCPBars*>(plot_->plottable(i)))
                value(bars->data()->at(n - 1)->value, i == 0 ? theme().reference : theme().render);
        readout_->setText(tr("partial %1: %2").arg(n).arg(values.join("  ")));
        return;
    }
    for (int i = 0; i < plot_->graphCount(); ++i) {
        const auto found = plot_->graph(i)->data()->findBegin(x);
        if (found != plot_->graph(i)->data()->constEnd())
            value(found->value, i == 0 ? theme().reference : theme().render);
    }
    if (x >= 0.0) readout_->setText(tr("%1 s: %2").arg(x, 0, 'f', 2).arg(values.join("  ")));
}

} // namespace facet
