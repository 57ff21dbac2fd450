#include "core/match/evidence/story_odds.h"

#include <algorithm>

namespace facet {

ElementOdds withStories(const ElementOdds& before, const std::vector<SourceFilterFit>& stories) {
    if (!before.known() || stories.empty() || !stories.front().filtered) return before;
    ElementOdds after = before;
    const auto weigh = [&](Element element, double share, double perUnit, double law, double offset) {
        after.set(element, share * before.of(element) + perUnit * law + offset);
    };
    const MeasuredCourse& cutoff = stories.front().cutoff;
    weigh(Element::velocityToFilter, 0.59, 2.4, std::clamp(cutoff.velocity, 0.0, 1.2), -0.64);
    weigh(Element::keyTracking, 0.7, 2.66, std::clamp(cutoff.perOctave, 0.0, 0.4), -1.31);
    return after;
}

} // namespace facet
