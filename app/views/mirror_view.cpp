#include "app/views/mirror_view.h"

#include "app/session/session.h"
#include "app/views/theme.h"
#include "core/base/units.h"

#include <QContextMenuEvent>
#include <QDragEnterEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double leftMargin = 96.0;
constexpr double rightMargin = 8.0;
constexpr double plainRulerHeight = 22.0;
constexpr double rowHeight = 11.0; ///< of the ruler where notes sound together, each key on a row of its own
constexpr std::size_t mostRows = 7;
constexpr double timesHeight = 15.0;
constexpr double levelRangeDb = 60.0;

} // namespace

MirrorView::MirrorView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("mirror");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Reference and render over time"));
    setAccessibleDescription(tr("Drag to loop a part; arrow keys step through the notes and repair the chosen one"));
    setToolTip(tr("Drag: loop a part · click: go there · double-click: loop all · wheel: zoom · Shift+wheel: scroll"));
}

double MirrorView::length() const {
    const auto& recording = session_.results().reference.recording;
    return recording ? recording->seconds() : 0.0;
}

QRectF MirrorView::plotRect() const {
    return {leftMargin, 4.0, std::max(10.0, width() - leftMargin - rightMargin), height() - 4.0 - timesHeight};
}

QRectF MirrorView::rulerRect() const {
    const QRectF plot = plotRect();
    return {plot.left(), plot.center().y() - rulerHeight_ / 2, plot.width(), rulerHeight_};
}

double MirrorView::xAt(double seconds) const {
    const QRectF plot = plotRect();
    return plot.left() + (seconds - viewBegin_) / std::max(1e-6, viewEnd_ - viewBegin_) * plot.width();
}

double MirrorView::secondsAt(double x) const {
    const QRectF plot = plotRect();
    return viewBegin_ + (x - plot.left()) / plot.width() * (viewEnd_ - viewBegin_);
}

void MirrorView::clampView() {
    const double all = length();
    double span = std::clamp(viewEnd_ - viewBegin_, std::min(0.002, all), all);
    viewBegin_ = std::clamp(viewBegin_, 0.0, all - span);
    viewEnd_ = viewBegin_ + span;
}

void MirrorView::refresh() {
    const double all = length();
    if (session_.document().activeCue != shownCue_ || all != shownLength_) {
        shownCue_ = session_.document().activeCue;
        shownLength_ = all;
        viewBegin_ = 0.0;
        viewEnd_ = all;
        selectedNote_ = -1;
    }
    const auto notes = session_.performance().notes;
    if (selectedNote_ >= static_cast<int>(notes.size())) selectedNote_ = -1;
    rows_.clear();
    for (std::size_t i = 0; i + 1 < notes.size(); ++i)
        if (notes[i + 1].start < notes[i].end - 0.02) // a chord, or at least an overlap
            for (const Note& note : notes) rows_.insert(note.key);
    if (rows_.size() > mostRows) rows_.clear();
    rulerHeight_ = rows_.empty() ? plainRulerHeight
                                 : std::max(plainRulerHeight, rowHeight * static_cast<double>(rows_.size()) + 2);
    update();
}

void MirrorView::setPicture(Picture picture) {
    picture_ = picture;
    session_.wantSpectrograms(picture == Picture::spectrum);
    update();
}

void MirrorView::setPlayhead(double seconds, bool playing) {
    if (seconds == playhead_ && playing == playing_) return;
    playhead_ = seconds;
    playing_ = playing;
    update();
}

void MirrorView::selectNote(int index) {
    selectedNote_ = index;
    emit noteSelected(index);
    update();
}

void MirrorView::zoom(double factor, double around) {
    const double span = (viewEnd_ - viewBegin_) / factor;
    const double share = (around - viewBegin_) / std::max(1e-9, viewEnd_ - viewBegin_);
    viewBegin_ = around - share * span;
    viewEnd_ = viewBegin_ + span;
    clampView();
    update();
}

void MirrorView::showAll() {
    viewBegin_ = 0.0;
    viewEnd_ = length();
    update();
}

// ---- painting ----

void MirrorView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF plot = plotRect();
    const QRectF ruler = rulerRect();
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(t.card);
    painter.drawRoundedRect(plot, 5, 5);
    if (!session_.results().reference.recording) {
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(11));
        const QString words =
            session_.busy() ? tr("Listening …") : tr("Drop a recording here, or open one with Ctrl+R");
        painter.drawText(plot, Qt::AlignCenter, words);
        return;
    }
    const Cue* cue = session_.cue();
    const bool dragging = drag_ == Drag::loop;
    const double loopBegin = dragging ? std::min(dragFrom_, dragTo_) : cue->loopBegin;
    const double loopEnd = dragging ? std::max(dragFrom_, dragTo_) : cue->loopEnd;
    painter.setClipRect(plot);
    if (loopEnd > loopBegin)
        painter.fillRect(QRectF(xAt(loopBegin), plot.top() + 1, xAt(loopEnd) - xAt(loopBegin), plot.height() - 2),
                         t.selected);
    const QRectF upper(plot.left(), plot.top() + 3, plot.width(), ruler.top() - plot.top() - 3);
    const QRectF lower(plot.left(), ruler.bottom(), plot.width(), plot.bottom() - ruler.bottom() - 3);
    paintSide(painter, true, upper);
    paintSide(painter, false, lower);
    paintNotes(painter);
    painter.setPen(QPen(t.ink, playing_ ? 1.5 : 1));
    painter.drawLine(QPointF(xAt(playhead_), plot.top()), QPointF(xAt(playhead_), plot.bottom()));
    painter.setClipping(false);
    paintTimes(painter);

    const auto& results = session_.results();
    const auto caption = [&](double y, const QString& name, const QColor& color, const QString& below) {
        painter.setPen(color);
        painter.setFont(interfaceFont(10.5, QFont::DemiBold));
        painter.drawText(QRectF(0, y, leftMargin - 10, 18), Qt::AlignLeft | Qt::AlignVCenter, name);
        painter.setPen(t.quiet);
        painter.setFont(interfaceFont(8.5));
        painter.drawText(QRectF(0, y + 17, leftMargin - 6, 16), Qt::AlignLeft | Qt::AlignVCenter, below);
    };
    const auto loudness = [](double lufs) {
        return lufs < -100.0 ? QObject::tr("silent")
                             : QString("%1%2 LUFS").arg(lufs < 0 ? "−" : "").arg(std::abs(lufs), 0, 'f', 1);
    };
    caption(upper.center().y() - 18, tr("Reference"), t.reference, loudness(results.reference.loudness));
    const QString renderState = !results.render.recording  ? tr("no notes yet")
                                : !results.renderIsCurrent ? tr("rendering …")
                                                           : loudness(results.render.loudness);
    caption(lower.center().y() - 18, tr("Render"), t.render, renderState);
    painter.setPen(t.quiet);
    painter.setFont(interfaceFont(8.5));
    painter.drawText(
        QRectF(0, ruler.top(), leftMargin - 6, ruler.height()), Qt::AlignLeft | Qt::AlignVCenter,
        tr("%1 bpm").arg(session_.performance().tempo, 0, 'f',
                         std::abs(session_.performance().tempo - std::round(session_.performance().tempo)) < 0.05 ? 0
                                                                                                                  : 1));
    if (hasFocus()) {
        painter.setPen(QPen(t.reference, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(plot, 5, 5);
    }
}

void MirrorView::paintSide(QPainter& painter, bool reference, const QRectF& area) {
    switch (picture_) {
    case Picture::wave: return paintWave(painter, reference, area);
    case Picture::spectrum: return paintSpectrum(painter, reference, area);
    case Picture::level: return paintLevel(painter, reference, area);
    case Picture::pitch: return paintPitch(painter, reference, area);
    }
}

/// Low frequencies at the ruler, high ones away from it; the darker the louder (on dark paper: the lighter).
void MirrorView::paintSpectrum(QPainter& painter, bool reference, const QRectF& area) {
    const MeasuredSound& sound = reference ? session_.results().reference : session_.results().render;
    const SpectrogramPtr& picture = sound.spectrogram;
    const QColor color = reference ? theme().reference : theme().render;
    if (picture && picture->columns > 0) {
        Painted& painted = painted_[reference ? 0 : 1];
        if (painted.of != picture || painted.color != color) {
            // From the paper through the side's color to the ink.
            QRgb ramp[256];
            const auto mix = [](const QColor& a, const QColor& b, double share) {
                const auto part = [share](int x, int y) { return static_cast<int>(std::lround(x + share * (y - x))); };
                return qRgb(part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue()));
            };
            for (int i = 0; i < 256; ++i) {
                const double level = std::max(0.0, (i - 60) / 195.0);
                ramp[i] =
                    level < 0.7 ? mix(theme().card, color, level / 0.7) : mix(color, theme().ink, (level - 0.7) / 0.3);
            }
            QImage image(picture->columns, Spectrogram::rows, QImage::Format_RGB32);
            for (int row = 0; row < Spectrogram::rows; ++row) {
                auto* line = reinterpret_cast<QRgb*>(image.scanLine(reference ? Spectrogram::rows - 1 - row : row));
                for (int column = 0; column < picture->columns; ++column) line[column] = ramp[picture->at(column, row)];
            }
            painted = {picture, color, image};
        }
        const double perColumn = picture->secondsPerColumn;
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(area, painted.image,
                          QRectF(viewBegin_ / perColumn, 0, (viewEnd_ - viewBegin_) / perColumn, Spectrogram::rows));
    }
    painter.setFont(interfaceFont(7.5));
    for (double hz : {100.0, 1000.0, 10000.0}) {
        const double share =
            std::log(hz / Spectrogram::lowestHz) / std::log(Spectrogram::highestHz / Spectrogram::lowestHz);
        const double y = reference ? area.bottom() - share * area.height() : area.top() + share * area.height();
        painter.setPen(QPen(theme().line, 1, Qt::DotLine));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight,
                         hz < 1000.0 ? tr("%1 Hz").arg(hz) : tr("%1 kHz").arg(hz / 1000.0));
    }
}

void MirrorView::paintWave(QPainter& painter, bool reference, const QRectF& area) {
    const MeasuredSound& sound = reference ? session_.results().reference : session_.results().render;
    if (!sound.recording || !sound.peaks) return;
    // Both at equal loudness, scaled by the louder peak, so that the pictures compare as the ears do.
    const auto& other = session_.results();
    const double gain = reference || other.render.loudness < silenceDb + 1
                            ? 1.0
                            : gainFromDb(other.reference.loudness - other.render.loudness);
    const auto loudestOf = [](const MeasuredSound& each) {
        const auto [low, high] = each.peaks->range(*each.recording, 0, each.recording->frameCount());
        return static_cast<double>(std::max(std::abs(low), std::abs(high)));
    };
    double top = loudestOf(other.reference);
    if (other.render.recording && other.render.loudness > silenceDb + 1)
        top = std::max(top, loudestOf(other.render) * gainFromDb(other.reference.loudness - other.render.loudness));
    top = std::max(top, 1e-4);
    const double rate = sound.recording->rateHz;
    QPolygonF outline;
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    const int columns = static_cast<int>(area.width());
    outline << QPointF(area.left(), base);
    for (int x = 0; x < columns; ++x) {
        const int begin = static_cast<int>(secondsAt(area.left() + x) * rate);
        const int end = std::max(begin + 1, static_cast<int>(secondsAt(area.left() + x + 1) * rate));
        const auto [low, high] = sound.peaks->range(*sound.recording, begin, end);
        const double magnitude = gain * std::max(std::abs(low), std::abs(high));
        outline << QPointF(area.left() + x + 0.5,
                           base + direction * std::min(1.0, magnitude / top) * (area.height() - 2));
    }
    outline << QPointF(area.left() + columns, base);
    QColor color = reference ? theme().reference : theme().render;
    if (!reference && !session_.results().renderIsCurrent) color.setAlphaF(0.45f);
    painter.setPen(Qt::NoPen);
    painter.setBrush(color);
    painter.drawPolygon(outline);
}

void MirrorView::paintLevel(QPainter& painter, bool reference, const QRectF& area) {
    const auto& results = session_.results();
    const ProfilePtr& profile = reference ? results.reference.profile : results.render.profile;
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    painter.setFont(interfaceFont(7.5));
    double top = silenceDb;
    if (results.reference.profile)
        for (float v : results.reference.profile->levelDb.values) top = std::max(top, static_cast<double>(v));
    for (double db : {0.0, -20.0, -40.0}) {
        const double y = base + direction * (1.0 + db / levelRangeDb) * (area.height() - 2);
        painter.setPen(QPen(theme().line, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        if (db < 0.0)
            painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight, tr("−%1 dB").arg(-db));
    }
    if (!profile || profile->levelDb.values.empty()) return;
    const double gain =
        reference || !results.reference.profile ? 0.0 : results.reference.profile->loudness - profile->loudness;
    paintTrack(painter, reference, area, [&](double seconds) {
        const float db = profile->levelDb.at(seconds);
        return isMeasured(db) ? std::clamp(1.0 + (db + gain - top) / levelRangeDb, 0.0, 1.0) : notMeasurable;
    });
}

void MirrorView::paintPitch(QPainter& painter, bool reference, const QRectF& area) {
    const auto& results = session_.results();
    // One range of keys for both, a third of an octave around all notes.
    double lowest = 200.0;
    double highest = -1.0;
    for (const Note& note : session_.performance().notes) {
        lowest = std::min<double>(lowest, note.key - 4);
        highest = std::max<double>(highest, note.key + 4);
    }
    if (highest < lowest) return;
    painter.setFont(interfaceFont(7.5));
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    for (int key = static_cast<int>(std::ceil(lowest / 12.0)) * 12; key <= highest; key += 12) {
        const double y = base + direction * (key - lowest) / (highest - lowest) * (area.height() - 2);
        painter.setPen(QPen(theme().line, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
        painter.setPen(theme().quiet);
        painter.drawText(QRectF(area.right() - 50, y - 12, 46, 11), Qt::AlignRight,
                         QString::fromStdString(nameOfKey(key)));
    }
    const ProfilePtr& profile = reference ? results.reference.profile : results.render.profile;
    if (!profile) return;
    paintTrack(painter, reference, area, [&](double seconds) {
        const float hz = profile->pitchHz.at(seconds);
        return isMeasured(hz) ? std::clamp((keyFromHz(hz) - lowest) / (highest - lowest), 0.0, 1.0) : notMeasurable;
    });
}

/// A curve from the ruler outward; `shareAt` gives its height from 0 to 1, or notMeasurable.
void MirrorView::paintTrack(QPainter& painter, bool reference, const QRectF& area,
                            const std::function<double(double)>& shareAt) {
    const double base = reference ? area.bottom() : area.top();
    const double direction = reference ? -1.0 : 1.0;
    QPainterPath path;
    bool begun = false;
    for (int x = 0; x < static_cast<int>(area.width()); ++x) {
        const double share = shareAt(secondsAt(area.left() + x));
        if (!isMeasured(share)) {
            begun = false;
            continue;
        }
        const QPointF point(area.left() + x, base + direction * share * (area.height() - 2));
        begun ? path.lineTo(point) : path.moveTo(point);
        begun = true;
    }
    QPen pen(reference ? theme().reference : theme().render, 2);
    if (!reference) pen.setStyle(Qt::DashLine);
    painter.setPen(pen);
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
}

/// Where a note is drawn: higher keys higher up.
QRectF MirrorView::noteBar(const Note& note, int lowest, int highest) const {
    const QRectF ruler = rulerRect();
    const double left = xAt(note.start);
    const double width = std::max(3.0, xAt(note.end) - left);
    if (rows_.empty()) {
        const double rise = highest > lowest ? static_cast<double>(note.key - lowest) / (highest - lowest) : 0.5;
        return {left, ruler.top() + 2 + (1.0 - rise) * (ruler.height() - 16), width, 12};
    }
    const auto above = std::distance(rows_.upper_bound(note.key), rows_.end());
    return {left, ruler.top() + 1 + rowHeight * static_cast<double>(above), width, rowHeight - 1};
}

void MirrorView::paintNotes(QPainter& painter) {
    const Theme& t = theme();
    const QRectF ruler = rulerRect();
    painter.fillRect(ruler, t.paper);
    Performance performance = session_.performance();
    if (drag_ == Drag::note && dragNote_ && selectedNote_ >= 0)
        performance.notes[static_cast<std::size_t>(selectedNote_)] = *dragNote_;
    painter.setFont(interfaceFont(rows_.empty() ? 8 : 7, QFont::DemiBold));
    int lowest = 127, highest = 0;
    for (const Note& note : performance.notes) {
        lowest = std::min(lowest, note.key);
        highest = std::max(highest, note.key);
    }
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const Note& note = performance.notes[i];
        const QRectF bar = noteBar(note, lowest, highest);
        const bool chosen = static_cast<int>(i) == selectedNote_;
        painter.setPen(chosen ? QPen(t.ink, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(chosen ? t.selected : t.note);
        painter.drawRoundedRect(bar, 2.5, 2.5);
        painter.setPen(chosen ? t.ink : t.card);
        if (bar.width() > 20)
            painter.drawText(bar.adjusted(4, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                             QString::fromStdString(nameOfKey(note.key)));
    }
}

void MirrorView::paintTimes(QPainter& painter) {
    const QRectF plot = plotRect();
    const double span = viewEnd_ - viewBegin_;
    if (span <= 0.0) return;
    double step = std::pow(10.0, std::floor(std::log10(span / 5.0)));
    if (span / step > 12.0) step *= span / step > 25.0 ? 5.0 : 2.0;
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(8));
    for (double s = std::ceil(viewBegin_ / step) * step; s <= viewEnd_ + 1e-9; s += step) {
        const double x = xAt(s);
        if (x > plot.right() - 8) break;
        painter.drawLine(QPointF(x, plot.bottom()), QPointF(x, plot.bottom() + 3));
        const QString label = step < 0.01 ? tr("%1 ms").arg(1000.0 * s, 0, 'f', step < 0.001 ? 1 : 0)
                                          : tr("%1 s").arg(s, 0, 'f', step < 0.1 ? 2 : 1);
        painter.drawText(QRectF(x + 3, plot.bottom() + 1, 70, timesHeight), Qt::AlignLeft | Qt::AlignVCenter, label);
    }
}

// ---- mouse and keys ----

int MirrorView::noteAt(QPointF place) const {
    if (!rulerRect().contains(place)) return -1;
    const auto notes = session_.performance().notes;
    for (std::size_t i = notes.size(); i-- > 0;) {
        const QRectF bar = noteBar(notes[i], 0, 127);
        const bool row = rows_.empty() || (place.y() >= bar.top() && place.y() <= bar.bottom() + 1);
        if (row && place.x() >= bar.left() - 2 && place.x() <= bar.right() + 2) return static_cast<int>(i);
    }
    return -1;
}

void MirrorView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || length() <= 0.0) return;
    setFocus(Qt::MouseFocusReason);
    dragFrom_ = dragTo_ = secondsAt(event->position().x());
    if (rulerRect().contains(event->position())) {
        selectNote(noteAt(event->position()));
        if (selectedNote_ < 0) return;
        drag_ = Drag::note;
        dragNote_ = session_.performance().notes[static_cast<std::size_t>(selectedNote_)];
        return;
    }
    drag_ = Drag::loop;
}

void MirrorView::mouseMoveEvent(QMouseEvent* event) {
    setCursor(rulerRect().contains(event->position()) && noteAt(event->position()) >= 0 ? Qt::SizeHorCursor
                                                                                        : Qt::ArrowCursor);
    if (drag_ == Drag::none) return;
    dragTo_ = std::clamp(secondsAt(event->position().x()), 0.0, length());
    if (drag_ == Drag::note) {
        const Note from = session_.performance().notes[static_cast<std::size_t>(selectedNote_)];
        const double by = std::max(dragTo_ - dragFrom_, -from.start);
        dragNote_ = from;
        dragNote_->start += by;
        dragNote_->end += by;
    }
    update();
}

void MirrorView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag drag = drag_;
    drag_ = Drag::none;
    if (drag == Drag::note) {
        const Note from = session_.performance().notes[static_cast<std::size_t>(selectedNote_)];
        if (std::abs(dragNote_->start - from.start) > 0.0005) session_.correctNote(tr("Move note"), from, *dragNote_);
    } else if (drag == Drag::loop) {
        const bool wide = std::abs(xAt(dragTo_) - xAt(dragFrom_)) > 4.0;
        if (wide)
            session_.setLoop(std::clamp(std::min(dragFrom_, dragTo_), 0.0, length()),
                             std::clamp(std::max(dragFrom_, dragTo_), 0.0, length()));
        else
            emit seekWanted(std::clamp(secondsAt(event->position().x()), 0.0, length()));
    }
    update();
}

void MirrorView::mouseDoubleClickEvent(QMouseEvent* event) {
    if (rulerRect().contains(event->position())) return;
    session_.setLoop(0.0, 0.0);
    showAll();
}

void MirrorView::wheelEvent(QWheelEvent* event) {
    const double turns = (event->angleDelta().y() + event->angleDelta().x()) / 120.0;
    if (event->modifiers() & Qt::ShiftModifier) {
        const double by = -0.1 * turns * (viewEnd_ - viewBegin_);
        viewBegin_ += by;
        viewEnd_ += by;
        clampView();
        update();
    } else {
        zoom(std::pow(1.25, turns), secondsAt(event->position().x()));
    }
    event->accept();
}

void MirrorView::moveSelectedNote(double seconds, int semitones) {
    const auto notes = session_.performance().notes;
    if (selectedNote_ < 0 || selectedNote_ >= static_cast<int>(notes.size())) return;
    const Note from = notes[static_cast<std::size_t>(selectedNote_)];
    Note to = from;
    to.start = std::max(0.0, to.start + seconds);
    to.end = to.start + (from.end - from.start);
    to.key = std::clamp(to.key + semitones, 0, 127);
    session_.correctNote(semitones ? tr("Change note") : tr("Move note"), from, to);
    // Sorting may have moved it.
    const auto after = session_.performance().notes;
    const auto found = std::find(after.begin(), after.end(), to);
    selectNote(found == after.end() ? -1 : static_cast<int>(found - after.begin()));
}

void MirrorView::keyPressEvent(QKeyEvent* event) {
    const int count = static_cast<int>(session_.performance().notes.size());
    const bool control = event->modifiers() & Qt::ControlModifier;
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right: {
        const int by = event->key() == Qt::Key_Right ? 1 : -1;
        if (control)
            moveSelectedNote(0.005 * by, 0);
        else if (count > 0)
            selectNote(std::clamp(selectedNote_ + by, 0, count - 1));
        return;
    }
    case Qt::Key_Up: moveSelectedNote(0.0, control ? 12 : 1); return;
    case Qt::Key_Down: moveSelectedNote(0.0, control ? -12 : -1); return;
    case Qt::Key_Delete:
        if (selectedNote_ >= 0 && selectedNote_ < count)
            session_.correctNote(tr("Delete note"),
                                 session_.performance().notes[static_cast<std::size_t>(selectedNote_)], std::nullopt);
        return;
    case Qt::Key_Escape: selectNote(-1); return;
    default: QWidget::keyPressEvent(event);
    }
}

void MirrorView::dragEnterEvent(QDragEnterEvent* event) { event->ignore(); /* the window takes drops */ }

void MirrorView::contextMenuEvent(QContextMenuEvent* event) {
    const int note = noteAt(event->pos());
    QMenu menu(this);
    if (note >= 0) {
        selectNote(note);
        menu.addAction(tr("Octave up"), this, [this] { moveSelectedNote(0.0, 12); });
        menu.addAction(tr("Octave down"), this, [this] { moveSelectedNote(0.0, -12); });
        menu.addAction(tr("Delete note"), this, [this] {
            session_.correctNote(tr("Delete note"),
                                 session_.performance().notes[static_cast<std::size_t>(selectedNote_)], std::nullopt);
        });
    } else if (length() > 0.0) {
        const double at = std::clamp(secondsAt(event->pos().x()), 0.0, length());
        menu.addAction(tr("Add note here"), this, [this, at] {
            const auto notes = session_.performance().notes;
            const Note added{at, std::min(length(), at + 0.25), notes.empty() ? 60 : notes.back().key, 0.0, 100.0};
            if (added.end > added.start) session_.addNote(added);
        });
        menu.addAction(tr("Use selection as reference"), this, [this] { session_.useSelectionAsReference(); })
            ->setEnabled(session_.cue()->loopEnd > session_.cue()->loopBegin);
        menu.addAction(tr("Show all"), this, [this] { showAll(); });
    }
    if (!menu.isEmpty()) menu.exec(event->globalPos());
}

} // namespace facet
