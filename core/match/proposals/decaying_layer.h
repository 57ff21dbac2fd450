// A second layer that dies away by itself.
#pragma once

#include "core/parameters/patch.h"
#include "core/parameters/table.h"

#include <optional>

namespace facet {

/// A second layer with a level envelope of its own: a click, a breath, a tone an octave away that decays sooner.
struct DecayingLayer {
    Wave wave;
    double octave;
    double levelDb;
    double decayMs;
    std::optional<double> phase{}; ///< degrees at which every note begins; none: each at another
};

/// Adds it, released as the first layer is. Throws Error when the patch has no room for it.
void addDecayingLayer(Patch& patch, const DecayingLayer& dying);

} // namespace facet
