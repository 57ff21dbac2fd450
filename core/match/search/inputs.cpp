#include "core/match/search/inputs.h"

#include "core/performance/spread.h"

#include <algorithm>

namespace facet {

namespace {

/// Two channels that differ by more than what noise of their own adds.
bool hasHeardSides(const WidthProfile& width) {
    constexpr double unheardDb = -40.0;
    return width.stereo && isMeasured(width.sideDb) && width.sideDb > unheardDb;
}

} // namespace

Identifiable identifiableBy(const std::vector<PreparedTarget>& targets) {
    Identifiable identifiable{false, false, false};
    NoteSpread spread;
    for (const PreparedTarget& target : targets) {
        identifiable.width = identifiable.width || hasHeardSides(target.profile.width);
        for (const Note& note : target.performance.notes) spread.add(note);
    }
    identifiable.keys = spread.tellsKeyTracking();
    identifiable.velocities = spread.tellsVelocityResponse();
    return identifiable;
}

} // namespace facet
