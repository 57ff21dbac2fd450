// Notes that were read at a second source's pitch: the sound's own lies an octave above.
#pragma once

#include "core/analysis/profile.h"
#include "core/match/evidence/partial_lines.h"

#include <vector>

namespace facet {

/// Whether the odd partials above the first are so much weaker than the even ones that the even ones may be those of a
/// source an octave above, and the first a source below it.
bool mayPlayAnOctaveAbove(const std::vector<LineInstant>& instants);

/// The profile as of notes that were played an octave above: what partials are looked up by.
Profile anOctaveAbove(Profile profile);

} // namespace facet
