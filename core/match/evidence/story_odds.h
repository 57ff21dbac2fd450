// What the stories of the partials say of elements that no network hears as well.
#pragma once

#include "core/match/evidence/source_filter.h"
#include "core/prior/element_odds.h"

#include <vector>

namespace facet {

/// What was known of the elements, with what the best story says of its filter: whether its cutoff follows velocities
/// and keys. `stories` as sourceFilterFits() gives them. How much a law counts was fitted by logistic regression to the
/// tuning half of the sounds of known making (docs/accuracy.md). Where nothing was known, and without a
/// story of a filter, everything stays.
ElementOdds withStories(const ElementOdds& before, const std::vector<SourceFilterFit>& stories);

} // namespace facet
