// Delays and reverbs.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// A reverb, with a release that does not have to stand for its tail any more.
void proposeReverbs(const ProposalContext& in, std::vector<Patch>& out);

/// The patch with a delay at each of 28 times (unless one was measured: then it has been tried), and with reverbs of
/// several sizes and decays: whether they fit at all is decided by where they stand. Only what it has none of, for
/// which there is room, and which no lock forbids.
std::vector<Patch> withDelaysAndReverbs(const ProposalContext& in);

} // namespace facet
