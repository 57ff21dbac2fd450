// Families of spectral outlines that one number moves, as formulas.
#pragma once

#include "core/match/evidence/spectral_envelope_motion.h"

#include <functional>
#include <vector>

namespace facet {

/// The outlines of one family at evenly spaced places.
struct EnvelopeFamily {
    SpectralEnvelopeMotion::Family family;
    int stages = 0;        ///< of a phaser
    double feedback = 0.0; ///< of a phaser or flanger
    double first, step;    ///< places, in the family's unit
    int count;
    /// Magnitude of a partial at a place, re that of a saw.
    std::function<double(double place, int partial, double hz)> gain;

    double placeAt(int i) const { return first + step * i; }
};

/// Every family, phasers and flangers with each feedback that is tried. Sources of the formulas: see
/// spectralEnvelopeMotions().
std::vector<EnvelopeFamily> envelopeFamilies();

} // namespace facet
