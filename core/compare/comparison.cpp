#include "core/compare/comparison.h"

#include "core/compare/facets/facet_comparisons.h"

#include <algorithm>

namespace facet {

const FacetComparison* Comparison::find(Facet facet) const {
    const auto found = std::find_if(facets.begin(), facets.end(), [facet](const auto& f) { return f.facet == facet; });
    return found == facets.end() ? nullptr : &*found;
}

double wholeLikeness(const std::vector<FacetComparison>& facets, const FacetWeights& weights) {
    const auto weightOf = [&](const FacetComparison& facet) { return weights[static_cast<std::size_t>(facet.facet)]; };
    double heaviest = 0.0;
    for (const auto& facet : facets)
        if (facet.measured) heaviest = std::max(heaviest, weightOf(facet));
    double missing = 0.0, total = 0.0, worst = 0.0;
    for (const auto& facet : facets) {
        if (!facet.measured) continue;
        const double weight = heaviest > 0.0 ? weightOf(facet) / heaviest : 1.0;
        missing += weight * (100.0 - facet.likeness);
        total += weight;
        worst = std::max(worst, weight * (100.0 - facet.likeness));
    }
    return total > 0.0 ? 100.0 - 0.5 * missing / total - 0.5 * worst : 0.0;
}

Comparison compare(const Profile& reference, const Profile& render, const FacetWeights& weights) {
    using namespace comparing;
    const Compared sounds(reference, render);
    Comparison result;
    result.facets = {comparePitch(sounds), compareLevel(sounds),  compareHarmonics(sounds), compareBrightness(sounds),
                     compareNoise(sounds), compareMotion(sounds), compareWidth(sounds),     compareSpace(sounds)};
    result.weights = weights;
    result.likeness = wholeLikeness(result.facets, weights);
    return result;
}

} // namespace facet
