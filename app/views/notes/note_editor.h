// The notes large, below the mirror and on its time axis: pitch against time, and a lane for velocities or a curve.
#pragma once

#include "app/views/common/note_drag.h"
#include "core/performance/performance.h"

#include <QString>
#include <QWidget>
#include <optional>
#include <string>
#include <vector>

namespace facet {

class MirrorView;
class DocumentStore;
class NotesController;
class ResultsController;
class Listening;

/// Click chooses, Ctrl adds to the choice, a drag over empty paper chooses what it frames; double-click adds or splits;
/// dragging moves notes or their ends. In the lane a drag sets velocities, or adds and moves points of the curve;
/// double-click or Delete takes a point away. The time axis is the mirror's: zooming either zooms both.
class NoteEditor : public QWidget {
    Q_OBJECT

public:
    /// What the lane shows: "velocity", "bend", wheelTarget, pressureTarget or the text of a parameter's address.
    static constexpr const char* velocityLane = "velocity";
    static constexpr const char* bendLane = "bend";

    NoteEditor(DocumentStore& document, NotesController& notes, ResultsController& results, Listening& listening,
               MirrorView& mirror, QWidget* parent = nullptr);
    void refresh();
    void setLane(const QString& lane);
    const QString& lane() const { return lane_; }

    QRectF notesRect() const;
    QRectF laneRect() const;
    QPointF placeOf(double seconds, int key) const;
    /// Height in the lane of a value: a velocity, cents of bend, or 0…1.
    double laneY(double value) const;

    QSize minimumSizeHint() const override { return {400, 160}; }

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    enum class Drag { none, notes, frame, velocity, point };

    QRectF barOf(const Note& note) const;
    int keyAt(double y) const;
    double secondsAt(double x) const;
    double laneValueAt(double y) const;
    std::pair<double, double> laneRange() const;
    QString laneText(double value) const;
    std::vector<CurvePoint> lanePoints() const;
    void setLanePoints(std::vector<CurvePoint> points, bool merge);
    int noteAt(QPointF place) const;
    int pointAt(QPointF place) const;
    int stemAt(QPointF place) const;
    NoteDrag::Kind edgeAt(QPointF place, const Note& note) const;
    void paintKeys(QPainter& painter);
    void paintPitch(QPainter& painter);
    void paintNotes(QPainter& painter);
    void paintOutlined(QPainter& painter);
    void paintLane(QPainter& painter);
    void removePoint(int index);
    void nudge(double seconds, int semitones);

    DocumentStore& document_;
    NotesController& notes_;
    ResultsController& results_;
    Listening& listening_;
    MirrorView& mirror_;
    QString lane_ = velocityLane;
    int lowestKey_ = 48;
    int highestKey_ = 72;
    Drag drag_ = Drag::none;
    std::optional<NoteDrag> noteDrag_;
    std::vector<NoteChange> changes_;
    QPointF from_;
    QPointF to_;
    int heldPoint_ = -1;
    std::vector<CurvePoint> draggedPoints_;
    int soundedKey_ = -1;
};

} // namespace facet
