// What may move the voices, sound beside them or color them, by what is left between reference and render.
#pragma once

#include "core/audio/recording.h"
#include "core/match/proposals/context.h"
#include "core/parameters/elements.h"

#include <vector>

namespace facet {

/// A patch with one element more.
struct ElementProposal {
    Element element;
    Patch patch;
};

/// The patch with each of these that it has not: an LFO on the cutoff, the level or a pulse's width that goes as what
/// is left between reference and render goes round, noise, and an equalizer. Settings are such that a refinement finds
/// its own from the nearest. Only what there is room for and no lock forbids. `reference48k`, `render48k`: of the same
/// notes, the render by the patch.
std::vector<ElementProposal> withMotions(const ProposalContext& in, const Recording& reference48k,
                                         const Recording& render48k);

} // namespace facet
