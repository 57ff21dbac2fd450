// What may move the voices or sound beside them, at several settings each.
#pragma once

#include "core/match/proposals/context.h"
#include "core/parameters/elements.h"

#include <vector>

namespace facet {

/// A patch with one element more.
struct ElementProposal {
    Element element;
    Patch patch;
};

/// The patch with each of these that it has not: an LFO on the cutoff, on the level and on a pulse's width, from slow to
/// fast and at several places of the cycle; noise; a further source an octave or a fifth away. Settings are such that a
/// refinement finds its own from the nearest. Only what there is room for and no lock forbids.
std::vector<ElementProposal> withMotions(const ProposalContext& in);

} // namespace facet
