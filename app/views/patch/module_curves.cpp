#include "app/views/patch/module_curves.h"

#include "app/session/document/document_store.h"
#include "app/session/document/patch_editor.h"
#include "app/views/common/theme.h"
#include "app/views/common/words.h"
#include "core/dsp/envelope.h"
#include "core/parameters/field.h"
#include "core/engine/compile/graph.h"
#include "core/engine/inspect/preview.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace facet {

namespace {

// Shares of an envelope's picture.
constexpr double delayShare = 0.1, attackShare = 0.24, holdShare = 0.1, decayShare = 0.24, plateau = 0.1,
                 releaseShare = 0.22;
constexpr int curvePoints = 24;
constexpr double lowDb = -48.0, highDb = 30.0, lowHz = 20.0, highOctaves = 9.965784; // up to 20 kHz
constexpr double gridStep = 1.0 / 16.0;

QString label(const ParameterDescriptor& d) { return text(d.label).toLower(); }

/// With the cycle from its beginning, where the points stand.
Patch unturned(Patch patch, const std::string& path) {
    patch.set({path, "phase"}, 0.0);
    return patch;
}

/// The bend in percent whose curve passes a place at its middle.
double bendThrough(double share) {
    double low = -100.0, high = 100.0;
    for (int i = 0; i < 24; ++i) {
        const double middle = 0.5 * (low + high);
        (SegmentCurve(middle * curvePerPercent)(0.5) < share ? low : high) = middle;
    }
    return std::round(0.5 * (low + high));
}

} // namespace

CurveEditor* makeCurve(DocumentStore& document, PatchEditor& patchEditor, const std::string& path, QWidget* parent) {
    switch (document.cue()->patch.find(path)->kind) {
    case ModuleKind::envelope: return new EnvelopeCurve(document, patchEditor, path, parent);
    case ModuleKind::filter: return new FilterCurve(document, patchEditor, path, parent);
    case ModuleKind::lfo: return new ShapeCurve(document, patchEditor, path, parent);
    case ModuleKind::link: return new TransferCurve(document, patchEditor, path, parent);
    default: return nullptr;
    }
}

// ---- envelopes ----

double EnvelopeCurve::unit(const char* field) const {
    const Patch& patch = document_.cue()->patch;
    const Address address{path_, field};
    return patch.descriptor(address).toUnit(patch.value(address));
}

QString EnvelopeCurve::text(const char* field) const {
    const Patch& patch = document_.cue()->patch;
    const Address address{path_, field};
    const auto& d = patch.descriptor(address);
    return label(d) + " " + QString::fromStdString(facet::textOf(d, patch.value(address)));
}

std::vector<CurveEditor::Handle> EnvelopeCurve::handles() const {
    if (!document_.cue() || !document_.cue()->patch.find(path_)) return {};
    const EnvelopeShape shape = previewOfEnvelope(document_.cue()->patch, path_);
    const double delay = delayShare * unit("delay"), attack = delay + attackShare * unit("attack");
    const double hold = attack + holdShare * unit("hold"), decay = hold + decayShare * unit("decay");
    const double release = decay + plateau;
    const double end = release + releaseShare * unit("release");
    const double s = shape.sustain;
    const auto middle = [](double a, double b) { return 0.5 * (a + b); };
    return {{{delay, 0.0}, text("delay")},
            {{attack, 1.0}, text("attack")},
            {{hold, 1.0}, text("hold")},
            {{decay, s}, text("decay") + ", " + text("sustain")},
            {{end, 0.0}, text("release")},
            {{middle(delay, attack), shape.attackCurve(0.5)}, text("attack_curve"), true},
            {{middle(hold, decay), 1.0 + (s - 1.0) * shape.decayCurve(0.5)}, text("decay_curve"), true},
            {{middle(release, end), s * (1.0 - shape.releaseCurve(0.5))}, text("release_curve"), true}};
}

QPolygonF EnvelopeCurve::curve() const {
    const auto all = handles();
    const EnvelopeShape shape = previewOfEnvelope(document_.cue()->patch, path_);
    QPolygonF line;
    line << QPointF(0.0, 0.0);
    const auto segment = [&](double from, double to, auto&& value) {
        for (int i = 0; i <= curvePoints; ++i) {
            const double u = static_cast<double>(i) / curvePoints;
            line << QPointF(from + u * (to - from), value(u));
        }
    };
    const double s = shape.sustain;
    segment(all[0].place.x(), all[1].place.x(), [&](double u) { return shape.attackCurve(u); });
    segment(all[2].place.x(), all[3].place.x(), [&](double u) { return 1.0 + (s - 1.0) * shape.decayCurve(u); });
    segment(all[3].place.x() + plateau, all[4].place.x(), [&](double u) { return s * (1.0 - shape.releaseCurve(u)); });
    return line;
}

void EnvelopeCurve::moveHandle(int index, QPointF to, bool) {
    const auto all = handles();
    const EnvelopeShape shape = previewOfEnvelope(document_.cue()->patch, path_);
    document_.editCue(
        tr("Change %1")
            .arg(QString::fromStdString(document_.cue()->patch.labelOf(*document_.cue()->patch.find(path_)))),
        [&](Cue& cue) {
            const auto time = [&](const char* field, double from, double share) {
                const Address address{path_, field};
                cue.patch.setNearest(address, cue.patch.descriptor(address).fromUnit((to.x() - from) / share));
            };
            const auto bend = [&](const char* field, double share) {
                cue.patch.setNearest({path_, field}, bendThrough(std::clamp(share, 0.0, 1.0)));
            };
            const double s = shape.sustain;
            switch (index) {
            case 0: time("delay", 0.0, delayShare); break;
            case 1: time("attack", all[0].place.x(), attackShare); break;
            case 2: time("hold", all[1].place.x(), holdShare); break;
            case 3:
                time("decay", all[2].place.x(), decayShare);
                cue.patch.setNearest({path_, "sustain"}, std::round(1000.0 * to.y()) / 10.0);
                break;
            case 4: time("release", all[3].place.x() + plateau, releaseShare); break;
            case 5: bend("attack_curve", to.y()); break;
            case 6:
                if (s < 1.0) bend("decay_curve", (1.0 - to.y()) / (1.0 - s));
                break;
            case 7:
                if (s > 0.0) bend("release_curve", 1.0 - to.y() / s);
                break;
            default: break;
            }
        },
        QString("curve %1 %2").arg(QString::fromStdString(path_)).arg(index));
}

// ---- filters ----

void FilterCurve::setMoved(double octaves) {
    if (octaves == moved_) return;
    moved_ = octaves;
    update();
}

QPolygonF FilterCurve::response(double octaves) const {
    constexpr int count = 160;
    std::vector<double> hz;
    for (int i = 0; i < count; ++i) hz.push_back(lowHz * std::exp2(highOctaves * i / (count - 1.0)));
    const auto gains = previewOfFilter(document_.cue()->patch, path_, hz, octaves);
    QPolygonF line;
    for (int i = 0; i < count; ++i)
        line << QPointF(i / (count - 1.0), (gains[static_cast<std::size_t>(i)] - lowDb) / (highDb - lowDb));
    return line;
}

std::vector<CurveEditor::Handle> FilterCurve::handles() const {
    if (!document_.cue() || !document_.cue()->patch.find(path_)) return {};
    const Patch& patch = document_.cue()->patch;
    const Patch::Module& module = *patch.find(path_);
    const double cutoff = patch.value({path_, "cutoff"});
    const auto shown = [&](const char* field) {
        const Address address{path_, field};
        const auto& d = patch.descriptor(address);
        return matters(patch, module, d) ? label(d) + " " + QString::fromStdString(textOf(d, patch.value(address)))
                                         : QString();
    };
    const double hz[] = {cutoff};
    const double gain = previewOfFilter(patch, path_, hz).front();
    const QString resonance = shown("resonance");
    return {{{std::log2(cutoff / lowHz) / highOctaves, std::clamp((gain - lowDb) / (highDb - lowDb), 0.0, 1.0)},
             shown("cutoff") + (resonance.isEmpty() ? QString() : ", " + resonance)}};
}

QPolygonF FilterCurve::curve() const { return response(moved_); }

QPolygonF FilterCurve::shadow() const {
    const double semitones = document_.cue()->patch.value({path_, "envelope"});
    return moved_ != 0.0 ? response(0.0) : semitones != 0.0 ? response(semitones / 12.0) : QPolygonF();
}

void FilterCurve::moveHandle(int, QPointF to, bool) {
    const Patch& patch = document_.cue()->patch;
    const bool resonant = matters(patch, *patch.find(path_), patch.descriptor({path_, "resonance"}));
    // The gain at the cutoff is the resonance, times what a mix leaves of it: moved by the same distance.
    const double gainBefore = handles().front().place.y();
    const double by = (to.y() - gainBefore) * (highDb - lowDb);
    document_.editCue(
        tr("Change %1").arg(QString::fromStdString(patch.labelOf(*patch.find(path_)))),
        [&](Cue& cue) {
            cue.patch.setNearest({path_, "cutoff"}, lowHz * std::exp2(highOctaves * to.x()));
            if (!resonant || std::abs(by) < 0.05) return;
            const double now = cue.patch.value({path_, "resonance"});
            cue.patch.setNearest({path_, "resonance"}, std::round(10.0 * (now + by)) / 10.0);
        },
        QString("curve %1").arg(QString::fromStdString(path_)));
}

void FilterCurve::paintBehind(QPainter& painter) {
    const Theme& t = theme();
    painter.setFont(interfaceFont(7.5));
    for (double hz : {100.0, 1000.0, 10000.0}) {
        const double x = toWidget({std::log2(hz / lowHz) / highOctaves, 0.0}).x();
        painter.setPen(t.line);
        painter.drawLine(QPointF(x, toWidget({0, 1}).y()), QPointF(x, toWidget({0, 0}).y()));
        painter.setPen(t.quiet);
        painter.drawText(QRectF(x + 3, height() - 20, 44, 12), Qt::AlignLeft,
                         hz < 1000.0 ? tr("%1 Hz").arg(hz) : tr("%1 kHz").arg(hz / 1000.0));
    }
    const double zero = toWidget({0, -lowDb / (highDb - lowDb)}).y();
    painter.setPen(t.line);
    painter.drawLine(QPointF(toWidget({0, 0}).x(), zero), QPointF(toWidget({1, 0}).x(), zero));
    painter.setPen(t.quiet);
    painter.drawText(QRectF(width() - 48, zero - 13, 40, 12), Qt::AlignRight, tr("0 dB"));
}

// ---- links ----

TransferCurve::Range TransferCurve::range() const {
    const std::string& from = document_.cue()->patch.find(path_)->contents().from;
    const auto kind = kindOfPath(from);
    if (from == "velocity") return {0.0, 1.0, tr("velocity 1"), tr("127")};
    if (from == "key") return {-2.0, 2.0, tr("key C2"), tr("C6")};
    if (from == "wheel") return {0.0, 1.0, tr("wheel down"), tr("up")};
    if (from == "pressure") return {0.0, 1.0, tr("no pressure"), tr("full")};
    if (kind == ModuleKind::macro) return {0.0, 1.0, tr("macro 0 %"), tr("100 %")};
    if (kind == ModuleKind::envelope) return {0.0, 1.0, tr("envelope 0 %"), tr("100 %")};
    return {-1.0, 1.0, tr("lowest"), tr("highest")};
}

double TransferCurve::bend() const { return document_.cue()->patch.value({path_, "curve"}); }

std::vector<CurveEditor::Handle> TransferCurve::handles() const {
    if (!document_.cue() || !document_.cue()->patch.find(path_)) return {};
    const Range r = range();
    const double middle = r.low < 0.0 ? 0.5 : 0.5 * r.high;
    const double y = SegmentCurve(bend() * curvePerPercent)(middle);
    const double x = (middle - r.low) / (r.high - r.low);
    const double shown = r.low < 0.0 ? 0.5 + 0.5 * y / r.high : y / r.high;
    return {{{x, shown}, tr("curve %1 %").arg(bend(), 0, 'f', 0).replace('-', QChar(0x2212))}};
}

QPolygonF TransferCurve::curve() const {
    constexpr int count = 65;
    const Range r = range();
    const SegmentCurve bent(bend() * curvePerPercent);
    QPolygonF line;
    for (int i = 0; i < count; ++i) {
        const double x = i / (count - 1.0);
        const auto y = static_cast<double>(bentSignal(bent, static_cast<float>(r.low + x * (r.high - r.low))));
        line << QPointF(x, r.low < 0.0 ? 0.5 + 0.5 * y / r.high : y / r.high);
    }
    return line;
}

void TransferCurve::moveHandle(int, QPointF to, bool) {
    const Range r = range();
    const double share = r.low < 0.0 ? (2.0 * to.y() - 1.0) * r.high : to.y() * r.high;
    const double middle = r.low < 0.0 ? 0.5 : 0.5 * r.high;
    patchEditor_.setParameter({path_, "curve"}, bendThrough(std::clamp(share / (2.0 * middle), 0.0, 1.0)));
}

void TransferCurve::paintBehind(QPainter& painter) {
    const Patch& patch = document_.cue()->patch;
    const Range r = range();
    const double rest = r.low < 0.0 ? 0.5 : 0.0; // where the link adds nothing
    painter.setPen(theme().line);
    painter.drawLine(toWidget({0.0, rest}), toWidget({1.0, rest}));
    if (r.low < 0.0) painter.drawLine(toWidget({0.5, 0.0}), toWidget({0.5, 1.0}));
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(8.0));
    painter.drawText(QRectF(8, height() - 18, width() - 16, 14), Qt::AlignRight | Qt::AlignBottom,
                     tr("%1 to %2").arg(r.lowName, r.highName));
    const ParameterDescriptor d = patch.shownDescriptor({path_, "amount"});
    const QString most = QString::fromStdString(facet::textOf(d, patch.value({path_, "amount"})));
    painter.drawText(QRectF(8, 3, width() - 16, 14), Qt::AlignRight | Qt::AlignTop, tr("at the end %1").arg(most));
}

// ---- shapes of LFOs ----

bool ShapeCurve::drawn() const {
    return static_cast<LfoShape>(document_.cue()->patch.value({path_, "shape"})) == LfoShape::drawn;
}

std::vector<ShapePoint> ShapeCurve::points() const { return document_.cue()->patch.find(path_)->contents().shape; }

std::vector<CurveEditor::Handle> ShapeCurve::handles() const {
    if (!document_.cue() || !document_.cue()->patch.find(path_) || !drawn()) return {};
    std::vector<Handle> all;
    for (const ShapePoint& p : points())
        all.push_back({{p.place, p.value},
                       tr("%1 % of the cycle, %2 %")
                           .arg(100.0 * p.place, 0, 'f', 1)
                           .arg(200.0 * p.value - 100.0, 0, 'f', 0)
                           .replace('-', QChar(0x2212))});
    return all;
}

QPolygonF ShapeCurve::curve() const {
    constexpr int count = 257;
    QPolygonF line;
    const auto values = previewOfLfo(unturned(document_.cue()->patch, path_), path_, count);
    for (int i = 0; i < count; ++i)
        line << QPointF(i / (count - 1.0), 0.5 + 0.5 * static_cast<double>(values[static_cast<std::size_t>(i)]));
    return line;
}

void ShapeCurve::take(const QString& what, const std::vector<ShapePoint>& points, const QString& mergeKey) {
    document_.editCue(
        what,
        [&](Cue& cue) {
            cue.patch.set({path_, "shape"}, static_cast<double>(LfoShape::drawn));
            ModuleData held = cue.patch.find(path_)->contents();
            held.shape = points;
            cue.patch.setData(path_, held);
        },
        mergeKey);
}

void ShapeCurve::moveHandle(int index, QPointF to, bool fine) {
    std::vector<ShapePoint> all = points();
    const auto at = static_cast<std::size_t>(index);
    double place = fine ? to.x() : std::round(to.x() / gridStep) * gridStep;
    // Points keep their order.
    const double least = at > 0 ? all[at - 1].place : 0.0, most = at + 1 < all.size() ? all[at + 1].place : 1.0;
    place = std::clamp(place, least, most);
    all[at] = {place, std::clamp(to.y(), 0.0, 1.0)};
    take(tr("Move a breakpoint"), all, QString("shape %1 %2").arg(QString::fromStdString(path_)).arg(index));
}

int ShapeCurve::addHandle(QPointF place) {
    std::vector<ShapePoint> all;
    if (drawn()) {
        all = points();
    } else { // what is there becomes points
        constexpr int count = 17;
        const auto values = previewOfLfo(unturned(document_.cue()->patch, path_), path_, count);
        for (int i = 0; i < count; ++i)
            all.push_back({i / (count - 1.0), 0.5 + 0.5 * static_cast<double>(values[static_cast<std::size_t>(i)])});
    }
    const ShapePoint added{std::round(place.x() / gridStep) * gridStep, place.y()};
    auto where = std::find_if(all.begin(), all.end(), [&](const ShapePoint& p) { return p.place >= added.place; });
    if (!drawn() && where != all.end() && where->place == added.place)
        where->value = added.value; // one of the new grid's
    else
        where = all.insert(where, added);
    const auto index = static_cast<int>(where - all.begin());
    take(tr("Add a breakpoint"), all);
    return index;
}

void ShapeCurve::removeHandle(int index) {
    std::vector<ShapePoint> all = points();
    all.erase(all.begin() + index);
    take(tr("Remove a breakpoint"), all);
}

void ShapeCurve::paintBehind(QPainter& painter) {
    painter.setPen(theme().line);
    for (int i = 0; i <= 4; ++i) painter.drawLine(toWidget({i / 4.0, 0.0}), toWidget({i / 4.0, 1.0}));
    painter.drawLine(toWidget({0.0, 0.5}), toWidget({1.0, 0.5}));
    if (drawn()) return;
    painter.setPen(theme().quiet);
    painter.setFont(interfaceFont(8.5));
    painter.drawText(QRectF(8, 2, width() - 16, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("Double-click to draw a shape of your own"));
}

} // namespace facet

#include "moc_module_curves.cpp"
