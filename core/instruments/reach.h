// Which elements of construction an instrument can make at all.
#pragma once

#include "core/instruments/instrument.h"
#include "core/parameters/elements.h"

#include <set>

namespace facet {

/// Elements of its patches with every control at its middle and at its upper end, and each control in turn at its ends
/// or at each of its choices. What stands for another is in as well: a gate for tremolo, two detuned sources for a stack.
std::set<Element> elementsWithin(const Instrument& instrument);

} // namespace facet
