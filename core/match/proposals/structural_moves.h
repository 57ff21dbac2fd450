// Other structures that a search tries around its best.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <vector>

namespace facet {

/// Other kinds and choices of what is there, what could be added or taken away, a second source, a stack, a room. What
/// is locked is left alone; ranges are the caller's to keep to. `reference` says what is worth adding.
std::vector<Patch> structuralMoves(const Patch& patch, const SearchLimits& limits, const Profile& reference);

/// The source, filter or effect that takes part in a patch and did not before, or the filter that is of another kind;
/// null where there is none.
const Patch::Module* addedModule(const Patch& patch, const Patch& before);

} // namespace facet
