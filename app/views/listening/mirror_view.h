// The mirror: the reference above, the render below, reflected about one time ruler with the notes on it.
#pragma once

#include "app/views/common/note_drag.h"
#include "core/analysis/spectrogram.h"
#include "core/performance/performance.h"

#include <QColor>
#include <QImage>
#include <QString>
#include <QWidget>
#include <functional>
#include <optional>
#include <set>

namespace facet {

class DocumentStore;
class NotesController;
class ReferenceController;
class ResultsController;
class Listening;

/// Drag over a picture to loop a part, click to go there, wheel to zoom, Shift + wheel to scroll, double-click to hear
/// all. Notes on the ruler are chosen by click (with Ctrl several), moved and resized by dragging, added by
/// double-click; arrow keys step through and repair them.
class MirrorView : public QWidget {
    Q_OBJECT

public:
    /// What both halves show.
    enum class Picture { wave, spectrum, level, pitch, difference };

    explicit MirrorView(DocumentStore& document, NotesController& notes, ReferenceController& reference,
                        ResultsController& results, Listening& listening, QWidget* parent = nullptr);
    /// Shows document and results as they stand.
    void refresh();
    void setPicture(Picture picture);
    Picture picture() const { return picture_; }
    /// Seconds into the phrase; while it plays the view follows.
    void setPlayhead(double seconds, bool playing);
    /// Index into the performance's notes; −1: none.
    int selectedNote() const;
    /// Chooses one note alone; −1: none.
    void selectNote(int index);
    /// Shows 1 / factor of the time now in view, keeping an instant, seconds, at its place.
    void zoom(double factor, double around);
    /// Shows the whole phrase.
    void showAll();
    /// Moves the view by a share of its width.
    void scroll(double share);
    /// What is in view, seconds into the phrase.
    double viewBegin() const { return viewBegin_; }
    double viewEnd() const { return viewEnd_; }
    /// Horizontal place of an instant.
    double xAt(double seconds) const;
    /// The reverse: the instant at a horizontal place in pixels.
    double secondsAt(double x) const;
    /// Where the time ruler with its notes is drawn.
    QRectF rulerRect() const;

    /// What both sounds are at the measuring cursor, which follows the mouse, or Shift with the arrow keys.
    QString measured() const;

    QSize minimumSizeHint() const override { return {400, 150}; }

signals:
    /// The producer clicked at an instant of the phrase.
    void seekWanted(double seconds);
    void viewChanged(); ///< another stretch of time is shown

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void leaveEvent(QEvent*) override;
    bool event(QEvent*) override;

private:
    static constexpr double namesWidth = 96.0; ///< pixels left of the pictures
    static constexpr double keyRowHeight =
        11.0; ///< of the ruler where notes sound together, each key on a row of its own
    void paintCursor(QPainter& painter, const QRectF& plot);
    QRectF plotRect() const;
    double length() const;
    int noteAt(QPointF place) const;
    QRectF noteBar(const Note& note, int lowest, int highest) const;
    void paintSide(QPainter& painter, bool reference, const QRectF& area);
    void paintWave(QPainter& painter, bool reference, const QRectF& area);
    void paintSpectrum(QPainter& painter, bool reference, const QRectF& area);
    void paintLevel(QPainter& painter, bool reference, const QRectF& area);
    void paintPitch(QPainter& painter, bool reference, const QRectF& area);
    void paintTrack(QPainter& painter, bool reference, const QRectF& area,
                    const std::function<double(double)>& shareAt);
    void paintNotes(QPainter& painter);
    void paintOutlined(QPainter& painter, int lowest, int highest, const QColor& color);
    void paintReadingsLink(QPainter& painter);
    /// Where the readings of the notes are chosen; empty where there is one.
    QRectF readingsLink() const;
    QString readingsText() const;
    void showReadings();
    NoteDrag::Kind edgeAt(QPointF place, const Note& note) const;
    void moveChosenNotes(double seconds, int semitones);
    void addNoteAt(double seconds);
    void clampView();

    DocumentStore& document_;
    NotesController& notes_;
    ReferenceController& reference_;
    ResultsController& results_;
    Listening& listening_;
    Picture picture_ = Picture::wave;
    double viewBegin_ = 0.0;
    double viewEnd_ = 0.0; ///< 0: everything
    double playhead_ = 0.0;
    bool playing_ = false;
    bool looping_ = false; ///< a loop is being dragged
    double dragFrom_ = 0.0;
    double dragTo_ = 0.0;
    std::optional<double> cursor_; ///< seconds
    double cursorY_ = -1.0;        ///< below 0: of the keyboard
    std::optional<NoteDrag> noteDrag_;
    std::vector<NoteChange> dragChanges_;
    /// The picture of a spectrogram in a side's color, kept until either changes.
    struct Painted {
        SpectrogramPtr of;
        QColor color;
        QImage image;
    };
    Painted painted_[2];
    std::set<int> rows_; ///< keys with a row of their own on the ruler, where notes overlap
    double rulerHeight_ = 22.0;
    std::uint64_t shownCue_ = 0;
    double shownLength_ = 0.0;
};

} // namespace facet
