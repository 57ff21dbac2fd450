#include "core/match/proposals/catalogue.h"

#include "core/match/proposals/link_proposals.h"
#include "core/match/proposals/module_proposals.h"
#include "core/match/proposals/parameter_proposals.h"
#include "core/match/proposals/source_proposals.h"
#include "core/match/proposals/space_proposals.h"
#include "core/match/proposals/voicing_proposals.h"
#include "core/parameters/relevance.h"

#include <utility>

namespace facet {

std::vector<ProposalFamily> proposalFamilies(const ProposalContext& in) {
    std::vector<ProposalFamily> families;
    for (const auto& module : in.patch.modules()) {
        if (!takesPart(in.patch, module)) {
            proposeSwitchingOn(in, module, families);
            continue;
        }
        proposeParameters(in, module, families);
        if (isEffect(module.kind)) proposeWithout(in, module.path, families);
    }
    proposeEffects(in, families);
    proposeMeasuredModulation(in, families);
    for (ProposalFamily& family : families)
        std::erase_if(family.patches, [&](const Patch& each) { return !in.keepsWishes(each); });
    std::erase_if(families,
                  [](const ProposalFamily& family) { return family.values.empty() && family.patches.empty(); });
    return families;
}

std::vector<Patch> structuralProposals(const ProposalContext& in) {
    std::vector<Patch> proposals;
    for (ProposalFamily& family : proposalFamilies(in))
        if (!family.continuous())
            for (Patch& patch : family.patches) proposals.push_back(std::move(patch));
    for (auto* propose :
         {proposeBlends, proposeWidths, proposeOtherFilters, proposeIntervals, proposeStacks, proposeReverbs,
          proposeSecondSources, proposeSecondLayers, proposeVelocityResponse, proposeKeyResponse, proposeRetargeting,
          proposeChangingRates, proposeFadeIns, proposePitchSweeps, proposePostFilters, proposeVoicings})
        propose(in, proposals);
    return proposals;
}

} // namespace facet
