#include "app/views/patch/module_picture.h"

#include "app/views/common/theme.h"
#include "core/engine/inspect/preview.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr int points = 112, drawnPartials = 14;
constexpr double partialsDb = 42.0; ///< from the strongest to the bottom

std::vector<float> envelopeLine(const Patch& patch, const std::string& path) {
    const EnvelopeShape shape = previewOfEnvelope(patch, path);
    // Held a little longer than it takes to come to rest, then let go; long and short ones fill the picture alike.
    const double rise = shape.delay + shape.attack + shape.hold;
    const double held = std::max(1e-3, rise + (shape.sustain < 1.0 ? shape.decay : 0.15 * rise + 0.1));
    const double whole = held + std::max(0.15 * held, shape.release);
    Envelope envelope;
    envelope.start();
    std::vector<float> line(points);
    const double step = whole / points;
    bool released = false;
    for (int i = 0; i < points; ++i) {
        if (!released && i * step >= held) {
            envelope.release();
            released = true;
        }
        envelope.advance(shape, step, 1, &line[static_cast<std::size_t>(i)]);
        line[static_cast<std::size_t>(i)] = 2.0f * line[static_cast<std::size_t>(i)] - 1.0f;
    }
    return line;
}

std::vector<float> filterLine(const Patch& patch, const std::string& path) {
    std::vector<double> hz;
    for (int i = 0; i < points; ++i) hz.push_back(20.0 * std::pow(1000.0, i / (points - 1.0)));
    std::vector<float> line;
    for (double db : previewOfFilter(patch, path, hz))
        line.push_back(static_cast<float>(std::clamp((db + 12.0) / 36.0, -1.0, 1.0))); // −48 to +24 dB
    return line;
}

} // namespace

ModulePicture::ModulePicture(QWidget* parent) : QWidget(parent) {
    setFixedSize(sizeHint());
    setAttribute(Qt::WA_TransparentForMouseEvents);
}

bool ModulePicture::draws(ModuleKind kind) {
    return kind == ModuleKind::source || kind == ModuleKind::filter || kind == ModuleKind::envelope ||
           kind == ModuleKind::lfo;
}

void ModulePicture::show(const Patch& patch, const Patch::Module& module) {
    if (shown_ && *shown_ == module) return;
    shown_ = module;
    switch (module.kind) {
    case ModuleKind::source:
        line_ = previewOfSource(patch, module.path, points);
        line_.push_back(line_.front()); // the jump back is part of it
        partials_ = previewOfPartials(patch, module.path, drawnPartials);
        break;
    case ModuleKind::lfo: line_ = previewOfLfo(patch, module.path, points); break;
    case ModuleKind::envelope: line_ = envelopeLine(patch, module.path); break;
    case ModuleKind::filter: line_ = filterLine(patch, module.path); break;
    default: line_.clear();
    }
    update();
}

void ModulePicture::paintEvent(QPaintEvent*) {
    if (line_.empty()) return;
    QPainter painter(this);
    for (std::size_t n = 0; n < partials_.size(); ++n) {
        const double tall = (height() - 2.0) * std::clamp(1.0 + partials_[n] / partialsDb, 0.0, 1.0);
        const double wide = static_cast<double>(width()) / drawnPartials;
        painter.fillRect(QRectF(wide * static_cast<double>(n), height() - 1.0 - tall, wide - 2.0, tall), theme().line);
    }
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(isEnabled() ? theme().ink : theme().quiet, 1.3));
    QPolygonF polygon;
    const double middle = height() / 2.0, reach = height() / 2.0 - 3.0;
    for (std::size_t i = 0; i < line_.size(); ++i)
        polygon << QPointF(1.0 + (width() - 2.0) * static_cast<double>(i) / static_cast<double>(line_.size() - 1),
                           middle - reach * std::clamp(static_cast<double>(line_[i]), -1.1, 1.1));
    painter.drawPolyline(polygon);
}

} // namespace facet

#include "moc_module_picture.cpp"
