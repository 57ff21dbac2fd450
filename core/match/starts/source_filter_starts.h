// Patches with what the partials say of source and filter.
#pragma once

#include "core/analysis/profile.h"
#include "core/match/evidence/source_filter.h"
#include "core/parameters/patch.h"

namespace facet {

/// Sets the first layer's sources and first filter as the fit says, and adds what moves them. Throws Error where there
/// is no room for it.
void applySourceFilterFit(Patch& patch, const Profile& profile, const SourceFilterFit& fit);

} // namespace facet
