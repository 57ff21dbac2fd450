// What a recording itself says of an element, in words.
#pragma once

#include "core/analysis/profile.h"
#include "core/prior/element_odds.h"
#include "core/parameters/elements.h"

#include <map>
#include <string>

namespace facet {

/// What was measured that speaks for an element, as half a sentence with numbers: "after the notes the sound takes 1.2
/// s to fall by 60 dB". Empty where nothing was measured that does; that says nothing against it. `profile`: of the
/// reference.
std::string evidenceFor(Element element, const Profile& profile);
/// What many sounds of known making say of it: "92 of 100 sounds like it have it", or "only 6 of 100 …". Empty where
/// they are of two minds, and where nothing is known.
std::string likelihoodOf(Element element, const ElementOdds& odds);
/// Of all elements that something speaks for: what was measured, and what is likely.
std::map<Element, std::string> evidenceIn(const Profile& profile, const ElementOdds& odds = {});

} // namespace facet
