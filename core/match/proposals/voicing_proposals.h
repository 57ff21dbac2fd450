// How one note follows another: struck anew, or tied and gliding.
#pragma once

#include "core/match/proposals/context.h"

#include <vector>

namespace facet {

/// Of notes that may be a line for one voice (none begin together): every note by itself; tied where they overlap, with
/// glides of several lengths or none; gliding always. Nothing for chords and for single notes.
void proposeVoicings(const ProposalContext& in, std::vector<Patch>& out);

} // namespace facet
