#include "core/match/starts/comb_starts.h"

#include "core/match/proposals/effect_proposals.h"

#include <algorithm>
#include <cmath>

namespace facet {

std::optional<Patch> withMeasuredComb(const SideComb& comb, const Patch& patch) {
    const auto& modules = patch.modules();
    const ModuleKind kind = comb.kind();
    const bool flanger = kind == ModuleKind::flanger;
    if (std::any_of(modules.begin(), modules.end(), [kind](const auto& m) { return m.kind == kind; }) ||
        std::count_if(modules.begin(), modules.end(), [](const auto& m) { return isEffect(m.kind); }) >= mostEffects)
        return std::nullopt;
    Patch combed = patch;
    const std::string path = combed.freePath(kind);
    combed.add(path);
    combed.set({path, "on"}, 1.0);
    combed.setNearest({path, "delay"}, 1e3 * comb.delay);
    combed.setNearest({path, "depth"}, 1e3 * comb.depth);
    combed.setNearest({path, "rate"}, comb.rateHz);
    combed.setNearest({path, "phase"}, 360.0 * comb.phase);
    combed.setNearest({path, "mix"}, 100.0 * comb.mix);
    if (flanger) {
        combed.setNearest({path, "sides"}, 360.0 * std::min(comb.sides, 1.0 - comb.sides));
    } else { // its second copy is half a cycle ahead of the first by itself
        const double ahead = comb.sides - 0.5;
        combed.setNearest({path, "sides"}, 360.0 * (ahead - std::round(ahead)));
    }
    moveToUsualPlace(combed, path);
    return combed;
}

} // namespace facet
