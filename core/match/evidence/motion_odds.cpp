#include "core/match/evidence/motion_odds.h"

#include <algorithm>

namespace facet {

ElementOdds withMeasuredMotion(const ElementOdds& before, const MotionProfile& motion) {
    constexpr double measuredTremolo = 1.1, measuredRhythm = 2.0; // natural logarithms
    ElementOdds after = before;
    if (!before.known()) return after;
    if (motion.tremolo.found()) after.set(Element::tremolo, std::max(before.of(Element::tremolo), measuredTremolo));
    if (motion.switched.found()) after.set(Element::gate, std::max(before.of(Element::gate), measuredRhythm));
    return after;
}

} // namespace facet
