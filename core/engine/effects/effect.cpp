#include "core/engine/effects/effect.h"

#include "core/base/error.h"

namespace facet {

std::unique_ptr<Effect> makeEffect(const EffectGraph& graph, const EffectSetting& setting) {
    switch (graph.kind) {
    case ModuleKind::postFilter: return makePostFilter(graph, setting);
    case ModuleKind::equalizer: return makeEqualizer(graph, setting);
    case ModuleKind::saturation:
    case ModuleKind::folding: return makeShaper(graph, setting);
    case ModuleKind::reduction: return makeReduction(graph, setting);
    case ModuleKind::shifter: return makeShifter(graph, setting);
    case ModuleKind::compressor:
    case ModuleKind::limiter: return makeDynamics(graph, setting);
    case ModuleKind::bandCompressor:
    case ModuleKind::width: return makeBands(graph, setting);
    case ModuleKind::phaser: return makePhaser(graph, setting);
    case ModuleKind::chorus: return makeChorus(graph, setting);
    case ModuleKind::flanger: return makeFlanger(graph, setting);
    case ModuleKind::resonator: return makeResonator(graph, setting);
    case ModuleKind::delay: return makeDelay(graph, setting);
    case ModuleKind::reverb: return makeReverb(graph, setting);
    case ModuleKind::response: return makeResponse(graph, setting);
    default: break;
    }
    throw Error("A module that is no effect stands in a chain of effects.");
}

} // namespace facet
