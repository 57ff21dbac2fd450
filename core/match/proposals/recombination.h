// What one patch does well, put into another.
#pragma once

#include "core/match/optimize/search_space.h"
#include "core/parameters/patch.h"

#include <vector>

namespace facet {

/// `patch` with the effects of each of the others in place of its own, with the filters of their first layers, and with
/// both; each other way of coloring once, the first `most` of them. What is locked stays as it is: a patch in which it
/// would not is left out.
std::vector<Patch> recombined(const Patch& patch, const std::vector<Patch>& others, const SearchLimits& limits,
                              std::size_t most);

} // namespace facet
