#include "core/match/search/described_instrument.h"

#include "core/instruments/played_on.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// The neighbors of a setting on a scale whose steps are heard.
std::vector<double> neighbors(const InstrumentControl& control, double value) {
    constexpr double coarse = 0.02; // of the way, a step
    if (!control.scale || control.scale->step <= 0.0) return {};
    const auto [first, last] = control.scale->positions();
    if (control.scale->step < coarse * (last - first)) return {};
    const double at = control.scale->positionOf(value);
    std::vector<double> values;
    for (const double other : {at - control.scale->step, at + control.scale->step})
        if (other >= first - 1e-9 && other <= last + 1e-9) values.push_back(control.scale->valueAt(other));
    return values;
}

} // namespace

MatchSettings keptToInstrument(MatchSettings settings) {
    if (!settings.instrument) return settings;
    const Instrument& instrument = *settings.instrument;
    if (!isOf(instrument, settings.start)) {
        settings.limits.locks.clear();
        settings.limits.ranges.clear();
    }
    settings.start = withinReachOf(instrument, settings.start);
    for (const Address& address : instrument.patch.addresses()) {
        const InstrumentControl* control = instrument.controlOf(address);
        if (instrument.holds(address)) settings.limits.held.insert(address);
        if (!control || !control->scale) continue;
        auto [lowest, highest] = control->scale->ends();
        if (const auto given = settings.limits.ranges.find(address); given != settings.limits.ranges.end()) {
            const auto& [from, to] = given->second;
            if (from <= highest && to >= lowest) { // else the instrument cannot be set so
                lowest = std::max(lowest, from);
                highest = std::min(highest, to);
            }
        }
        settings.limits.ranges[address] = {lowest, highest};
    }
    return settings;
}

void putOnSteps(const MatchSettings& settings, const Evaluator& evaluator, std::vector<Candidate>& candidates) {
    if (!settings.instrument) return;
    const Instrument& instrument = *settings.instrument;
    for (Candidate& each : candidates) each.patch = playedOn(instrument, each.patch);
    for (Candidate& each : candidates) {
        each = evaluator.evaluate({each.patch}).front();
        std::vector<Patch> near;
        for (const InstrumentControl& control : instrument.controls) {
            if (settings.limits.locked(control.address)) continue;
            for (const double value : neighbors(control, each.patch.value(control.address))) {
                Patch other = each.patch;
                other.setNearest(control.address, value);
                if (!other.soundsLike(each.patch)) near.push_back(std::move(other));
            }
        }
        for (const Candidate& other : evaluator.evaluate(near))
            if (other.loss < each.loss) each = other;
    }
}

} // namespace facet
