// What a recording speaks for beyond doubt, and what of it an instrument cannot make.
#pragma once

#include "core/instruments/instrument.h"
#include "core/parameters/elements.h"
#include "core/prior/element_odds.h"

#include <map>
#include <set>
#include <string>

namespace facet {

/// Elements among the evidence that hardly anything else explains, or that are likelier than 85 %. Waves never: one is
/// as good as another.
std::set<Element> spokenFor(const std::map<Element, std::string>& evidence, const ElementOdds& odds);

/// Those of them that the instrument has no way to make.
std::set<Element> outOfReach(const std::map<Element, std::string>& evidence, const ElementOdds& odds,
                             const Instrument& instrument);

} // namespace facet
