#include "core/match/proposals/effect_proposals.h"

#include "core/match/proposals/module_proposals.h"
#include "core/match/proposals/space_proposals.h"

#include <algorithm>
#include <iterator>

namespace facet {

namespace {

constexpr ModuleKind usualOrder[] = {
    ModuleKind::saturation, ModuleKind::folding, ModuleKind::reduction, ModuleKind::compressor, ModuleKind::equalizer,
    ModuleKind::postFilter, ModuleKind::phaser,  ModuleKind::flanger,   ModuleKind::chorus,     ModuleKind::width,
    ModuleKind::delay,      ModuleKind::reverb,  ModuleKind::limiter};

int placeOf(ModuleKind kind) {
    return static_cast<int>(std::find(std::begin(usualOrder), std::end(usualOrder), kind) - std::begin(usualOrder));
}

struct Setting {
    const char* field;
    double value;
};

void proposeEffect(const ProposalContext& in, ModuleKind kind, const std::vector<Setting>& settings,
                   std::vector<Patch>& out) {
    if (!hasRoomFor(kind, in.patch) || in.limits.excluded.contains(kind)) return;
    Patch patch = in.patch;
    const std::string path = patch.freePath(kind);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    for (const Setting& each : settings) {
        const Address address{path, each.field};
        if (in.limits.locked(address)) return;
        patch.setNearest(address, each.value);
    }
    moveToUsualPlace(patch, path);
    out.push_back(std::move(patch));
}

} // namespace

void moveToUsualPlace(Patch& patch, const std::string& path) {
    const int own = placeOf(patch.find(path)->kind);
    int place = 0;
    for (const auto& module : patch.modules()) {
        if (!isEffect(module.kind) || module.path == path) continue;
        if (placeOf(module.kind) > own) break;
        ++place;
    }
    patch.moveEffect(path, place);
}

std::vector<Patch> withEffects(const ProposalContext& in) {
    std::vector<Patch> all;
    for (SaturationCurve curve : {SaturationCurve::soft, SaturationCurve::hard, SaturationCurve::uneven})
        for (double drive : {6.0, 14.0, 22.0})
            proposeEffect(in, ModuleKind::saturation,
                          {{"curve", static_cast<double>(curve)}, {"drive", drive}, {"output", -0.6 * drive}}, all);
    for (double bits : {6.0, 8.0, 10.0}) proposeEffect(in, ModuleKind::reduction, {{"bits", bits}}, all);
    for (double hz : {5000.0, 10000.0, 16000.0})
        proposeEffect(in, ModuleKind::reduction, {{"bits", 16.0}, {"rate", hz}}, all);
    for (double threshold : {-30.0, -20.0})
        for (double attack : {3.0, 20.0})
            proposeEffect(in, ModuleKind::compressor,
                          {{"threshold", threshold}, {"ratio", 5.0}, {"attack", attack}, {"release", 140.0}}, all);
    // What moves slowly is near only where it is at the right place of its cycle.
    for (double rate : {0.15, 0.3, 0.6})
        for (double center : {500.0, 1400.0})
            for (double phase : {0.0, 120.0, 240.0})
                proposeEffect(in, ModuleKind::phaser, {{"rate", rate}, {"center", center}, {"phase", phase}}, all);
    for (double rate : {0.15, 0.3, 0.6})
        for (double delay : {2.0, 4.0})
            for (double phase : {0.0, 120.0, 240.0})
                proposeEffect(in, ModuleKind::flanger, {{"rate", rate}, {"delay", delay}, {"phase", phase}}, all);
    for (double rate : {0.35, 0.6, 1.0})
        for (double delay : {8.0, 15.0})
            for (double phase : {0.0, 120.0, 240.0})
                proposeEffect(in, ModuleKind::chorus,
                              {{"rate", rate}, {"delay", delay}, {"depth", 2.0}, {"phase", phase}, {"sides", -90.0}},
                              all);
    if (in.reference.width.stereo)
        for (double wide : {60.0, 150.0})
            proposeEffect(in, ModuleKind::width, {{"low", 0.5 * wide}, {"mid", wide}, {"high", wide}}, all);
    for (Patch& each : withDelaysAndReverbs(in)) {
        const auto added = std::find_if(each.modules().begin(), each.modules().end(),
                                        [&](const auto& m) { return isEffect(m.kind) && !in.patch.find(m.path); });
        if (added == each.modules().end() || in.limits.excluded.contains(added->kind)) continue;
        moveToUsualPlace(each, std::string(added->path));
        all.push_back(std::move(each));
    }
    return all;
}

} // namespace facet
