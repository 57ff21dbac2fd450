// Other values and choices of a parameter.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// A family for each parameter of a module that is heard in the phrase and not locked: steps along its scale, or its
/// other choices, within the given ranges.
void proposeParameters(const ProposalContext& in, const Patch::Module& module, std::vector<ProposalFamily>& out);

/// The patch with one parameter at a value, as people would type it: three significant digits.
Patch withTypedValue(const Patch& patch, const Address& address, double value);

} // namespace facet
