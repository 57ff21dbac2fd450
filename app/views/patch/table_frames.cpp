#include "app/views/patch/table_frames.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double framesMargin = 10.0, lean = 0.35; ///< of the width, from the first cycle to the last
constexpr int mostShown = 24, pointsOfEach = 96;

} // namespace

TableFrames::TableFrames(DocumentStore& document, PatchEditor& patchEditor, std::string path, QWidget* parent)
    : QWidget(parent), document_(document), patchEditor_(patchEditor), path_(std::move(path)) {
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(sizeHint().height());
    setObjectName(QString::fromStdString("cycles " + path_));
    setAccessibleName(tr("Cycles of the wavetable"));
}

const std::vector<float>& TableFrames::frames() const {
    static const std::vector<float> none;
    const auto* module = document_.cue() ? document_.cue()->patch.find(path_) : nullptr;
    return module ? module->contents().frames : none;
}

int TableFrames::count() const { return static_cast<int>(frames().size() / tableFrameSamples); }

double TableFrames::position() const { return document_.cue()->patch.value({path_, "position"}) / 100.0; }

int TableFrames::chosen() const { return static_cast<int>(std::lround(position() * std::max(0, count() - 1))); }

void TableFrames::refresh() {
    setAccessibleDescription(tr("cycle %1 of %2").arg(chosen() + 1).arg(count()));
    update();
}

QPolygonF TableFrames::line(int frame) const {
    const double share = count() > 1 ? static_cast<double>(frame) / (count() - 1) : 0.0;
    const double wide = (width() - 2 * framesMargin) * (1.0 - lean), high = height() - 2 * framesMargin;
    const double left = framesMargin + share * lean * (width() - 2 * framesMargin);
    const double middle = framesMargin + 0.78 * high - share * 0.56 * high;
    QPolygonF result;
    for (int i = 0; i < pointsOfEach; ++i) {
        const double x = static_cast<double>(i) / (pointsOfEach - 1);
        const auto at = static_cast<std::size_t>(frame) * tableFrameSamples +
                        std::min<std::size_t>(static_cast<std::size_t>(x * tableFrameSamples), tableFrameSamples - 1);
        result << QPointF(left + x * wide, middle - 0.2 * high * static_cast<double>(frames()[at]));
    }
    return result;
}

void TableFrames::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(hasFocus() ? theme().ink : theme().line, 1.0));
    painter.setBrush(theme().card);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    painter.setFont(interfaceFont(8.5));
    painter.setPen(theme().quiet);
    if (count() == 0) {
        painter.drawText(rect(), Qt::AlignCenter, tr("No cycles yet"));
        return;
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme().line, 1.0));
    const int shown = std::min(count(), mostShown);
    for (int k = shown - 1; k >= 0; --k) // the last ones lie behind
        painter.drawPolyline(
            line(shown > 1 ? static_cast<int>(std::lround(static_cast<double>(k) * (count() - 1) / (shown - 1))) : 0));
    painter.setPen(QPen(theme().ink, 1.6));
    painter.drawPolyline(line(chosen()));
    painter.setPen(theme().quiet);
    painter.drawText(QRectF(framesMargin, 4, width() - 2 * framesMargin, 14), Qt::AlignLeft,
                     tr("cycle %1 of %2").arg(chosen() + 1).arg(count()));
}

void TableFrames::moveTo(double x) {
    const double share = std::clamp((x - framesMargin) / (width() - 2 * framesMargin), 0.0, 1.0);
    patchEditor_.setParameter({path_, "position"}, std::round(1000.0 * share) / 10.0);
}

void TableFrames::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && count() > 0) moveTo(event->position().x());
}

void TableFrames::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton && count() > 0) moveTo(event->position().x());
}

void TableFrames::keyPressEvent(QKeyEvent* event) {
    const int by = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (by != 0 && count() > 1)
        patchEditor_.setParameter({path_, "position"},
                                  100.0 * std::clamp(chosen() + by, 0, count() - 1) / static_cast<double>(count() - 1));
    else if (event->key() == Qt::Key_Delete)
        removeChosen();
    else
        QWidget::keyPressEvent(event);
}

void TableFrames::take(const QString& what, std::vector<float> frames) {
    document_.editCue(what, [&](Cue& cue) {
        ModuleData held = cue.patch.find(path_)->contents();
        held.frames = std::move(frames);
        cue.patch.setData(path_, held);
    });
}

void TableFrames::removeChosen() {
    if (count() < 2) return; // a table has one at least
    std::vector<float> all = frames();
    const auto at = all.begin() + static_cast<std::ptrdiff_t>(chosen()) * tableFrameSamples;
    all.erase(at, at + tableFrameSamples);
    take(tr("Remove a cycle"), std::move(all));
}

void TableFrames::reverse() {
    std::vector<float> turned;
    for (int k = count() - 1; k >= 0; --k) {
        const auto at = frames().begin() + static_cast<std::ptrdiff_t>(k) * tableFrameSamples;
        turned.insert(turned.end(), at, at + tableFrameSamples);
    }
    if (count() > 1) take(tr("Turn the cycles round"), std::move(turned));
}

} // namespace facet

#include "moc_table_frames.cpp"
