#include "app/views/reference/source_picture.h"

#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/session/reference/reference_controller.h"
#include "app/views/common/theme.h"
#include "app/views/common/time_picture.h"
#include "core/base/units.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double leftMargin = 44.0;
constexpr double labelsHeight = 18.0;
constexpr double grip = 5.0; ///< pixels at which an end of the selection is grabbed

} // namespace

SourcePicture::SourcePicture(DocumentStore& document, ReferenceController& reference, Listening& listening,
                             Playback& playback, QWidget* parent)
    : QWidget(parent), document_(document), reference_(reference), listening_(listening), playback_(playback) {
    setObjectName("source");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("The whole recording over time"));
    setAccessibleDescription(tr("Drag over the sound you want; Space plays it"));
    setToolTip(
        tr("Drag: choose a part · Space: hear it · wheel: zoom · Shift+wheel: scroll · double-click: zoom to it"));
    connect(&reference_.source(), &SourceView::changed, this, &SourcePicture::refresh);
}

QRectF SourcePicture::plotRect() const {
    return {leftMargin, labelsHeight, std::max(10.0, width() - leftMargin - 4.0),
            std::max(20.0, height() - labelsHeight - timesHeight - 1.0)};
}

QRectF SourcePicture::waveRect() const {
    QRectF area = plotRect();
    area.setHeight(0.45 * area.height());
    return area;
}

QRectF SourcePicture::spectrumRect() const {
    QRectF area = plotRect();
    area.setTop(waveRect().bottom() + 1.0);
    return area;
}

double SourcePicture::xAt(double seconds) const {
    const QRectF plot = plotRect();
    return plot.left() + (seconds - view_.begin) / std::max(1e-9, view_.end - view_.begin) * plot.width();
}

double SourcePicture::secondsAt(double x) const {
    const QRectF plot = plotRect();
    return view_.begin + (x - plot.left()) / plot.width() * (view_.end - view_.begin);
}

void SourcePicture::setView(double begin, double end) {
    const SourceView& source = reference_.source();
    const double all = source.end() - source.begin();
    const int rate = source.overview() ? source.overview()->rateHz : 48000;
    const double span = std::clamp(end - begin, std::min(all, 16.0 / rate), std::max(all, 1e-6));
    begin = std::clamp(begin, source.begin(), source.end() - span);
    view_ = {begin, begin + span};
    // Where the overview is coarser than the screen, samples are read.
    if (source.overview() && span / plotRect().width() < 2.0 * source.overview()->secondsPerPair)
        reference_.source().wantDetail(view_.begin, view_.end);
    update();
}

void SourcePicture::refresh() {
    const SourceView& source = reference_.source();
    if (source.path() != shownPath_ || source.end() != shownEnd_) {
        const bool other = source.path() != shownPath_;
        shownPath_ = source.path();
        shownEnd_ = source.end();
        if (other) selection_ = {};
        cursor_ = source.begin();
        setView(source.begin(), source.end());
        emit selectionChanged();
    }
    if (source.overview()) {
        const auto [low, high] = source.overview()->range(0.0, source.overview()->seconds);
        scale_ = 1.0 / std::clamp(std::max(-low, high), 1e-3f, 1.0f);
    }
    update();
}

void SourcePicture::resizeEvent(QResizeEvent*) { setView(view_.begin, view_.end); }

void SourcePicture::setPlayhead(double seconds) {
    if (seconds == playhead_) return;
    playhead_ = seconds;
    update();
}

void SourcePicture::select(TimeSpan span) {
    selection_ = span;
    emit selectionChanged();
    update();
}

TimeSpan SourcePicture::wantedPart() const {
    if (selection_.end > selection_.begin) return selection_;
    const double begin = cursor_ >= view_.begin && cursor_ < view_.end ? cursor_ : view_.begin;
    return {begin, view_.end};
}

void SourcePicture::zoom(double factor, double around) {
    const double span = (view_.end - view_.begin) / factor;
    const double share = (around - view_.begin) / std::max(1e-12, view_.end - view_.begin);
    setView(around - share * span, around + (1.0 - share) * span);
}

void SourcePicture::zoomToSelection() {
    const double margin = 0.1 * (selection_.end - selection_.begin);
    if (margin > 0.0) setView(selection_.begin - margin, selection_.end + margin);
}

void SourcePicture::showAll() { setView(reference_.source().begin(), reference_.source().end()); }

// ---- painting ----

void SourcePicture::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF plot = plotRect();
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(t.card);
    painter.drawRoundedRect(plot, 5, 5);
    const SourceView& source = reference_.source();
    if (!source.overview()) {
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(11));
        painter.drawText(plot.adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap,
                         !source.problem().isEmpty() ? source.problem()
                         : source.path().empty()     ? tr("Open a recording with Ctrl+R, or record one")
                                                     : tr("Reading …"));
        return;
    }
    painter.save();
    painter.setClipRect(plot);
    if (selection_.end > selection_.begin)
        painter.fillRect(
            QRectF(QPointF(xAt(selection_.begin), plot.top() + 1), QPointF(xAt(selection_.end), plot.bottom() - 1)),
            t.selected);
    paintSpectrum(painter);
    paintWave(painter);
    if (selection_.end > selection_.begin) {
        painter.setPen(QPen(t.ink, 1, Qt::DashLine));
        for (const double edge : {selection_.begin, selection_.end})
            painter.drawLine(QPointF(xAt(edge), plot.top()), QPointF(xAt(edge), plot.bottom()));
    }
    painter.setPen(QPen(t.quiet, 1, Qt::DotLine));
    painter.drawLine(QPointF(xAt(cursor_), plot.top()), QPointF(xAt(cursor_), plot.bottom()));
    if (playhead_ >= 0.0) {
        painter.setPen(QPen(t.ink, 1.5));
        painter.drawLine(QPointF(xAt(playhead_), plot.top()), QPointF(xAt(playhead_), plot.bottom()));
    }
    painter.restore();
    paintExcerpts(painter);
    paintTimes(painter, plot, view_.begin, view_.end, [this](double s) { return xAt(s); });
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(7.5));
    const QRectF spectrum = spectrumRect();
    for (double hz : {100.0, 1000.0, 10000.0}) {
        const double share =
            std::log(hz / Spectrogram::lowestHz) / std::log(Spectrogram::highestHz / Spectrogram::lowestHz);
        const double y = spectrum.bottom() - share * spectrum.height();
        painter.drawText(QRectF(0, y - 7, leftMargin - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
                         hz < 1000.0 ? tr("%1 Hz").arg(hz) : tr("%1 kHz").arg(hz / 1000.0));
        painter.drawLine(QPointF(leftMargin - 3, y), QPointF(leftMargin, y));
    }
    for (const double share : {1.0, 0.5, -0.5, -1.0}) {
        const double y = waveY(share / scale_);
        if (share > 0.0)
            painter.drawText(QRectF(0, y - 7, leftMargin - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
                             tr("%1 dB").arg(dbFromGain(share / scale_), 0, 'f', 0).replace('-', "−"));
        painter.drawLine(QPointF(leftMargin - 3, y), QPointF(leftMargin, y));
    }
    if (!source.overview()->finished()) {
        painter.drawText(QRectF(plot.right() - 160, 0, 158, labelsHeight - 3), Qt::AlignRight | Qt::AlignVCenter,
                         tr("reading … %1 %").arg(100 * source.overview()->exact / source.overview()->pairs.size()));
    }
    if (hasFocus()) {
        painter.setPen(QPen(t.reference, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(plot, 5, 5);
    }
}

double SourcePicture::waveY(double value) const {
    const QRectF area = waveRect();
    return area.center().y() - std::clamp(value * scale_, -1.0, 1.0) * 0.5 * (area.height() - 4.0);
}

void SourcePicture::paintWave(QPainter& painter) {
    const SourceView& source = reference_.source();
    const SourceDetail& detail = source.detail();
    const QRectF area = waveRect();
    const double perPixel = (view_.end - view_.begin) / area.width();
    const bool close = detail.recording && view_.begin >= detail.begin - 1e-9 &&
                       view_.end <= detail.begin + detail.recording->seconds() + 1e-6;
    if (close && perPixel * detail.recording->rateHz < 0.7) {
        paintSamples(painter, *detail.recording, detail.begin);
        return;
    }
    painter.setPen(QPen(theme().reference, 1));
    painter.setRenderHint(QPainter::Antialiasing, false);
    for (int x = 0; x < static_cast<int>(area.width()); ++x) {
        const double begin = secondsAt(area.left() + x);
        std::pair<float, float> pair;
        if (close) {
            const double rate = detail.recording->rateHz;
            const int first = static_cast<int>((begin - detail.begin) * rate);
            pair = detail.peaks->range(*detail.recording, first,
                                       std::max(first + 1, static_cast<int>((begin + perPixel - detail.begin) * rate)));
        } else {
            pair = source.overview()->range(begin - source.begin(), begin + perPixel - source.begin());
        }
        painter.drawLine(QPointF(area.left() + x, waveY(pair.second)), QPointF(area.left() + x, waveY(pair.first)));
    }
    painter.setRenderHint(QPainter::Antialiasing);
}

/// Each sample a dot where there is room for it.
void SourcePicture::paintSamples(QPainter& painter, const Recording& recording, double begin) {
    const QRectF area = waveRect();
    const int first = std::max(0, static_cast<int>((view_.begin - begin) * recording.rateHz) - 1);
    const int last = std::min(recording.frameCount() - 1, static_cast<int>((view_.end - begin) * recording.rateHz) + 2);
    const bool dots = area.width() / std::max(1, last - first) > 5.0;
    for (std::size_t c = 0; c < recording.channels.size(); ++c) {
        QPolygonF line;
        for (int i = first; i <= last; ++i)
            line << QPointF(xAt(begin + static_cast<double>(i) / recording.rateHz),
                            waveY(recording.channels[c][static_cast<std::size_t>(i)]));
        painter.setPen(QPen(theme().reference, 1, c == 0 ? Qt::SolidLine : Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(line);
        if (!dots) continue;
        painter.setBrush(theme().reference);
        for (const QPointF& point : line) painter.drawEllipse(point, 2, 2);
    }
}

void SourcePicture::paintSpectrum(QPainter& painter) {
    const SourceView& source = reference_.source();
    const SourceDetail& detail = source.detail();
    const QRectF area = spectrumRect();
    const bool close = detail.spectrogram && detail.spectrogram->columns > 0 && view_.begin >= detail.begin - 1e-9 &&
                       view_.end <= detail.begin + detail.recording->seconds() + 1e-6;
    const Spectrogram& picture = close ? *detail.spectrogram : source.overview()->spectrogram;
    Painted& painted = close ? close_ : whole_;
    const void* of = close ? static_cast<const void*>(detail.spectrogram.get()) : source.overview().get();
    if (painted.of != of || painted.color != theme().reference)
        painted = {of, theme().reference, spectrogramImage(picture, theme().reference, false)};
    const double origin = close ? detail.begin : source.begin();
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.setOpacity(selection_.end > selection_.begin ? 0.85 : 1.0);
    painter.drawImage(area, painted.image,
                      QRectF((view_.begin - origin) / picture.secondsPerColumn, 0,
                             (view_.end - view_.begin) / picture.secondsPerColumn, Spectrogram::rows));
    painter.setOpacity(1.0);
}

QRectF SourcePicture::labelOf(const Excerpt& excerpt) const {
    const double left = std::max(xAt(excerpt.begin), plotRect().left());
    const double right = std::min(xAt(excerpt.end), plotRect().right());
    return {left, 1.0, std::max(8.0, right - left), labelsHeight - 3.0};
}

void SourcePicture::paintExcerpts(QPainter& painter) {
    const Theme& t = theme();
    const Cue* cue = document_.cue();
    const QRectF plot = plotRect();
    painter.setFont(interfaceFont(8, QFont::DemiBold));
    for (const auto& excerpt : cue->excerpts) {
        const bool here = reference_.source().whole() ? excerpt->sourcePath == reference_.source().path()
                                                      : excerpt.get() == cue->excerpt();
        if (!here || excerpt->end < view_.begin || excerpt->begin > view_.end) continue;
        const bool active = excerpt.get() == cue->excerpt();
        const QRectF label = labelOf(*excerpt);
        painter.setPen(active ? QPen(t.ink, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(active ? t.selected : t.note);
        painter.drawRoundedRect(label, 2.5, 2.5);
        painter.setPen(active ? t.ink : t.card);
        painter.drawText(label.adjusted(4, 0, -2, 0), Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(QString::fromStdString(excerpt->name), Qt::ElideRight,
                                                          static_cast<int>(label.width()) - 6));
        painter.setPen(QPen(active ? t.ink : t.note, 1));
        for (const double edge : {excerpt->begin, excerpt->end})
            if (edge >= view_.begin && edge <= view_.end)
                painter.drawLine(QPointF(xAt(edge), plot.top()), QPointF(xAt(edge), plot.bottom()));
        for (const TimeSpan& span : excerpt->leftOut)
            painter.fillRect(QRectF(QPointF(xAt(excerpt->begin + span.begin), plot.top()),
                                    QPointF(xAt(excerpt->begin + span.end), plot.bottom()))
                                 .intersected(plot),
                             QBrush(t.quiet, Qt::BDiagPattern));
    }
}

// ---- mouse and keys ----

void SourcePicture::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !reference_.source().overview()) return;
    setFocus(Qt::MouseFocusReason);
    const QPointF place = event->position();
    if (place.y() < labelsHeight) {
        for (const auto& excerpt : document_.cue()->excerpts)
            if (labelOf(*excerpt).contains(place)) {
                document_.selectExcerpt(excerpt->id);
                select({excerpt->begin, excerpt->end});
                return;
            }
    }
    from_ = std::clamp(secondsAt(place.x()), reference_.source().begin(), reference_.source().end());
    const bool chosen = selection_.end > selection_.begin;
    if (chosen && std::abs(place.x() - xAt(selection_.begin)) < grip)
        drag_ = Drag::begin;
    else if (chosen && std::abs(place.x() - xAt(selection_.end)) < grip)
        drag_ = Drag::end;
    else
        drag_ = Drag::fresh;
}

void SourcePicture::mouseMoveEvent(QMouseEvent* event) {
    const double x = event->position().x();
    const bool onEdge = selection_.end > selection_.begin &&
                        (std::abs(x - xAt(selection_.begin)) < grip || std::abs(x - xAt(selection_.end)) < grip);
    setCursor(onEdge ? Qt::SizeHorCursor : Qt::CrossCursor);
    if (drag_ == Drag::none) return;
    const double at = std::clamp(secondsAt(x), reference_.source().begin(), reference_.source().end());
    switch (drag_) {
    case Drag::fresh:
        if (std::abs(xAt(at) - xAt(from_)) > 3.0) selection_ = {std::min(at, from_), std::max(at, from_)};
        break;
    case Drag::begin: selection_.begin = std::min(at, selection_.end - 1e-4); break;
    case Drag::end: selection_.end = std::max(at, selection_.begin + 1e-4); break;
    case Drag::none: break;
    }
    emit selectionChanged();
    update();
}

void SourcePicture::mouseReleaseEvent(QMouseEvent* event) {
    const Drag drag = std::exchange(drag_, Drag::none);
    if (drag == Drag::fresh && std::abs(event->position().x() - xAt(from_)) <= 3.0) {
        cursor_ = from_;
        select({});
    } else if (drag != Drag::none && listening_.auditioning() && playback_.player().playing()) {
        listening_.audition(selection_.begin, selection_.end); // hears the new part at once
    }
}

void SourcePicture::mouseDoubleClickEvent(QMouseEvent*) {
    drag_ = Drag::none;
    if (selection_.end > selection_.begin)
        zoomToSelection();
    else
        showAll();
}

void SourcePicture::wheelEvent(QWheelEvent* event) {
    const double turns = (event->angleDelta().y() + event->angleDelta().x()) / 120.0;
    const double span = view_.end - view_.begin;
    if (event->modifiers() & Qt::ShiftModifier)
        setView(view_.begin - 0.1 * turns * span, view_.end - 0.1 * turns * span);
    else
        zoom(std::pow(1.3, turns), secondsAt(event->position().x()));
    event->accept();
}

void SourcePicture::keyPressEvent(QKeyEvent* event) {
    const double span = view_.end - view_.begin;
    switch (event->key()) {
    case Qt::Key_Left: setView(view_.begin - 0.2 * span, view_.end - 0.2 * span); return;
    case Qt::Key_Right: setView(view_.begin + 0.2 * span, view_.end + 0.2 * span); return;
    case Qt::Key_Up: zoom(1.5, wantedPart().begin); return;
    case Qt::Key_Down: zoom(1.0 / 1.5, wantedPart().begin); return;
    case Qt::Key_Home: setView(reference_.source().begin(), reference_.source().begin() + span); return;
    case Qt::Key_End: setView(reference_.source().end() - span, reference_.source().end()); return;
    default: QWidget::keyPressEvent(event);
    }
}

} // namespace facet

#include "moc_source_picture.cpp"
