// What the sources are: their waves, widths, intervals and stacks.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// The first source blended with each other wave, where it is blended with none.
void proposeBlends(const ProposalContext& in, std::vector<Patch>& out);
/// A pulse of another width, too far from this one for a refinement.
void proposeWidths(const ProposalContext& in, std::vector<Patch>& out);
/// The second source in tune with the first in another way.
void proposeIntervals(const ProposalContext& in, std::vector<Patch>& out);
/// The first source stacked.
void proposeStacks(const ProposalContext& in, std::vector<Patch>& out);

} // namespace facet
