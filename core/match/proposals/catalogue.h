// The catalogue of proposals: changes of a patch that are worth trying, for the search and for next moves.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// What next moves try: values, choices, modules switched on, added and taken out, measured modulation, a family for
/// each. Locks, ranges and what was ruled out or
/// insisted on are obeyed; overall loudness is left alone.
std::vector<ProposalFamily> proposalFamilies(const ProposalContext& in);

/// What a search tries beside its refinement of continuous values: every family that is not continuous, sources,
/// filters, layers, links and reverbs. What is locked is left alone; ranges are the caller's to keep to.
std::vector<Patch> structuralProposals(const ProposalContext& in);

} // namespace facet
