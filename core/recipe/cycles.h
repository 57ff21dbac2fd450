// What a patch's sources play as single cycles, for other programs' wavetables.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/patch.h"

namespace facet {

/// One cycle of 2048 samples of each source that is heard, one after the other; of a wavetable all of its cycles.
/// Throws Error where none has one.
Recording cyclesOf(const Patch& patch);

} // namespace facet
