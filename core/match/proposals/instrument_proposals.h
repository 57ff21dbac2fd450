// Other settings of a described instrument, as changes worth trying.
#pragma once

#include "core/base/random.h"
#include "core/instruments/instrument.h"

#include <vector>

namespace facet {

/// One of the instrument's patches with one control set otherwise each: every choice and every position of a scale of
/// few, places along the others; and what is silent sounded with each choice that it has. Without what sounds the same.
std::vector<Patch> otherSettings(const Instrument& instrument, const Patch& patch);

/// So many of the instrument's patches, each one of these with a few controls anywhere; and the first of them in other
/// octaves.
std::vector<Patch> strayedSettings(const Instrument& instrument, const std::vector<Patch>& patches, int count,
                                   Random& random);

} // namespace facet
