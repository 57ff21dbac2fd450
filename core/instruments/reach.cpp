#include "core/instruments/reach.h"

#include <array>
#include <utility>
#include <vector>

namespace facet {

namespace {

/// Everything that is turned stands at a share of its way.
Patch turnedTo(const Instrument& instrument, double share) {
    Patch patch = instrument.patch;
    for (const InstrumentControl& each : instrument.controls) {
        if (!each.scale) continue;
        const auto [first, last] = each.scale->positions();
        patch.setNearest(each.address, each.scale->valueAt(first + share * (last - first)));
    }
    return patch;
}

/// The values that one control is tried at.
std::vector<double> valuesOf(const InstrumentControl& control) {
    std::vector<double> values;
    if (control.scale) {
        const auto [lowest, highest] = control.scale->ends();
        values = {lowest, highest};
    }
    for (const auto& [name, value] : control.choices) values.push_back(value);
    return values;
}

} // namespace

std::set<Element> elementsWithin(const Instrument& instrument) {
    std::set<Element> within;
    const auto add = [&](const Patch& patch) {
        for (const PatchElement& each : elementsOf(patch)) within.insert(each.element);
    };
    for (const double share : {0.5, 1.0}) {
        const Patch base = turnedTo(instrument, share);
        add(base);
        for (const InstrumentControl& control : instrument.controls)
            for (const double value : valuesOf(control)) {
                Patch patch = base;
                patch.setNearest(control.address, value);
                add(patch);
            }
    }
    for (const auto& [one, other] :
         {std::pair{Element::gate, Element::tremolo}, std::pair{Element::detunedSources, Element::stacked},
          std::pair{Element::otherSource, Element::detunedSources}}) {
        if (within.contains(one)) within.insert(other);
        if (within.contains(other)) within.insert(one);
    }
    return within;
}

} // namespace facet
