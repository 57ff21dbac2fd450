#include "core/match/search/inputs.h"

#include "core/match/search/score.h"
#include "core/parameters/relevance.h"
#include "core/performance/spread.h"

#include <algorithm>
#include <set>

namespace facet {

namespace {

/// Two channels that differ by more than what noise of their own adds.
bool hasHeardSides(const WidthProfile& width) {
    constexpr double unheardDb = -40.0;
    return width.stereo && isMeasured(width.sideDb) && width.sideDb > unheardDb;
}

} // namespace

bool SearchInputs::isNoiseForTone(const Patch& patch) const {
    constexpr double clearlyTonalDb = 8.0;
    if (!(profile().noise.harmonicToNoiseDb > clearlyTonalDb)) return false;
    return std::none_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        if (m.kind != ModuleKind::source || !takesPart(patch, m)) return false;
        return static_cast<Wave>(patch.value({m.path, "wave"})) != Wave::noise;
    });
}

Identifiable SearchInputs::movable() const {
    constexpr double unlikely = -1.4; // log odds
    Identifiable movable = identifiable;
    movable.newKeyTracking = !odds->known() || odds->of(Element::keyTracking) > unlikely;
    return movable;
}

double SearchInputs::logOddsAgainst(const Patch& patch) const {
    if (!odds->known()) return 0.0;
    std::set<Element> elements;
    for (const PatchElement& each : elementsOf(patch)) elements.insert(each.element);
    double sum = 0.0;
    for (const Element each : elements) sum += std::clamp(-odds->of(each), 0.0, mostLogOdds);
    return sum;
}

double SearchInputs::worthOf(const Patch& patch, double likeness, double loss) const {
    if (!settings.parts.storyCost) return likeness - worthPerDb * loss;
    return facet::worthOf(patch, likeness, loss, settings.start, *odds);
}

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
