// Which MIDI controllers a performance's curves become.
#pragma once

#include "core/parameters/patch.h"
#include "core/performance/midi_file.h"

#include <vector>

namespace facet {

/// One for each curve that moves a parameter of the patch: a macro's own controller where it has one, else the numbers
/// that MIDI leaves undefined (20 … 31, 85 … 90, 102 … 119; MIDI 1.0 Detailed Specification 4.2, 1996, table 3; from
/// memory), in order. Curves beyond these have none.
std::vector<WrittenController> controllersOf(const Performance& performance, const Patch& patch);

} // namespace facet
