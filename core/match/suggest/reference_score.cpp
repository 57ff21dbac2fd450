#include "core/match/suggest/reference_score.h"

#include "core/engine/render.h"

#include <algorithm>
#include <utility>

namespace facet {

std::vector<FacetGain> gainsBetween(const Comparison& before, const Comparison& after, const FacetWeights& weights) {
    std::vector<FacetGain> gains;
    for (const FacetComparison& each : after.facets) {
        const FacetComparison* earlier = before.find(each.facet);
        if (each.measured && earlier && earlier->measured)
            gains.push_back({each.facet, earlier->likeness, each.likeness});
    }
    const auto weighed = [&](const FacetGain& each) {
        return (each.after - each.before) * weights[static_cast<std::size_t>(each.facet)];
    };
    std::stable_sort(gains.begin(), gains.end(),
                     [&](const FacetGain& a, const FacetGain& b) { return weighed(a) > weighed(b); });
    return gains;
}

ReferenceScore::ReferenceScore(const std::vector<MoveTarget>& targets) {
    double weights = 0.0;
    for (const MoveTarget& each : targets) weights += each.weight;
    for (const MoveTarget& each : targets)
        scorings_.push_back({each, attendedNotes(each.performance, each.attention.leftOut), each.weight / weights});
}

ComparedPatch ReferenceScore::of(const Patch& patch, const FacetWeights& weights, int threads, const Task& task) const {
    ComparedPatch compared;
    double likeness = 0.0;
    for (const Scoring& each : scorings_) {
        const MoveTarget& target = each.target;
        const Recording sound = attended(render(patch, target.performance, task), target.attention);
        auto profile = std::make_shared<const Profile>(
            measureProfile(sound, each.counted, {.source = &target.profile->source, .threads = threads}, task));
        Comparison comparison = compare(*target.profile, *profile, weights);
        likeness += each.share * comparison.likeness;
        if (&each != &scorings_.front()) continue;
        compared = {std::move(comparison), std::move(profile)};
    }
    compared.comparison.likeness = likeness;
    return compared;
}

} // namespace facet
