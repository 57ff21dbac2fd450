// Parts of a patch left out, to hear or to measure what they contribute.
#pragma once

#include "core/parameters/patch.h"

#include <string>
#include <string_view>

namespace facet {

// What stays keeps its keys, and so its start phases: the difference is the part alone. All throw Error for a path the
// patch does not have.

/// Without one module: a source, filter, effect or link is off; what an envelope, LFO or macro moves stays at rest (the
/// level envelope is open while a note is held); a layer is silent. Voicing and output cannot be left out: throws
/// Error.
Patch without(const Patch& patch, std::string_view path);

/// One source or layer alone. Throws Error for anything else.
Patch alone(const Patch& patch, std::string_view path);

/// The sound as it leaves a module: what comes after it in signal order is off. Of a source: all filters and effects;
/// of a filter: the other if it comes later, and all effects; of an effect: those after it. Throws Error for what has
/// no place in the signal's way.
Patch upTo(const Patch& patch, std::string_view path);

/// Without an effect and all after it. Throws Error for what is no effect.
Patch withoutEffectsFrom(const Patch& patch, std::string_view path);

} // namespace facet
