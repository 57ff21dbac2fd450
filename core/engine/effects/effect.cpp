#include "core/engine/effects/effect.h"

#include "core/base/error.h"

namespace facet {

/// Every effect: its kind, and the function that makes it, which is defined in the effect's own file.
#define FACET_EFFECTS(effect)                                                                                          \
    effect(postFilter, makePostFilter) effect(equalizer, makeEqualizer) effect(saturation, makeShaper)                 \
        effect(folding, makeShaper) effect(reduction, makeReduction) effect(shifter, makeShifter)                      \
            effect(compressor, makeCompressor) effect(limiter, makeLimiter) effect(bandCompressor, makeBandCompressor) \
                effect(width, makeBandWidth) effect(phaser, makePhaser) effect(chorus, makeChorus)                     \
                    effect(flanger, makeFlanger) effect(resonator, makeResonator) effect(delay, makeDelay)             \
                        effect(reverb, makeReverb) effect(response, makeResponse)

#define FACET_DECLARE(kind, make) std::unique_ptr<Effect> make(const EffectGraph&, const EffectSetting&);
FACET_EFFECTS(FACET_DECLARE)
#undef FACET_DECLARE

std::unique_ptr<Effect> makeEffect(const EffectGraph& graph, const EffectSetting& setting) {
    switch (graph.kind) { // NOLINT(bugprone-branch-clone): the cases come from the list
#define FACET_CASE(kind, make)                                                                                         \
    case ModuleKind::kind: return make(graph, setting);
        FACET_EFFECTS(FACET_CASE)
#undef FACET_CASE
    default: break;
    }
    throw Error("A module that is no effect stands in a chain of effects.");
}

} // namespace facet
