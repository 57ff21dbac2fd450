#include "app/views/notes/note_editor.h"

#include "app/session/document/document_store.h"
#include "app/session/reference/notes_controller.h"
#include "app/session/results/results_controller.h"
#include "app/views/common/time_picture.h"
#include "app/views/listening/mirror_view.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double laneShare = 0.28;
constexpr double gap = 6.0;
constexpr int fewestKeys = 18;

} // namespace

NoteEditor::NoteEditor(DocumentStore& document, NotesController& notes, ResultsController& results,
                       Listening& listening, MirrorView& mirror, QWidget* parent)
    : QWidget(parent), document_(document), notes_(notes), results_(results), listening_(listening), mirror_(mirror) {
    setObjectName("notes");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Notes over time"));
    setAccessibleDescription(
        tr("Arrow keys move the chosen notes, Delete removes them, Tab walks on, Ctrl+A chooses all"));
    connect(&mirror_, &MirrorView::viewChanged, this, qOverload<>(&QWidget::update));
    connect(&notes_, &NotesController::chosenChanged, this, qOverload<>(&QWidget::update));
    connect(&notes_, &NotesController::gridChanged, this, qOverload<>(&QWidget::update));
    connect(&notes_, &NotesController::outlinedChanged, this, &NoteEditor::refresh);
}

QRectF NoteEditor::notesRect() const {
    const QRectF ruler = mirror_.rulerRect(); // the same left and right edge
    const double all = height() - timesHeight;
    return {ruler.left(), 0.0, ruler.width(), std::max(40.0, (1.0 - laneShare) * all - gap)};
}

QRectF NoteEditor::laneRect() const {
    const QRectF notes = notesRect();
    return {notes.left(), notes.bottom() + gap, notes.width(),
            std::max(20.0, height() - timesHeight - notes.bottom() - gap)};
}

QRectF NoteEditor::barOf(const Note& note) const {
    const QRectF area = notesRect();
    const double row = area.height() / (highestKey_ - lowestKey_ + 1);
    const double left = mirror_.xAt(note.start);
    return {left, area.top() + (highestKey_ - note.key) * row + 0.5, std::max(3.0, mirror_.xAt(note.end) - left),
            std::max(3.0, row - 1.0)};
}

QPointF NoteEditor::placeOf(double seconds, int key) const {
    return {mirror_.xAt(seconds), barOf({0.0, 1.0, key, 0.0, 100.0}).center().y()};
}

int NoteEditor::keyAt(double y) const {
    const QRectF area = notesRect();
    const double row = area.height() / (highestKey_ - lowestKey_ + 1);
    return std::clamp(highestKey_ - static_cast<int>(std::floor((y - area.top()) / row)), 0, 127);
}

double NoteEditor::secondsAt(double x) const { return mirror_.secondsAt(x); }

std::pair<double, double> NoteEditor::laneRange() const {
    if (lane_ == velocityLane) return {0.0, 127.0};
    if (lane_ != bendLane) return {0.0, 1.0};
    double reachCents = 200.0;
    for (const CurvePoint& p : document_.performance().bends) reachCents = std::max(reachCents, std::abs(p.value));
    return {-reachCents, reachCents};
}

double NoteEditor::laneY(double value) const {
    const auto [low, high] = laneRange();
    const QRectF area = laneRect().adjusted(0, 4, 0, -3);
    return area.bottom() - (value - low) / (high - low) * area.height();
}

double NoteEditor::laneValueAt(double y) const {
    const auto [low, high] = laneRange();
    const QRectF area = laneRect().adjusted(0, 4, 0, -3);
    return std::clamp(low + (area.bottom() - y) / area.height() * (high - low), low, high);
}

QString NoteEditor::laneText(double value) const {
    if (lane_ == velocityLane) return QString::number(value, 'f', 0);
    if (lane_ == bendLane) return tr("%1 ct").arg(value, 0, 'f', 0).replace('-', "−");
    const std::string target = lane_.toStdString();
    if (target == wheelTarget || target == pressureTarget) return tr("%1 %").arg(100.0 * value, 0, 'f', 0);
    const Address address = Address::parse(target);
    if (!document_.cue()->patch.has(address)) return {};
    const auto& descriptor = document_.cue()->patch.descriptor(address);
    return QString::fromStdString(textOf(descriptor, descriptor.fromUnit(value)));
}

std::vector<CurvePoint> NoteEditor::lanePoints() const {
    if (lane_ == velocityLane) return {};
    const Performance performance = document_.performance();
    if (lane_ == bendLane) return performance.bends;
    const Curve* curve = performance.curveOf(lane_.toStdString());
    return curve ? curve->points : std::vector<CurvePoint>{};
}

void NoteEditor::setLanePoints(std::vector<CurvePoint> points, bool merge) {
    const QString key = merge ? "curve " + lane_ : QString();
    if (lane_ == bendLane)
        notes_.setBends(points, key);
    else
        notes_.setCurve({lane_.toStdString(), std::move(points)}, key);
}

void NoteEditor::setLane(const QString& lane) {
    lane_ = lane;
    update();
}

void NoteEditor::refresh() {
    const auto notes = document_.performance().notes;
    int low = 127;
    int high = 0;
    const auto hold = [&](const std::vector<Note>& shown) {
        for (const Note& note : shown) {
            low = std::min(low, note.key);
            high = std::max(high, note.key);
        }
    };
    hold(notes);
    if (const auto outlined = notes_.outlined()) hold(document_.excerpt()->readings[*outlined].notes);
    if (notes.empty()) low = 48, high = 72;
    // Room to move; the range stays while it fits, so that a drag does not make everything jump.
    if (drag_ == Drag::none && (low - 2 < lowestKey_ || high + 2 > highestKey_ ||
                                highestKey_ - lowestKey_ > std::max(fewestKeys, high - low + 14))) {
        const int room = std::max(4, (fewestKeys - (high - low)) / 2);
        lowestKey_ = std::max(0, low - room);
        highestKey_ = std::min(127, high + room);
    }
    update();
}

} // namespace facet

#include "moc_note_editor.cpp"
