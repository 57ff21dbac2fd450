// What makes one patch simpler than another.
#pragma once

#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <vector>

namespace facet {

/// A factor of the loss, 1 for what has no more than `start`. Each further thing must earn its place. And cycles and
/// partials that were taken out of the recording say little about how it was made: nobody can set them on another
/// synthesizer. They win only where nothing else comes near; what the producer began with is no such thing.
double handicapOf(const Patch& patch, const Patch& start);

/// Each with one thing less: an effect, a link, a source, a filter, a stack, a blend. What is locked stays.
std::vector<Patch> simplerThan(const Patch& patch, const SearchLimits& limits);

} // namespace facet
