// What a recording itself says of an element, in words.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/elements.h"

#include <map>
#include <string>

namespace facet {

/// What was measured that speaks for an element, as half a sentence with numbers: "after the notes the sound takes 1.2
/// s to fall by 60 dB". Empty where nothing was measured that does; that says nothing against it. `profile`: of the
/// reference.
std::string evidenceFor(Element element, const Profile& profile);
/// Of all elements that something speaks for.
std::map<Element, std::string> evidenceIn(const Profile& profile);

} // namespace facet
