#include "core/match/suggest/by_hand.h"

#include "core/parameters/noticed.h"

namespace facet {

Patch beginningByHand(const BuildStep& step) {
    static const Patch empty;
    Patch patch = step.patch;
    for (const PartSetting& each : step.settings) {
        if (each.address.field == "on" || !patch.has(each.address)) continue; // that something is there is given
        const auto& d = patch.descriptor(each.address);
        patch.setNearest(each.address, empty.has(each.address) ? empty.value(each.address) : d.defaultValue);
    }
    return patch;
}

std::vector<HandSetting> comparedByHand(const BuildStep& step, const Patch& yours) {
    std::vector<HandSetting> settings;
    for (const PartSetting& each : step.settings) {
        if (each.address.field == "on" || !yours.has(each.address) || !step.patch.has(each.address)) continue;
        const ParameterDescriptor d = step.patch.shownDescriptor(each.address);
        const double mine = yours.value(each.address), right = step.patch.value(each.address);
        settings.push_back({each, roundedText(d, mine), noticedSteps(d, mine, right)});
    }
    return settings;
}

} // namespace facet
