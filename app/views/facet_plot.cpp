#include "app/views/facet_plot.h"

#include "app/views/plot_style.h"
#include "app/views/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <qcustomplot.h>

namespace facet {

namespace {

struct PlottedCurve {
    QVector<double> x;
    QVector<double> y;
};

/// How one facet is drawn: what runs along the axes, and the curve of one profile.
struct Picture {
    QString title;
    QString xLabel = {};
    QString yLabel = {};
    QString unit = {};   ///< of a value read off
    int decimals = 1;    ///< of a value read off
    bool xIsHz = false;  ///< logarithmic, third octaves
    bool yIsHz = false;  ///< logarithmic, octaves
    double leastY = 1.0; ///< smallest height shown
    bool points = false; ///< few values: marks besides the line
    PlottedCurve (*curve)(const Profile& profile, double gain);
};

/// A track with gaps where it is not measurable.
PlottedCurve curveOf(const Track& track, std::size_t step = 1) {
    PlottedCurve curve;
    for (std::size_t i = 0; i < track.values.size(); i += step) {
        curve.x << static_cast<double>(i) * track.stepSeconds;
        curve.y << track.values[i];
    }
    return curve;
}

PlottedCurve levelCurve(const Profile& profile, double gain) {
    PlottedCurve curve = curveOf(profile.levelDb, 4);
    for (double& y : curve.y) y = std::max(y + gain, -120.0);
    return curve;
}

PlottedCurve motionCurve(const Profile& profile, double) {
    PlottedCurve curve;
    const PeriodicChange& change = profile.motion.strongest().change;
    if (!change.found()) return curve;
    for (int i = 0; i <= 2 * cyclePoints; ++i) {
        curve.x << 1000.0 * i / (cyclePoints * change.rateHz);
        curve.y << change.cycle[static_cast<std::size_t>(i % cyclePoints)];
    }
    return curve;
}

PlottedCurve widthCurve(const Profile& profile, double) {
    PlottedCurve curve;
    for (const WidthBand& band : profile.width.thirdOctaves) {
        curve.x << band.centerHz;
        curve.y << band.sideDb;
    }
    return curve;
}

PlottedCurve spaceCurve(const Profile& profile, double) {
    PlottedCurve curve;
    for (const Decay& decay : profile.space.decays) {
        curve.x << decay.centerHz;
        curve.y << decay.t20;
    }
    return curve;
}

Picture pictureOf(Facet facet) {
    switch (facet) {
    case Facet::pitch:
        return {.title = QObject::tr("cents against the note, over time"),
                .xLabel = QObject::tr("seconds"),
                .yLabel = QObject::tr("cents"),
                .unit = QObject::tr("ct"),
                .leastY = 60.0,
                .curve = [](const Profile& p, double) { return curveOf(p.pitchCents); }};
    case Facet::level:
        return {.title = QObject::tr("level over time, at equal loudness"),
                .xLabel = QObject::tr("seconds"),
                .yLabel = QObject::tr("dB"),
                .unit = QObject::tr("dB"),
                .leastY = 12.0,
                .curve = levelCurve};
    case Facet::brightness:
        return {.title = QObject::tr("effective cutoff over time (−6 dB)"),
                .xLabel = QObject::tr("seconds"),
                .yLabel = QObject::tr("Hz"),
                .unit = QObject::tr("Hz"),
                .decimals = 0,
                .yIsHz = true,
                .curve = [](const Profile& p, double) { return curveOf(p.cutoffHz); }};
    case Facet::noise:
        return {.title = QObject::tr("harmonics to noise over time; 55 dB is clean"),
                .xLabel = QObject::tr("seconds"),
                .yLabel = QObject::tr("dB"),
                .unit = QObject::tr("dB"),
                .leastY = 20.0,
                .curve = [](const Profile& p, double) { return curveOf(p.noise.ratioDb); }};
    case Facet::motion:
        return {.title = QObject::tr("two cycles of what moves most"),
                .xLabel = QObject::tr("milliseconds"),
                .yLabel = QString(),
                .unit = QString(),
                .decimals = 2,
                .leastY = 0.1,
                .curve = motionCurve};
    case Facet::width:
        return {.title = QObject::tr("side re mid in third octaves; below −20 dB is mono"),
                .xLabel = QObject::tr("Hz"),
                .yLabel = QObject::tr("dB"),
                .unit = QObject::tr("dB"),
                .xIsHz = true,
                .leastY = 24.0,
                .points = true,
                .curve = widthCurve};
    case Facet::space:
        return {.title = QObject::tr("decay after the notes (T20) in octaves"),
                .xLabel = QObject::tr("Hz"),
                .yLabel = QObject::tr("seconds"),
                .unit = QObject::tr("s"),
                .decimals = 2,
                .xIsHz = true,
                .leastY = 0.5,
                .points = true,
                .curve = spaceCurve};
    case Facet::harmonics:
        return {.title = QObject::tr("level of each partial, re the strongest"),
                .unit = QObject::tr("dB"),
                .curve = nullptr};
    }
    return {};
}

void setLogarithmic(QCPAxis& axis, bool on, double base) {
    axis.setScaleType(on ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
    axis.setNumberFormat(on ? "f" : "g");
    axis.setNumberPrecision(on ? 0 : 4);
    if (!on) {
        axis.setTicker(QSharedPointer<QCPAxisTicker>(new QCPAxisTicker));
        return;
    }
    auto ticker = QSharedPointer<QCPAxisTickerLog>(new QCPAxisTickerLog);
    ticker->setLogBase(base);
    ticker->setSubTickCount(0);
    axis.setTicker(ticker);
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
    nothing_ = new QCPItemText(plot_);
    nothing_->position->setType(QCPItemPosition::ptAxisRectRatio);
    nothing_->position->setCoords(0.5, 0.5);
    nothing_->setVisible(false);
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
                             theme().quiet.name(), pictureOf(facet).title));
    if (!sameFacet) readout_->clear();
    plot_->clearPlottables();
    if (results.reference.profile) {
        if (facet == Facet::harmonics)
            showPartials(results);
        else
            showCurves(facet, results);
    }
    plot_->replot();
}

void FacetPlot::showCurves(Facet facet, const CueResults& results) {
    const Theme& t = theme();
    const Profile& reference = *results.reference.profile;
    const Picture picture = pictureOf(facet);
    setLogarithmic(*plot_->xAxis, picture.xIsHz, 2.0);
    if (picture.xIsHz) { // the octaves' own names
        auto ticker = QSharedPointer<QCPAxisTickerText>(new QCPAxisTickerText);
        for (double hz : {31.5, 63.0, 125.0, 250.0, 500.0}) ticker->addTick(hz, QString::number(hz));
        for (double khz : {1.0, 2.0, 4.0, 8.0, 16.0}) ticker->addTick(1000.0 * khz, tr("%1k").arg(khz));
        plot_->xAxis->setTicker(ticker);
    }
    setLogarithmic(*plot_->yAxis, picture.yIsHz, 2.0);
    plot_->xAxis->setLabel(picture.xLabel);
    plot_->yAxis->setLabel(facet == Facet::motion ? motionLabel(reference, results.render.profile.get())
                                                  : picture.yLabel);
    bool anything = false;
    const auto addCurve = [&](const Profile& profile, double gain, const QPen& pen) {
        const PlottedCurve curve = picture.curve(profile, gain);
        QCPGraph* graph = plot_->addGraph();
        graph->setData(curve.x, curve.y, true);
        graph->setPen(pen);
        if (picture.points) graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, 4));
        anything = anything || std::any_of(curve.y.begin(), curve.y.end(), [](double y) { return std::isfinite(y); });
    };
    addCurve(reference, 0.0, QPen(t.reference, 2));
    if (results.render.profile)
        addCurve(*results.render.profile, reference.loudness - results.render.profile->loudness,
                 QPen(t.render, 2, Qt::DashLine));
    showNothing(!anything, facet);
    plot_->rescaleAxes();
    if (picture.xIsHz)
        plot_->xAxis->setRange(facet == Facet::space ? 100.0 : 22.0, facet == Facet::space ? 10000.0 : 18000.0);
    else if (facet != Facet::motion)
        plot_->xAxis->setRange(0.0, reference.seconds);
    if (!anything) {
        plot_->yAxis->setRange(0.0, picture.leastY);
        return;
    }
    const QCPRange range = plot_->yAxis->range();
    if (picture.yIsHz) {
        plot_->yAxis->setRange(std::max(20.0, range.lower * 0.8), std::min(24000.0, range.upper * 1.25));
        return;
    }
    if (facet == Facet::level) {
        plot_->yAxis->setRange(std::max(range.lower, range.upper - 66.0), range.upper + 3.0);
        return;
    }
    const double spare = 0.08 * std::max(range.size(), picture.leastY);
    const double middle = range.center();
    const double height = std::max(range.size() + 2.0 * spare, picture.leastY);
    plot_->yAxis->setRange(middle - 0.5 * height, middle + 0.5 * height);
    if (facet == Facet::space) plot_->yAxis->setRangeLower(0.0);
}

QString FacetPlot::motionLabel(const Profile& reference, const Profile* render) {
    const NamedMotion motion = reference.motion.strongest().change.found() || !render ? reference.motion.strongest()
                                                                                      : render->motion.strongest();
    return motion.change.found() ? QString("%1, %2").arg(motion.name, motion.unit) : QString();
}

void FacetPlot::showNothing(bool empty, Facet facet) {
    nothing_->setVisible(empty);
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis}) axis->setTickLabels(!empty); // numbers of nothing
    if (!empty) return;
    nothing_->setText(facet == Facet::motion  ? tr("Nothing moves periodically in either sound.")
                      : facet == Facet::width ? tr("A mono recording has no width.")
                      : facet == Facet::space ? tr("No tail long enough to measure follows the notes.")
                                              : tr("Not measurable in this sound."));
    nothing_->setColor(theme().quiet);
    nothing_->setFont(interfaceFont(10));
}

void FacetPlot::showPartials(const CueResults& results) {
    const Theme& t = theme();
    nothing_->setVisible(false);
    setLogarithmic(*plot_->xAxis, false, 2.0);
    setLogarithmic(*plot_->yAxis, false, 2.0);
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
    const Picture picture = pictureOf(facet_);
    QStringList values;
    const auto value = [&](double v, const QColor& color) {
        values << QString("<span style='color:%1'>%2 %3</span>")
                      .arg(color.name(),
                           std::isfinite(v) ? QString::number(v, 'f', picture.decimals).replace('-', "−") : "–",
                           picture.unit);
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
    if (x < 0.0 || values.isEmpty()) return;
    const QString where = picture.xIsHz             ? tr("%1 Hz").arg(x, 0, 'f', 0)
                          : facet_ == Facet::motion ? tr("%1 ms").arg(x, 0, 'f', 0)
                                                    : tr("%1 s").arg(x, 0, 'f', 2);
    readout_->setText(QString("%1: %2").arg(where, values.join("  ")));
}

} // namespace facet
