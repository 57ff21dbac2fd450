// What was measured to move in the outline of a spectrum, made in a patch.
#pragma once

#include "core/match/evidence/spectral_envelope_motion.h"
#include "core/parameters/patch.h"

namespace facet {

/// Makes the first source a pulse or a synced saw whose width or ratio is modulated as measured, by an LFO or an
/// envelope of its own; or adds a phaser or flanger whose own LFO runs as measured. Throws Error where the patch has no
/// room for it.
void applySpectralEnvelopeMotion(Patch& patch, const SpectralEnvelopeMotion& motion);

} // namespace facet
