// The source recording whole: waveform above spectrogram, with the excerpts cut from it.
#pragma once

#include "core/analysis/overview.h"
#include "core/audio/attention.h"

#include <QColor>
#include <QImage>
#include <QWidget>
#include <optional>

namespace facet {

class DocumentStore;
class ReferenceController;
class Listening;
class Playback;
struct Excerpt;

/// Drag chooses a part, dragging one of its ends changes it, a click sets the cursor or looks at an excerpt by its
/// label; wheel zooms from the whole file to single samples, Shift + wheel and the arrow keys scroll. Times are seconds
/// into the source.
class SourcePicture : public QWidget {
    Q_OBJECT

public:
    explicit SourcePicture(DocumentStore& document, ReferenceController& reference, Listening& listening,
                           Playback& playback, QWidget* parent = nullptr);
    void refresh();
    void setPlayhead(double seconds); ///< < 0: none
    /// The chosen part; begin = end when nothing is chosen.
    TimeSpan selection() const { return selection_; }
    void select(TimeSpan span);
    /// What plays on Space: the chosen part, or everything in view from the cursor on.
    TimeSpan wantedPart() const;
    void zoom(double factor, double around);
    void zoomToSelection();
    void showAll();
    TimeSpan view() const { return view_; }
    double xAt(double seconds) const;
    double secondsAt(double x) const;

    QSize minimumSizeHint() const override { return {300, 160}; }

signals:
    void selectionChanged();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    QRectF plotRect() const;
    QRectF waveRect() const;
    QRectF spectrumRect() const;
    QRectF labelOf(const Excerpt& excerpt) const;
    void setView(double begin, double end);
    double waveY(double value) const;
    void paintWave(QPainter& painter);
    void paintSamples(QPainter& painter, const Recording& recording, double begin);
    void paintSpectrum(QPainter& painter);
    void paintExcerpts(QPainter& painter);

    DocumentStore& document_;
    ReferenceController& reference_;
    Listening& listening_;
    Playback& playback_;
    TimeSpan view_;
    TimeSpan selection_;
    double cursor_ = 0.0;
    double playhead_ = -1.0;
    double scale_ = 1.0; ///< of the waveform: its loudest sample fills the height
    enum class Drag { none, fresh, begin, end };
    Drag drag_ = Drag::none;
    double from_ = 0.0;
    std::string shownPath_;
    double shownEnd_ = 0.0;
    struct Painted {
        const void* of = nullptr;
        QColor color;
        QImage image;
    };
    Painted whole_;
    Painted close_;
};

} // namespace facet
