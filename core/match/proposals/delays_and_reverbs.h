// Effects whose place in time or space decides whether they fit at all, at as many places as it takes to hit one.
#pragma once

#include "core/analysis/profile.h"
#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <vector>

namespace facet {

/// Whether a patch has no effect of a kind, and room for one more.
bool hasRoomFor(ModuleKind kind, const Patch& patch);

/// The patch with an echo at each of many times (unless one was measured: then it has been tried), and with rooms of
/// several sizes and decays. Only what it has none of, for which there is room, and which no lock forbids.
std::vector<Patch> withDelaysAndReverbs(const Patch& patch, const SearchLimits& limits, const Profile& reference);

} // namespace facet
