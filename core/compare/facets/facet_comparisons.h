// One comparison for each facet.
#pragma once

#include "core/compare/facets/compared.h"

namespace facet::comparing {

// Each gives the facet's difference beyond what is noticed (docs/likeness.md), its likeness, the rows of its table and
// the words for what differs most.
FacetComparison comparePitch(const Compared& sounds);
FacetComparison compareLevel(const Compared& sounds);
FacetComparison compareHarmonics(const Compared& sounds);
FacetComparison compareBrightness(const Compared& sounds);
FacetComparison compareNoise(const Compared& sounds);
FacetComparison compareMotion(const Compared& sounds);
FacetComparison compareWidth(const Compared& sounds);
FacetComparison compareSpace(const Compared& sounds);

} // namespace facet::comparing
