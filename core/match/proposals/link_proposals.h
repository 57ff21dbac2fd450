// What moves what: modulation added, re-targeted, or made to follow key and velocity.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// Modulation that was measured in the reference and that nothing in the patch makes.
void proposeMeasuredModulation(const ProposalContext& in, std::vector<ProposalFamily>& out);

/// Audio-rate links whose amount follows the velocity, equal to now at the phrase's middle velocity.
void proposeVelocityResponse(const ProposalContext& in, std::vector<Patch>& out);
/// Levels that fall or rise with the key.
void proposeKeyResponse(const ProposalContext& in, std::vector<Patch>& out);
/// An existing link of an LFO or envelope with another destination.
void proposeRetargeting(const ProposalContext& in, std::vector<Patch>& out);
/// LFOs that slow down or speed up while a note lasts.
void proposeChangingRates(const ProposalContext& in, std::vector<Patch>& out);
/// LFOs of each note that come in slowly, as a player's vibrato does, or at once.
void proposeFadeIns(const ProposalContext& in, std::vector<Patch>& out);
/// Short pitch sweeps at the onsets, too fast to be measured.
void proposePitchSweeps(const ProposalContext& in, std::vector<Patch>& out);

} // namespace facet
