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

/// One facet of two sounds compared.
struct FacetComparison {
    Facet facet = Facet::pitch;
    bool measured = false; ///< false: this facet is not measured (yet), or not in this sound
    double likeness = 100.0;
    double difference = 0.0; ///< beyond what is noticed, in the facet's unit, see docs/likeness.md
    std::string words;       ///< the largest difference: "decay 60 ms longer", "alike"
    std::vector<ComparedValue> values;
};

/// Two sounds compared in all facets.
struct Comparison {
    /// All eight, in the order they are worked.
    std::vector<FacetComparison> facets;
    /// 0 … 100: half the weighted mean of the facets, half the worst of them, which counts by its weight too.
    double likeness = 0.0;
    FacetWeights weights = equalWeights;

    const FacetComparison* find(Facet facet) const;
};

/// Compares a render with the reference; loudness is taken out first. Both profiles must be of one performance.
/// docs/likeness.md says how each likeness follows from its difference. Weights ≥ 0; when all that is measured is set
/// aside, everything counts.
Comparison compare(const Profile& reference, const Profile& render, const FacetWeights& weights = equalWeights);

/// The whole likeness of facets that were compared, with other weights.
double wholeLikeness(const std::vector<FacetComparison>& facets, const FacetWeights& weights);

} // namespace facet
