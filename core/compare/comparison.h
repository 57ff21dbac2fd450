// Two profiles side by side: differences in trade units and a likeness from 0 to 100.
#pragma once

#include "core/analysis/profile.h"
#include "core/parameters/table.h"

#include <array>
#include <string>
#include <vector>

namespace facet {

/// One measured quantity of both sounds, as text with units; "–" where it cannot be measured.
struct ComparedValue {
    std::string label;
    std::string reference;
    std::string render;
    std::string difference;
};

struct FacetComparison {
    Facet facet = Facet::pitch;
    bool measured = false; ///< false: this facet is not measured (yet), or not in this sound
    double likeness = 100.0;
    double difference = 0.0; ///< mean difference in the facet's unit, see docs/likeness.md
    std::string words;       ///< the largest difference: "decay 60 ms longer", "alike"
    std::vector<ComparedValue> values;
};

struct Comparison {
    /// All eight, in the order they are worked.
    std::vector<FacetComparison> facets;
    /// 0 … 100. Half the mean of the facets, half the worst of them.
    double likeness = 0.0;

    const FacetComparison* find(Facet facet) const;
};

/// Compares a render with the reference; loudness is taken out first. Both profiles must be of one performance.
/// docs/likeness.md says how each likeness follows from its difference.
Comparison compare(const Profile& reference, const Profile& render);

/// Constant shift in seconds (within ±30 ms) that brings the render's level envelope onto the reference's;
/// positive: the render is late.
double timeShift(const Profile& reference, const Profile& render);

} // namespace facet
