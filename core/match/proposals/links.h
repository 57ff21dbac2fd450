// Links that a search or a proposal adds to a patch.
#pragma once

#include "core/parameters/patch.h"

#include <string>

namespace facet {

/// Adds a link under a fresh key. `amount` in the unit in which the destination is moved, brought to the nearest
/// allowed value; `by` is what scales it besides, or empty. Throws Error when the patch has no room for it or the ends
/// do not fit.
void addLink(Patch& patch, const std::string& from, const std::string& to, double amount, const std::string& by = {});

} // namespace facet
