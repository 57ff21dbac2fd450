#include "app/views/facets/facet_plot.h"

#include "app/views/facets/facet_card.h"
#include "app/views/common/plot_style.h"
#include "app/views/common/theme.h"
#include "core/base/error.h"
#include "core/base/files.h"

#include <QComboBox>
#include <QContextMenuEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QSignalBlocker>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <qcustomplot.h>

namespace facet {

namespace {

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

QString number(double value, int decimals) {
    return std::isfinite(value) ? QString::number(value, 'f', decimals).replace('-', "−") : QStringLiteral("–");
}

/// Value of a curve nearest to a place; not a number where there is none.
double valueAt(const PlottedCurve& curve, double x) {
    if (curve.x.isEmpty()) return std::nan("");
    const auto found = std::lower_bound(curve.x.begin(), curve.x.end(), x);
    auto at = found == curve.x.end() ? curve.x.size() - 1 : found - curve.x.begin();
    if (at > 0 && std::abs(curve.x[at - 1] - x) < std::abs(curve.x[at] - x)) --at;
    return curve.y[at];
}

} // namespace

FacetPlot::FacetPlot(QWidget* parent)
    : QWidget(parent), plot_(new QCustomPlot(this)), title_(new QLabel(this)), chooser_(new QComboBox(this)),
      readout_(new QLabel(this)), pictures_(picturesOf(facet_)) {
    setFocusPolicy(Qt::StrongFocus);
    title_->setFont(interfaceFont(10.5, QFont::DemiBold));
    chooser_->setAccessibleName(tr("Picture"));
    chooser_->setObjectName("facetPicture");
    chooser_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    chooser_->setMinimumContentsLength(12);
    chooser_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    chooser_->setMaximumHeight(24);
    connect(chooser_, &QComboBox::activated, this, &FacetPlot::choosePicture);
    readout_->setObjectName("quiet");
    readout_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* keep = new QToolButton(this);
    keep->setText(tr("Save …"));
    keep->setObjectName("flat");
    keep->setAutoRaise(true);
    keep->setPopupMode(QToolButton::InstantPopup);
    keep->setToolTip(tr("Save this picture or its numbers"));
    keep->setAccessibleName(tr("Save the picture or its numbers"));
    auto* menu = new QMenu(keep);
    menu->addAction(tr("Picture (PNG) …"), this, [this] { save(false); });
    menu->addAction(tr("Numbers (CSV) …"), this, [this] { save(true); });
    keep->setMenu(menu);
    auto* head = new QHBoxLayout;
    head->addWidget(title_);
    head->addWidget(chooser_, 3);
    head->addWidget(readout_, 2);
    head->addWidget(keep);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(2);
    layout->addLayout(head);
    layout->addWidget(plot_, 1);
    nothing_ = new QCPItemText(plot_);
    nothing_->position->setType(QCPItemPosition::ptAxisRectRatio);
    nothing_->position->setCoords(0.5, 0.5);
    nothing_->setVisible(false);
    cursorLine_ = new QCPItemLine(plot_);
    cursorLine_->setVisible(false);
    for (QCPItemPosition* end : {cursorLine_->start, cursorLine_->end}) {
        end->setTypeX(QCPItemPosition::ptPlotCoords);
        end->setTypeY(QCPItemPosition::ptAxisRectRatio);
    }
    plot_->setMinimumHeight(130);
    plot_->setFocusPolicy(Qt::NoFocus); // the keys are this widget's
    plot_->setContextMenuPolicy(Qt::NoContextMenu);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    setAccessibleName(tr("Picture of the chosen facet"));
    plot_->setToolTip(tr("Wheel, + and −: zoom · drag: move · ← and →: cursor · double-click, Home: show all"));
    connect(plot_, &QCustomPlot::mouseMove, this,
            [this](QMouseEvent* event) { moveCursor(plot_->xAxis->pixelToCoord(event->position().x())); });
    connect(plot_, &QCustomPlot::mousePress, this, [this] { setFocus(Qt::MouseFocusReason); });
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, &FacetPlot::showAll);
    restyle();
}

void FacetPlot::restyle() {
    stylePlot(*plot_);
    cursorLine_->setPen(QPen(theme().quiet, 1, Qt::DashLine));
    draw();
}

void FacetPlot::show(Facet facet, const CueResults& results) {
    reference_ = results.reference.profile;
    render_ = results.render.profile;
    if (facet != facet_ || chooser_->count() == 0) {
        facet_ = facet;
        pictures_ = picturesOf(facet);
        chosen_ = std::clamp(lastChosen_[static_cast<std::size_t>(facet)], 0, static_cast<int>(pictures_.size()) - 1);
        const QSignalBlocker quiet(chooser_);
        chooser_->clear();
        for (const FacetPicture& each : pictures_) chooser_->addItem(each.title);
        chooser_->setCurrentIndex(chosen_);
        chooser_->setEnabled(pictures_.size() > 1);
        title_->setText(nameOf(facet));
        chooser_->setToolTip(picture().title);
        readout_->clear();
        plainReadout_.clear();
        cursorLine_->setVisible(false);
        cursor_ = 0.0;
    }
    draw();
}

void FacetPlot::choosePicture(int index) {
    if (index < 0 || index >= static_cast<int>(pictures_.size())) return;
    chosen_ = lastChosen_[static_cast<std::size_t>(facet_)] = index;
    chooser_->setCurrentIndex(index);
    cursorLine_->setVisible(false);
    draw();
}

void FacetPlot::draw() {
    plot_->clearPlottables();
    if (reference_) picture().form == FacetPicture::Form::curves ? drawCurves() : drawPartials();
    plot_->replot();
}

void FacetPlot::setAxes(const FacetPicture& shown) {
    setLogarithmic(*plot_->xAxis, shown.xIsHz && !linear_, 2.0);
    if (shown.xIsHz && !linear_) { // the octaves' own names
        auto ticker = QSharedPointer<QCPAxisTickerText>(new QCPAxisTickerText);
        for (double hz : {31.5, 63.0, 125.0, 250.0, 500.0}) ticker->addTick(hz, QString::number(hz));
        for (double khz : {1.0, 2.0, 4.0, 8.0, 16.0}) ticker->addTick(1000.0 * khz, tr("%1k").arg(khz));
        plot_->xAxis->setTicker(ticker);
    }
    setLogarithmic(*plot_->yAxis, shown.yIsHz && !linear_, 2.0);
    plot_->xAxis->setLabel(shown.xLabel);
    plot_->yAxis->setLabel(facet_ == Facet::motion ? motionLabel() : shown.yLabel);
}

void FacetPlot::drawCurves() {
    const Theme& t = theme();
    const FacetPicture& shown = picture();
    setAxes(shown);
    bool anything = false;
    const auto addCurve = [&](const PlottedCurve& curve, const QPen& pen, bool marks) {
        QCPGraph* graph = plot_->addGraph();
        graph->setData(curve.x, curve.y, true);
        graph->setPen(pen);
        if (marks) graph->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, 4));
        anything = anything || std::any_of(curve.y.begin(), curve.y.end(), [](double y) { return std::isfinite(y); });
    };
    const double gain = render_ ? reference_->loudness - render_->loudness : 0.0;
    addCurve(shown.curve(*reference_, 0.0), QPen(t.reference, 2), shown.points);
    if (render_) addCurve(shown.curve(*render_, gain), QPen(t.render, 2, Qt::DashLine), shown.points);
    if (shown.fitted) {
        addCurve(shown.fitted(*reference_, 0.0), QPen(t.reference, 1, Qt::DotLine), false);
        if (render_) addCurve(shown.fitted(*render_, gain), QPen(t.render, 1, Qt::DotLine), false);
    }
    showNothing(!anything);
    showAll();
}

void FacetPlot::showAll() {
    const FacetPicture& shown = picture();
    if (!reference_) return;
    if (shown.form == FacetPicture::Form::bars) {
        plot_->xAxis->setRange(0.2, shownPartials + 0.8);
        plot_->yAxis->setRange(partialFloorDb, 3.0);
    } else if (shown.form == FacetPicture::Form::difference) {
        plot_->xAxis->setRange(0.2, shownPartials + 0.8);
        plot_->yAxis->setRange(-24.0, 24.0);
    } else if (nothing_->visible()) {
        plot_->yAxis->setRange(0.0, shown.leastY);
    } else {
        plot_->rescaleAxes();
        if (shown.xIsHz && facet_ != Facet::width)
            plot_->xAxis->setRange(100.0, facet_ == Facet::noise ? 18000.0 : 10000.0);
        else if (shown.xIsHz)
            plot_->xAxis->setRange(22.0, 18000.0);
        else if (shown.overTime)
            plot_->xAxis->setRange(0.0, reference_->seconds);
        const QCPRange range = plot_->yAxis->range();
        const double spare = 0.08 * std::max(range.size(), shown.leastY);
        const double height = std::max(range.size() + 2.0 * spare, shown.leastY);
        if (shown.yIsHz && !linear_)
            plot_->yAxis->setRange(std::max(20.0, range.lower * 0.8), std::min(24000.0, range.upper * 1.25));
        else if (shown.floor > -1e8) // levels: the loudest 66 dB
            plot_->yAxis->setRange(std::max(range.lower, range.upper + shown.floor), range.upper + 3.0);
        else
            plot_->yAxis->setRange(range.center() - 0.5 * height, range.center() + 0.5 * height);
        if (facet_ == Facet::space && shown.xIsHz) plot_->yAxis->setRangeLower(0.0);
    }
    plot_->replot();
}

QString FacetPlot::motionLabel() const {
    const NamedMotion motion = reference_->motion.strongest().change.found() || !render_
                                   ? reference_->motion.strongest()
                                   : render_->motion.strongest();
    return motion.change.found() ? QString("%1, %2").arg(motion.name, motion.unit) : QString();
}

void FacetPlot::showNothing(bool empty) {
    nothing_->setVisible(empty);
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis}) axis->setTickLabels(!empty); // numbers of nothing
    if (!empty) return;
    nothing_->setText(facet_ == Facet::motion  ? tr("Nothing moves periodically in either sound.")
                      : facet_ == Facet::width ? tr("A mono recording has no width.")
                      : facet_ == Facet::space ? tr("No tail long enough to measure follows the notes.")
                                               : tr("Not measurable in this sound."));
    nothing_->setColor(theme().quiet);
    nothing_->setFont(interfaceFont(10));
}

/// Partial levels side by side, or how far the render's lie from the reference's.
void FacetPlot::drawPartials() {
    const Theme& t = theme();
    const FacetPicture& shown = picture();
    showNothing(false);
    setLogarithmic(*plot_->xAxis, false, 2.0);
    setLogarithmic(*plot_->yAxis, false, 2.0);
    auto ticker = QSharedPointer<QCPAxisTickerFixed>(new QCPAxisTickerFixed);
    ticker->setTickStep(2.0);
    ticker->setTickOrigin(1.0);
    plot_->xAxis->setTicker(ticker);
    plot_->xAxis->setLabel(shown.xLabel);
    plot_->yAxis->setLabel(shown.yLabel);
    const auto addBars = [&](const QVector<double>& x, const QVector<double>& y, double base, double width,
                             const QColor& color, Qt::BrushStyle style) {
        auto* bars = new QCPBars(plot_->xAxis, plot_->yAxis);
        QVector<double> heights = y;
        for (double& height : heights) height -= base; // a bar's value counts from its base
        bars->setData(x, heights, true);
        bars->setBaseValue(base);
        bars->setWidth(width);
        bars->setPen(QPen(color, 1));
        bars->setBrush(QBrush(color, style));
    };
    const PlottedCurve a = shown.curve(*reference_, 0.0);
    const PlottedCurve b = render_ ? shown.curve(*render_, 0.0) : PlottedCurve{};
    if (shown.form == FacetPicture::Form::bars) {
        const auto moved = [](QVector<double> x, double by) {
            for (double& each : x) each += by;
            return x;
        };
        addBars(moved(a.x, -0.19), a.y, partialFloorDb, 0.34, t.reference, Qt::SolidPattern);
        if (render_) addBars(moved(b.x, 0.19), b.y, partialFloorDb, 0.34, t.render, Qt::BDiagPattern);
    } else if (render_) {
        // What the render has more stands up in its color, what it lacks hangs down in the reference's.
        QVector<double> more, less;
        for (int i = 0; i < a.y.size(); ++i) {
            more << std::max(0.0, b.y[i] - a.y[i]);
            less << std::min(0.0, b.y[i] - a.y[i]);
        }
        addBars(a.x, more, 0.0, 0.6, t.render, Qt::BDiagPattern);
        addBars(a.x, less, 0.0, 0.6, t.reference, Qt::SolidPattern);
    }
    showAll();
}

void FacetPlot::moveCursor(double x) {
    const FacetPicture& shown = picture();
    if (!reference_) return;
    const bool partials = shown.form != FacetPicture::Form::curves;
    const QCPRange range = plot_->xAxis->range();
    cursor_ = std::clamp(partials ? std::round(x) : x, range.lower, range.upper);
    if (partials) cursor_ = std::clamp(std::round(cursor_), 1.0, static_cast<double>(shownPartials));
    const double gain = render_ ? reference_->loudness - render_->loudness : 0.0;
    const double a = valueAt(shown.curve(*reference_, 0.0), cursor_);
    const double b = render_ ? valueAt(shown.curve(*render_, gain), cursor_) : std::nan("");
    const QString where = partials                  ? tr("partial %1").arg(cursor_)
                          : shown.xIsHz             ? tr("%1 Hz").arg(cursor_, 0, 'f', 0)
                          : facet_ == Facet::motion ? tr("%1 ms").arg(cursor_, 0, 'f', 0)
                                                    : tr("%1 s").arg(cursor_, 0, 'f', 2);
    const QString left = number(a, shown.decimals), right = number(b, shown.decimals);
    plainReadout_ = tr("%1: %2 | %3 %4").arg(where, left, right, shown.unit);
    readout_->setText(QString("%1: <span style='color:%2'>%3</span> | <span style='color:%4'>%5</span> %6")
                          .arg(where, theme().reference.name(), left, theme().render.name(), right, shown.unit));
    setAccessibleDescription(plainReadout_);
    cursorLine_->start->setCoords(cursor_, 0.0);
    cursorLine_->end->setCoords(cursor_, 1.0);
    cursorLine_->setVisible(true);
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void FacetPlot::zoom(double factor) {
    const double center = cursorLine_->visible() ? cursor_ : plot_->xAxis->range().center();
    plot_->xAxis->scaleRange(factor, center);
    plot_->replot();
}

void FacetPlot::keyPressEvent(QKeyEvent* event) {
    const QCPRange range = plot_->xAxis->range();
    const bool partials = picture().form != FacetPicture::Form::curves;
    const int by = event->key() == Qt::Key_Right ? 1 : -1;
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right: {
        double from = cursorLine_->visible() ? cursor_ : range.lower;
        if (partials)
            from += by;
        else if (plot_->xAxis->scaleType() == QCPAxis::stLogarithmic)
            from *= std::pow(range.upper / range.lower, 0.01 * by);
        else
            from += 0.01 * by * range.size();
        moveCursor(from);
        break;
    }
    case Qt::Key_Plus: zoom(0.7); break;
    case Qt::Key_Minus: zoom(1.0 / 0.7); break;
    case Qt::Key_Home: showAll(); break;
    default: QWidget::keyPressEvent(event);
    }
}

void FacetPlot::contextMenuEvent(QContextMenuEvent* event) {
    QMenu menu(this);
    menu.addAction(tr("Save picture (PNG) …"), this, [this] { save(false); });
    menu.addAction(tr("Save numbers (CSV) …"), this, [this] { save(true); });
    menu.addSeparator();
    QAction* straight = menu.addAction(tr("Frequencies on straight axes"), this, [this] {
        linear_ = !linear_;
        draw();
    });
    straight->setCheckable(true);
    straight->setChecked(linear_);
    straight->setEnabled(picture().xIsHz || picture().yIsHz);
    menu.addAction(tr("Show all (Home)"), this, &FacetPlot::showAll);
    menu.exec(event->globalPos());
}

void FacetPlot::save(bool numbers) {
    if (!reference_) return;
    const QString name = QFileDialog::getSaveFileName(this, numbers ? tr("Save numbers") : tr("Save picture"),
                                                      nameOf(facet_).toLower() + (numbers ? ".csv" : ".png"),
                                                      numbers ? tr("Numbers (*.csv)") : tr("Pictures (*.png)"));
    if (name.isEmpty()) return;
    try {
        const std::filesystem::path path = name.toStdString();
        numbers ? writeNumbers(path) : writePicture(path);
    } catch (const Error& failure) {
        emit problem(QString::fromUtf8(failure.what()));
    }
}

void FacetPlot::writeNumbers(const std::filesystem::path& path) const {
    if (!reference_) return;
    const FacetPicture& shown = picture();
    const auto field = [](QString words) { return "\"" + words.replace('"', "\"\"") + "\""; };
    const QString axis = shown.yLabel.isEmpty() ? shown.title : shown.yLabel;
    QString text = field(shown.xLabel) + "," + field(tr("reference, %1").arg(axis)) + "," +
                   field(tr("render, %1").arg(axis)) + "\n";
    const PlottedCurve a = shown.curve(*reference_, 0.0);
    const PlottedCurve b = render_ ? shown.curve(*render_, reference_->loudness - render_->loudness) : PlottedCurve{};
    const auto value = [](double v) { return std::isfinite(v) ? QString::number(v, 'g', 7) : QString(); };
    for (int i = 0; i < a.x.size(); ++i)
        text +=
            value(a.x[i]) + "," + value(a.y[i]) + "," + (b.x.isEmpty() ? QString() : value(valueAt(b, a.x[i]))) + "\n";
    writeWholeFile(path, text.toStdString());
}

void FacetPlot::writePicture(const std::filesystem::path& path) {
    const QString name = QString::fromStdString(path.string());
    if (!grab().save(name, "PNG"))
        throw Error(tr("“%1” cannot be written; choose another folder.").arg(name).toStdString());
}

} // namespace facet

#include "moc_facet_plot.cpp"
