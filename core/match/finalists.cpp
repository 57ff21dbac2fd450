#include "core/match/finalists.h"

#include "core/match/simplicity.h"
#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

/// As loud as the reference, as far as that is allowed.
Patch leveledWithin(const SearchLimits& limits, const Patch& patch, const PreparedTarget& target) {
    const Address level{"output", "level"};
    if (limits.locks.contains(level)) return patch;
    Patch leveled = withSolvedGain(patch, target.reference, target.performance, target.attention);
    if (const auto range = limits.ranges.find(level); range != limits.ranges.end())
        leveled.setNearest(level, std::clamp(leveled.value(level), range->second.first, range->second.second));
    return leveled;
}

} // namespace

ScoredPatch scoreAll(const Patch& patch, const std::vector<PreparedTarget>& targets, int seeds,
                     const MatchSettings& settings) {
    const Patch leveled = leveledWithin(settings.limits, patch, targets.front());
    ScoredPatch all;
    for (const PreparedTarget& target : targets) {
        const ScoredPatch one = score(leveled, target.reference, target.profile, target.performance, seeds, {},
                                      target.attention, settings.weights);
        if (&target == &targets.front()) {
            all.patch = leveled;
            all.comparison = one.comparison;
            all.floor = 0.0;
            all.facetFloors.assign(one.facetFloors.size(), 0.0);
        }
        all.loss += target.share * one.loss;
        all.likeness += target.share * one.likeness;
        all.floor += target.share * one.floor;
        for (std::size_t f = 0; f < all.facetFloors.size(); ++f)
            all.facetFloors[f] += target.share * one.facetFloors[f];
    }
    return all;
}

double worthOf(const Patch& patch, double likeness, double loss, const Patch& start) {
    constexpr double perDb = 6.0, perModule = 0.3, perHandicap = 20.0;
    const auto modules = std::count_if(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
        return takesPart(patch, m) && m.kind != ModuleKind::envelope;
    });
    return likeness - perDb * loss - perModule * static_cast<double>(modules) -
           perHandicap * (handicapOf(patch, start) - 1.0);
}

} // namespace facet
