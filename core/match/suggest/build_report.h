// A build as text and as JSON.
#pragma once

#include "core/match/suggest/build.h"

#include <string>

namespace facet {

/// A numbered list: each step with its likeness before and after, what to set, why, and what to listen for. Hidden
/// steps are not told.
std::string buildText(const Build& build);

/// `"format": "facet-build"`: likeness of the empty patch, and of each step its title, parts, settings with values,
/// reasons, elements and facets. `patch`: the whole.
std::string buildReport(const Build& build, const Patch& patch);

} // namespace facet
