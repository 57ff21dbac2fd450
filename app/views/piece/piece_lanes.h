// The time line of the piece: the backing's waveform and one lane for each excerpt, with the notes of its phrase.
#pragma once

#include <QWidget>
#include <cstdint>
#include <vector>

namespace facet {

class DocumentStore;
class PieceEditor;
class Listening;
class Playback;
struct Cue;
struct Excerpt;

/// Dragging a block, or the arrow keys, move its excerpt in the piece; a click on the ruler seeks while the piece
/// plays, the wheel zooms and with Shift scrolls. Times are seconds into the piece. GUI thread only.
class PieceLanes : public QWidget {
    Q_OBJECT

public:
    static constexpr int rulerHeight = 22;

    PieceLanes(DocumentStore& document, PieceEditor& piece, Listening& listening, Playback& playback, int laneHeight,
               QWidget* parent = nullptr);

    /// A lane for each, in the order of the document.
    struct Lane {
        std::uint64_t cue;
        std::uint64_t excerpt;
    };
    /// Shows these lanes; the chosen one stays chosen if it is among them.
    void setLanes(std::vector<Lane> lanes);
    /// Index into the lanes; −1: none.
    void choose(int lane);
    int chosen() const { return chosen_; }
    /// While it plays the view follows.
    void setPlayhead(double seconds, bool playing);
    /// Shows 1 / factor of the time now in view, keeping an instant at its place.
    void zoom(double factor, double around);
    void showAll();
    /// Where a lane's excerpt is drawn, for whoever wants to grab it.
    QRectF blockRect(int lane) const;
    /// Time at a horizontal place of the widget in pixels, and the reverse.
    double secondsAt(double x) const;
    double xAt(double seconds) const;

signals:
    /// The producer chose a lane.
    void laneChosen(int lane);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    const Cue* cueOf(int lane) const;
    const Excerpt* excerptOf(int lane) const;
    void paintRuler(QPainter& painter) const;
    void paintBacking(QPainter& painter, const QRectF& lane) const;
    void paintExcerpt(QPainter& painter, int lane) const;
    QRectF laneRect(int lane) const;
    double length() const;
    void clampView();
    void follow(double seconds);
    void move(double by);

    DocumentStore& document_;
    PieceEditor& piece_;
    Listening& listening_;
    Playback& playback_;
    const int laneHeight_;
    std::vector<Lane> lanes_;
    int chosen_ = -1;
    double viewBegin_ = 0.0;
    double viewEnd_ = 0.0; ///< 0: everything
    double playhead_ = 0.0;
    bool playing_ = false;
    int dragging_ = -1;
    double grabbedAt_ = 0.0; ///< seconds into the excerpt
};

} // namespace facet
