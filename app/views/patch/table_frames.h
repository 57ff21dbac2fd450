// The cycles of a wavetable one behind the other, and which of them sounds.
#pragma once

#include <QWidget>
#include <string>
#include <vector>

namespace facet {

class DocumentStore;
class PatchEditor;

/// Dragging, or the left and right keys, move the position; Delete takes the cycle at the position away. Shows changes
/// at refresh().
class TableFrames : public QWidget {
    Q_OBJECT

public:
    TableFrames(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent = nullptr);
    void refresh();
    int count() const;
    /// The cycle nearest to the position; 0 the first.
    int chosen() const;
    void removeChosen();
    void reverse();
    QSize sizeHint() const override { return {320, 120}; }

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    const std::vector<float>& frames() const;
    double position() const;
    void moveTo(double x);
    void take(const QString& what, std::vector<float> frames);
    QPolygonF line(int frame) const;

    DocumentStore& document_;
    PatchEditor& patchEditor_;
    const std::string path_;
};

} // namespace facet
