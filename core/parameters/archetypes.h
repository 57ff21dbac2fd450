// A few patches to start from, one for each common kind of sound.
#pragma once

#include "core/parameters/patch.h"

#include <vector>

namespace facet {

/// The empty patch first; each is named in plain words of the trade. Any thread.
const std::vector<Patch>& archetypes();

} // namespace facet
