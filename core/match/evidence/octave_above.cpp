#include "core/match/evidence/octave_above.h"

#include <algorithm>

namespace facet {

bool mayPlayAnOctaveAbove(const std::vector<LineInstant>& instants) {
    constexpr int highestPartial = 9;
    constexpr double weaker = 8.0; // dB; of a saw the odd ones are 1 to 2 dB weaker
    constexpr float deepestDb = -50.0f;
    double apart = 0.0, weights = 0.0;
    for (const LineInstant& instant : instants)
        for (int odd = 3; odd <= highestPartial; odd += 2) {
            const auto line = [](int partial) { return static_cast<std::size_t>(2 * partial - 1); };
            const float below = instant.levels[line(odd - 1)], here = instant.levels[line(odd)];
            if (below < deepestDb || instant.weights[line(odd - 1)] <= 0.0f || instant.weights[line(odd)] <= 0.0f)
                continue;
            apart += instant.worth * static_cast<double>(below - std::max(here, deepestDb));
            weights += instant.worth;
        }
    return weights > 0.0 && apart > weaker * weights;
}

Profile anOctaveAbove(Profile profile) {
    for (NoteProfile& each : profile.notes) {
        each.note.key += 12;
        if (isMeasured(each.f0Hz)) each.f0Hz *= 2.0;
    }
    return profile;
}

} // namespace facet
