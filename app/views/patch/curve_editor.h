// A curve with handles to grab, by mouse and by keyboard.
#pragma once

#include <QPointF>
#include <QPolygonF>
#include <QString>
#include <QWidget>
#include <string>
#include <vector>

namespace facet {

class DocumentStore;
class PatchEditor;

/// Shows one module of the active cue's patch as a curve and changes it by its handles: drag; arrow keys move the
/// chosen handle, with Shift finely; Page Up and Page Down choose another; where points can be added, a double click or
/// Insert adds one and Delete takes one away. Shows changes at refresh().
class CurveEditor : public QWidget {
    Q_OBJECT

public:
    CurveEditor(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent = nullptr);
    void refresh();
    QSize sizeHint() const override { return {320, 140}; }
    /// Places in the widget, for those who drag.
    QPointF placeOfHandle(int index) const { return toWidget(handles().at(static_cast<std::size_t>(index)).place); }
    int handleCount() const { return static_cast<int>(handles().size()); }
    int chosenHandle() const { return chosen_; }

protected:
    /// Places are 0…1 from the left and from the bottom.
    struct Handle {
        QPointF place;
        QString text; ///< "attack 3 ms"
        bool small = false;
    };
    virtual std::vector<Handle> handles() const = 0;
    virtual QPolygonF curve() const = 0;
    /// Drawn fainter behind the curve; may be empty.
    virtual QPolygonF shadow() const { return {}; }
    /// `fine`: not to the grid.
    virtual void moveHandle(int index, QPointF to, bool fine) = 0;
    /// Index of the new handle; −1: none can be added.
    virtual int addHandle(QPointF /*place*/) { return -1; }
    virtual void removeHandle(int /*index*/) {}
    /// Steps of the arrow keys.
    virtual QPointF keyStep() const { return {0.01, 0.02}; }
    virtual void paintBehind(QPainter&) {}

    QPointF toWidget(QPointF place) const;
    QPointF toPlace(QPointF widget) const;
    DocumentStore& document_;
    PatchEditor& patchEditor_;
    const std::string path_;

    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void choose(int index);
    int nearestHandle(QPointF at) const;
    int chosen_ = 0;
    bool dragging_ = false;
};

} // namespace facet
