#include "core/match/proposals/decaying_layer.h"

#include "core/match/proposals/first_layer.h"

namespace facet {

void addDecayingLayer(Patch& patch, const DecayingLayer& dying) {
    const std::string path = patch.freePath(ModuleKind::layer);
    patch.add(path);
    const std::string source = path + "/source:a", envelope = path + "/envelope:level";
    patch.set({source, "on"}, 1.0);
    patch.set({source, "wave"}, static_cast<double>(dying.wave));
    patch.setNearest({source, "octave"}, dying.octave);
    patch.setNearest({source, "level"}, dying.levelDb);
    if (dying.phase) {
        patch.set({source, "phase_random"}, 0.0);
        patch.setNearest({source, "phase"}, *dying.phase);
    }
    patch.setNearest({envelope, "attack"}, 0.0);
    patch.setNearest({envelope, "decay"}, dying.decayMs);
    patch.setNearest({envelope, "sustain"}, 0.0);
    patch.setNearest({envelope, "release"}, patch.value({firstLevelEnvelope, "release"}));
}

} // namespace facet
