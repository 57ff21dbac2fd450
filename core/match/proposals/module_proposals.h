// Modules added, switched on, taken out, or of another kind.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// Whether a patch has no effect of a kind, and room for one more.
bool hasRoomFor(ModuleKind kind, const Patch& patch);

/// A module that is there and silent: as it stands, and with what it is most often used for.
void proposeSwitchingOn(const ProposalContext& in, const Patch::Module& module, std::vector<ProposalFamily>& out);
/// The patch without an effect, unless anything of it is locked.
void proposeWithout(const ProposalContext& in, const std::string& path, std::vector<ProposalFamily>& out);
/// Each effect that the patch does not have, at several mixes; times and rates that were measured are set.
void proposeEffects(const ProposalContext& in, std::vector<ProposalFamily>& out);

/// A second source of several waves and octaves, where there is none.
void proposeSecondSources(const ProposalContext& in, std::vector<Patch>& out);
/// A second layer that dies away by itself, where there is only one.
void proposeSecondLayers(const ProposalContext& in, std::vector<Patch>& out);
/// Another kind of filter, which needs a cutoff of its own: where one ends the other begins.
void proposeOtherFilters(const ProposalContext& in, std::vector<Patch>& out);
/// A filter behind the effects, which takes away some of what they have made.
void proposePostFilters(const ProposalContext& in, std::vector<Patch>& out);

/// The source, filter or effect that takes part in a patch and did not before, or the filter that is of another kind;
/// null where there is none.
const Patch::Module* addedModule(const Patch& patch, const Patch& before);

} // namespace facet
