// An element put into a patch that lacks it, because the producer insists on it.
#pragma once

#include "core/parameters/elements.h"
#include "core/parameters/patch.h"

#include <set>

namespace facet {

/// Whether an element can be made without the recording: samples, tables and responses are taken from it.
bool canBeAdded(Element element);

/// The patch with each of the elements that it has not yet, at settings in the middle of what is usual, from which a
/// refinement finds its own. A wave takes the place of a source's wave that is not wanted, or becomes a further source.
/// What there is no room for, and what cannot be added, is left out. The patch as it is where nothing is missing.
Patch withElements(Patch patch, const std::set<Element>& wanted);

} // namespace facet
