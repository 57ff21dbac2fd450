#include "app/views/piece/piece_lanes.h"

#include "app/session/document/document_store.h"
#include "app/session/document/piece_editor.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double shortestView = 0.5; ///< seconds
constexpr double roomBehind = 2.0;   ///< seconds of free space after the end

/// A round step of the ruler that leaves room for its labels.
double rulerStep(double pixelsPerSecond) {
    for (double step : {0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 15.0, 30.0, 60.0})
        if (step * pixelsPerSecond >= 56.0) return step;
    return 120.0;
}

/// "3.5 s" in short pieces, "1:20" in longer ones.
QString timeText(double seconds, double step) {
    if (seconds < 60.0) return QString("%1 s").arg(seconds, 0, 'f', step < 1.0 ? 1 : 0);
    const int whole = static_cast<int>(seconds);
    const int minutes = whole / 60;
    const QString rest = step < 1.0 ? QString("%1").arg(seconds - 60.0 * minutes, 4, 'f', 1, '0')
                                    : QString("%1").arg(whole % 60, 2, 10, QChar('0'));
    return QString("%1:%2").arg(minutes).arg(rest);
}

} // namespace

PieceLanes::PieceLanes(DocumentStore& document, PieceEditor& piece, Listening& listening, Playback& playback,
                       int laneHeight, QWidget* parent)
    : QWidget(parent), document_(document), piece_(piece), listening_(listening), playback_(playback),
      laneHeight_(laneHeight) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Places in the piece"));
    setToolTip(tr("Drag a phrase to its place · ← → move it by 10 ms, with Shift 1 ms, with Ctrl a beat · wheel zooms, "
                  "Home shows all · click above to play from there"));
    connect(&listening_, &Listening::pieceChanged, this, qOverload<>(&QWidget::update));
    connect(&document_, &DocumentStore::changed, this, qOverload<>(&QWidget::update));
}

void PieceLanes::setLanes(std::vector<Lane> lanes) {
    lanes_ = std::move(lanes);
    chosen_ = std::min(chosen_, static_cast<int>(lanes_.size()) - 1);
    setMinimumHeight(rulerHeight + laneHeight_ * (1 + static_cast<int>(lanes_.size())));
    update();
}

void PieceLanes::choose(int lane) {
    if (lane == chosen_ || lane < 0 || lane >= static_cast<int>(lanes_.size())) return;
    chosen_ = lane;
    if (const Excerpt* excerpt = excerptOf(lane)) follow(excerpt->placeInPiece());
    emit laneChosen(lane);
    update();
}

const Cue* PieceLanes::cueOf(int lane) const {
    return document_.document().find(lanes_[static_cast<std::size_t>(lane)].cue);
}

const Excerpt* PieceLanes::excerptOf(int lane) const {
    if (const Cue* cue = cueOf(lane))
        for (const auto& each : cue->excerpts)
            if (each->id == lanes_[static_cast<std::size_t>(lane)].excerpt) return each.get();
    return nullptr;
}

/// Of all there is, heard or not.
double PieceLanes::length() const {
    double end = document_.document().backing ? document_.document().backing->seconds : 0.0;
    for (int lane = 0; lane < static_cast<int>(lanes_.size()); ++lane)
        if (const Excerpt* excerpt = excerptOf(lane))
            end = std::max(end, excerpt->placeInPiece() + excerpt->audio->seconds());
    return end + roomBehind;
}

double PieceLanes::xAt(double seconds) const {
    const double end = viewEnd_ > 0.0 ? viewEnd_ : length();
    return (seconds - viewBegin_) / (end - viewBegin_) * width();
}

double PieceLanes::secondsAt(double x) const {
    const double end = viewEnd_ > 0.0 ? viewEnd_ : length();
    return viewBegin_ + x / std::max(1, width()) * (end - viewBegin_);
}

QRectF PieceLanes::laneRect(int lane) const {
    return QRectF(0.0, rulerHeight + laneHeight_ * (lane + 1), width(), laneHeight_);
}

QRectF PieceLanes::blockRect(int lane) const {
    const Excerpt* excerpt = excerptOf(lane);
    if (!excerpt) return {};
    const double begin = excerpt->placeInPiece();
    const QRectF row = laneRect(lane);
    const double left = xAt(begin), right = xAt(begin + excerpt->audio->seconds());
    return QRectF(left, row.top() + 3.0, std::max(4.0, right - left), row.height() - 6.0);
}

void PieceLanes::paintRuler(QPainter& painter) const {
    painter.setFont(interfaceFont(8.5));
    const double step = rulerStep(width() / (secondsAt(width()) - viewBegin_));
    for (double t = std::ceil(viewBegin_ / step) * step; xAt(t) < width(); t += step) {
        painter.setPen(theme().line);
        painter.drawLine(QPointF(xAt(t), rulerHeight - 5.0), QPointF(xAt(t), height()));
        painter.setPen(theme().quiet);
        if (xAt(t) + 44.0 < width())
            painter.drawText(QRectF(xAt(t) + 3.0, 0.0, 60.0, rulerHeight - 4.0), Qt::AlignLeft | Qt::AlignVCenter,
                             timeText(t, step));
    }
}

void PieceLanes::paintBacking(QPainter& painter, const QRectF& lane) const {
    const auto& backing = document_.document().backing;
    if (!backing) {
        painter.setPen(theme().quiet);
        painter.drawText(lane.adjusted(8, 0, 0, 0), Qt::AlignVCenter,
                         tr("No backing yet: the cues play together without one."));
        return;
    }
    const QRectF block(xAt(0.0), lane.top() + 3.0, xAt(backing->seconds) - xAt(0.0), lane.height() - 6.0);
    painter.fillRect(block, theme().card);
    painter.setPen(theme().quiet);
    const MeasuredSound& sound = listening_.backingSound();
    if (!sound.peaks) {
        painter.drawText(block.adjusted(8, 0, 0, 0), Qt::AlignVCenter,
                         listening_.hearingPiece() ? tr("Reading …") : QString::fromStdString(backing->name));
        return;
    }
    const double middle = block.center().y(), half = 0.48 * block.height();
    const int rate = sound.recording->rateHz;
    for (int x = std::max(0, static_cast<int>(block.left()));
         x < std::min<int>(width(), static_cast<int>(block.right())); ++x) {
        const auto [low, high] = sound.peaks->range(*sound.recording, static_cast<int>(secondsAt(x) * rate),
                                                    static_cast<int>(secondsAt(x + 1) * rate) + 1);
        painter.drawLine(QPointF(x + 0.5, middle - half * std::min(1.0f, high)),
                         QPointF(x + 0.5, middle - half * std::max(-1.0f, low)));
    }
}

/// The notes as they are played, high ones above.
void PieceLanes::paintExcerpt(QPainter& painter, int lane) const {
    const Cue* cue = cueOf(lane);
    const Excerpt* excerpt = excerptOf(lane);
    if (!excerpt) return;
    const bool active = cue->id == document_.document().activeCue;
    const QRectF block = blockRect(lane);
    painter.setOpacity(cue->part.heard ? 1.0 : 0.4);
    painter.setPen(QPen(lane == chosen_ ? theme().ink : theme().line, lane == chosen_ ? 1.5 : 1.0));
    painter.setBrush(active ? theme().selected : theme().card);
    painter.drawRoundedRect(block, 3.0, 3.0);
    const Performance played = excerpt->corrected();
    if (!played.notes.empty()) {
        const auto [lowest, highest] = std::minmax_element(played.notes.begin(), played.notes.end(),
                                                           [](const Note& a, const Note& b) { return a.key < b.key; });
        const int low = lowest->key, span = std::max(6, highest->key - low);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().note);
        const QRectF inside = block.adjusted(1, 3, -1, -3);
        const double begin = excerpt->placeInPiece();
        for (const Note& note : played.notes) {
            const double y = inside.bottom() - (note.key - low + 0.5) / (span + 1.0) * inside.height();
            const double left = xAt(begin + note.start), right = std::min(xAt(begin + note.end), inside.right());
            painter.drawRect(QRectF(left, y - 1.5, std::max(1.5, right - left - 0.5), 3.0));
        }
    }
    painter.setOpacity(1.0);
}

void PieceLanes::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    paintRuler(painter);
    paintBacking(painter, laneRect(-1));
    for (int lane = 0; lane < static_cast<int>(lanes_.size()); ++lane) paintExcerpt(painter, lane);
    if (listening_.hearingPiece()) {
        painter.setPen(QPen(playing_ ? theme().warning : theme().quiet, 1.2));
        painter.drawLine(QPointF(xAt(playhead_), 0.0), QPointF(xAt(playhead_), height()));
    }
    if (hasFocus()) {
        painter.setPen(QPen(theme().ink, 1.0, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PieceLanes::setPlayhead(double seconds, bool playing) {
    if (seconds == playhead_ && playing == playing_) return;
    playhead_ = seconds;
    playing_ = playing;
    if (playing && listening_.hearingPiece()) follow(seconds);
    update();
}

/// Keeps an instant in view.
void PieceLanes::follow(double seconds) {
    if (viewEnd_ <= 0.0 || (seconds >= viewBegin_ && seconds <= viewEnd_)) return;
    const double span = viewEnd_ - viewBegin_;
    viewBegin_ = seconds - 0.1 * span;
    viewEnd_ = viewBegin_ + span;
    clampView();
}

void PieceLanes::clampView() {
    const double span = viewEnd_ - viewBegin_;
    if (span >= length()) {
        viewBegin_ = viewEnd_ = 0.0;
        return;
    }
    viewBegin_ = std::clamp(viewBegin_, 0.0, length() - span);
    viewEnd_ = viewBegin_ + span;
}

void PieceLanes::zoom(double factor, double around) {
    const double end = viewEnd_ > 0.0 ? viewEnd_ : length();
    const double span = std::max(shortestView, (end - viewBegin_) / factor);
    const double share = (around - viewBegin_) / (end - viewBegin_);
    viewBegin_ = around - share * span;
    viewEnd_ = viewBegin_ + span;
    clampView();
    update();
}

void PieceLanes::showAll() {
    viewBegin_ = viewEnd_ = 0.0;
    update();
}

void PieceLanes::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const double seconds = secondsAt(event->position().x());
    if (event->position().y() < rulerHeight) {
        if (listening_.hearingPiece()) playback_.seek(std::max(0.0, seconds));
        return;
    }
    for (int lane = 0; lane < static_cast<int>(lanes_.size()); ++lane) {
        if (!laneRect(lane).contains(event->position())) continue;
        choose(lane);
        if (!blockRect(lane).contains(event->position())) return;
        dragging_ = lane;
        grabbedAt_ = seconds - excerptOf(lane)->placeInPiece();
        // The whole drag is one step of undo, and the scale stands still under it.
        if (viewEnd_ <= 0.0) viewEnd_ = length();
    }
}

void PieceLanes::mouseMoveEvent(QMouseEvent* event) {
    if (dragging_ < 0) return;
    const Lane& lane = lanes_[static_cast<std::size_t>(dragging_)];
    const double seconds = secondsAt(event->position().x()) - grabbedAt_;
    piece_.placeExcerpt(lane.cue, lane.excerpt, std::round(seconds * 1000.0) / 1000.0);
}

void PieceLanes::mouseReleaseEvent(QMouseEvent*) { dragging_ = -1; }

void PieceLanes::wheelEvent(QWheelEvent* event) {
    const double turns = event->angleDelta().y() / 120.0;
    if (turns != 0.0) zoom(std::pow(1.25, turns), secondsAt(event->position().x()));
}

void PieceLanes::move(double by) {
    if (const Excerpt* excerpt = chosen_ >= 0 ? excerptOf(chosen_) : nullptr) {
        const Lane& lane = lanes_[static_cast<std::size_t>(chosen_)];
        piece_.placeExcerpt(lane.cue, lane.excerpt, std::round((excerpt->placeInPiece() + by) * 1e6) / 1e6);
    }
}

void PieceLanes::keyPressEvent(QKeyEvent* event) {
    const Excerpt* excerpt = chosen_ >= 0 ? excerptOf(chosen_) : nullptr;
    const double beat = excerpt ? 60.0 / std::max(1.0, excerpt->performance.tempo) : 0.5;
    const double step = event->modifiers() & Qt::ControlModifier ? beat
                        : event->modifiers() & Qt::ShiftModifier ? 0.001
                                                                 : 0.01;
    switch (event->key()) {
    case Qt::Key_Left: move(-step); return;
    case Qt::Key_Right: move(step); return;
    case Qt::Key_Up: choose(chosen_ - 1); return;
    case Qt::Key_Down: choose(chosen_ + 1); return;
    case Qt::Key_Home: showAll(); return;
    case Qt::Key_Plus: zoom(1.6, excerpt ? excerpt->placeInPiece() : viewBegin_); return;
    case Qt::Key_Minus: zoom(1.0 / 1.6, excerpt ? excerpt->placeInPiece() : viewBegin_); return;
    default: QWidget::keyPressEvent(event);
    }
}

} // namespace facet

#include "moc_piece_lanes.cpp"
