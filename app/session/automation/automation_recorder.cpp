#include "app/session/automation/automation_recorder.h"

#include <algorithm>
#include <utility>

namespace facet {

namespace {

constexpr double justBefore = 0.001; ///< seconds
constexpr double lostOnEars = 0.004; ///< of a parameter's scale

} // namespace

AutomationRecorder::AutomationRecorder(DocumentStore& document, PatchEditor& patch, NotesController& notes,
                                       Listening& listening, Playback& playback, Messages& messages, QObject* parent)
    : QObject(parent), document_(document), notes_(notes), listening_(listening), messages_(messages) {
    connect(&patch, &PatchEditor::turning, this, [this, &playback](const Address& address, double place) {
        if (recording_ && playback.player().playing()) note(address, place);
    });
    connect(&document_, &DocumentStore::leaving, this, [this] { record(false); });
}

void AutomationRecorder::record(bool on) {
    if (on == recording_) return;
    recording_ = on;
    if (!on) keep();
    emit changed();
}

void AutomationRecorder::note(const Address& address, double place) {
    const auto& d = document_.cue()->patch.descriptor(address);
    if (d.isDiscrete() || d.smoothing == Smoothing::graph || !document_.excerpt()) return;
    const double now = listening_.phrasePosition();
    auto [found, fresh] = turned_.try_emplace(address);
    TurnedParameter& turned = found->second;
    if (fresh) {
        if (turned_.size() == 1) document_.undoStack().beginMacro(tr("Record moves"));
        turned.before = document_.cue()->patch.value(address);
        turned.points[std::max(0.0, now - justBefore)] = d.toUnit(turned.before); // it stood until then
        if (document_.performance().curveOf(address.text()))
            notes_.setCurve({address.text(), {}}); // it would be heard instead
    } else {
        auto& points = turned.points;
        if (turned.last > now) { // round the loop: it stood where it was left, to the end and from the beginning on
            points.erase(points.upper_bound(turned.last), points.end());
            const double begin = std::min(now, document_.cue()->loopBegin);
            points.erase(points.lower_bound(begin), points.upper_bound(now));
            points[begin] = turned.place;
        } else {
            points.erase(points.upper_bound(turned.last), points.upper_bound(now));
        }
    }
    turned.points[now] = turned.place = place;
    turned.last = now;
}

void AutomationRecorder::keep() {
    if (turned_.empty()) return;
    const auto all = std::exchange(turned_, {});
    QStringList names;
    for (const auto& [address, turned] : all) {
        if (!document_.cue() || !document_.cue()->patch.has(address)) continue;
        const auto& d = document_.cue()->patch.descriptor(address);
        Curve curve{address.text(), {{0.0, d.toUnit(turned.before)}}};
        for (const auto& [seconds, place] : turned.points) curve.points.push_back({seconds, place});
        curve.points = simplified(curve.points, lostOnEars);
        names << QString::fromUtf8(d.label.data(), static_cast<qsizetype>(d.label.size())).toLower();
        document_.editCue(tr("Record moves"),
                          [at = address, before = turned.before](Cue& c) { c.patch.setNearest(at, before); });
        notes_.setCurve(curve);
    }
    document_.undoStack().endMacro();
    messages_.say(tr("Recorded as a curve: %1. It can be edited below the notes.").arg(names.join(", ")));
}

} // namespace facet

#include "moc_automation_recorder.cpp"
