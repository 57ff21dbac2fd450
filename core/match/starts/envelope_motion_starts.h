// What was measured to move in the outline of a spectrum, made in a patch.
#pragma once

#include "core/match/evidence/envelope_motion.h"
#include "core/parameters/patch.h"

namespace facet {

/// Lets the first source be a pulse or a synced saw whose width or ratio runs as it was measured to, by an LFO or an
/// envelope of its own; or puts a phaser or flanger behind everything, whose own cycle it is. Throws Error where the
/// patch has no room for it.
void letMove(Patch& patch, const ShapeMotion& motion);

} // namespace facet
