// The curves of modules: envelopes, filters' responses, shapes of LFOs.
#pragma once

#include "app/views/patch/curve_editor.h"
#include "core/parameters/module_data.h"

namespace facet {

/// The curve editor of a module; null for one that has none.
CurveEditor* makeCurve(DocumentStore& document, PatchEditor& patchEditor, const std::string& path, QWidget* parent);

/// Each segment on the scale of its own time, side by side; bends by the small handles.
class EnvelopeCurve : public CurveEditor {
    Q_OBJECT

public:
    using CurveEditor::CurveEditor;

protected:
    std::vector<Handle> handles() const override;
    QPolygonF curve() const override;
    void moveHandle(int index, QPointF to, bool fine) override;

private:
    double unit(const char* field) const;
    QString text(const char* field) const;
};

/// Frequency against gain; the handle is cutoff and resonance. Dashed: where its envelope takes it.
class FilterCurve : public CurveEditor {
    Q_OBJECT

public:
    using CurveEditor::CurveEditor;
    /// Octaves by which the cutoff is moved now; shown while something plays.
    void setMoved(double octaves);

protected:
    std::vector<Handle> handles() const override;
    QPolygonF curve() const override;
    QPolygonF shadow() const override;
    void moveHandle(int index, QPointF to, bool fine) override;
    void paintBehind(QPainter& painter) override;

private:
    QPolygonF response(double octaves) const;
    double moved_ = 0.0;
};

/// What a link makes of its mover, from one end of the mover's range to the other; the handle bends it.
class TransferCurve : public CurveEditor {
    Q_OBJECT

public:
    using CurveEditor::CurveEditor;

protected:
    std::vector<Handle> handles() const override;
    QPolygonF curve() const override;
    void moveHandle(int index, QPointF to, bool fine) override;
    void paintBehind(QPainter& painter) override;

private:
    /// Ends of the mover's range, with their names.
    struct Range {
        double low, high;
        QString lowName, highName;
    };
    Range range() const;
    double bend() const;
};

/// One cycle. Breakpoints of a drawn shape snap to sixteenths; drawing into another shape makes it a drawn one.
class ShapeCurve : public CurveEditor {
    Q_OBJECT

public:
    using CurveEditor::CurveEditor;

protected:
    std::vector<Handle> handles() const override;
    QPolygonF curve() const override;
    void moveHandle(int index, QPointF to, bool fine) override;
    int addHandle(QPointF place) override;
    void removeHandle(int index) override;
    QPointF keyStep() const override { return {1.0 / 16.0, 0.05}; }
    void paintBehind(QPainter& painter) override;

private:
    bool drawn() const;
    std::vector<ShapePoint> points() const;
    void take(const QString& what, const std::vector<ShapePoint>& points, const QString& mergeKey = {});
};

} // namespace facet
