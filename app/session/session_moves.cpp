// Turning a parameter while the phrase plays, kept as a curve of the performance.
#include "app/session/session.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double justBefore = 0.001; ///< seconds
constexpr double lostOnEars = 0.004; ///< of a parameter's scale

} // namespace

void Session::recordMoves(bool on) {
    if (on == recordingMoves_) return;
    recordingMoves_ = on;
    if (!on) keepMoves();
    emit movesChanged();
}

/// A value that was set while the phrase plays. What it passes over once more takes the place of what was there.
void Session::noteMove(const Address& address, double place) {
    const auto& d = cue()->patch.descriptor(address);
    if (d.isDiscrete() || d.smoothing == Smoothing::graph || !cue()->excerpt()) return;
    const double now = phrasePosition();
    auto [found, fresh] = moves_.try_emplace(address);
    Moves& moves = found->second;
    if (fresh) {
        if (moves_.size() == 1) undo_.beginMacro(tr("Record moves"));
        moves.before = cue()->patch.value(address);
        moves.points[std::max(0.0, now - justBefore)] = d.toUnit(moves.before);    // it stood until then
        if (performance().curveOf(address.text())) setCurve({address.text(), {}}); // it would be heard instead
    } else {
        auto& points = moves.points;
        if (moves.last > now) { // round the loop: it stood where it was left, to the end and from the beginning on
            points.erase(points.upper_bound(moves.last), points.end());
            const double begin = std::min(now, cue()->loopBegin);
            points.erase(points.lower_bound(begin), points.upper_bound(now));
            points[begin] = moves.place;
        } else {
            points.erase(points.upper_bound(moves.last), points.upper_bound(now));
        }
    }
    moves.points[now] = moves.place = place;
    moves.last = now;
}

void Session::keepMoves() {
    if (moves_.empty()) return;
    const auto all = std::exchange(moves_, {});
    QStringList names;
    for (const auto& [address, moves] : all) {
        if (!cue() || !cue()->patch.has(address)) continue;
        const auto& d = cue()->patch.descriptor(address);
        Curve curve{address.text(), {{0.0, d.toUnit(moves.before)}}};
        for (const auto& [seconds, place] : moves.points) curve.points.push_back({seconds, place});
        curve.points = simplified(curve.points, lostOnEars);
        names << QString::fromUtf8(d.label.data(), static_cast<qsizetype>(d.label.size())).toLower();
        editCue(tr("Record moves"), [&](Cue& c) { c.patch.setNearest(address, moves.before); });
        setCurve(curve);
    }
    undo_.endMacro();
    emit notice(tr("Recorded as a curve: %1. It can be edited below the notes.").arg(names.join(", ")));
}

void Session::setSlowAnew(bool on) {
    if (on == slowAnew_) return;
    slowAnew_ = on;
    hearRender();
}

} // namespace facet
