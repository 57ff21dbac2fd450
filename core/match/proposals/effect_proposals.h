// Effects at several settings each, at their usual places in the chain.
#pragma once

#include "core/match/proposals/context.h"

#include <string>
#include <vector>

namespace facet {

/// Puts an effect of a patch where it usually stands: what distorts first, then what evens out levels and colors, what
/// moves, what widens, delays and reverbs. Other effects keep their order.
void moveToUsualPlace(Patch& patch, const std::string& path);

/// The patch with each kind of effect that it has none of, at a few settings from which a refinement finds its own:
/// delays and reverbs (space_proposals.h), saturation, reduction, compressor, phaser, flanger, chorus, width. Only what
/// there is room for and no lock forbids.
std::vector<Patch> withEffects(const ProposalContext& in);

} // namespace facet
