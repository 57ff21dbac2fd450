#include "core/analysis/note_ends.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

constexpr double fallDb = 20.0;
constexpr double mostMoved = 0.1; ///< seconds

/// How long after `end` the level has fallen, or nothing when it has not before the next note.
std::optional<double> fallAfter(double end, double next, const Track& level) {
    const double low = level.at(end) - fallDb;
    for (double t = end; t < next; t += level.stepSeconds)
        if (level.at(t) <= low) return t - end;
    return {};
}

} // namespace

void agreeOnEnds(std::vector<NoteEnd>& ends, const Track& level) {
    std::vector<double> falls;
    for (const NoteEnd& end : ends)
        if (isMeasured(end.seconds))
            if (const auto fall = fallAfter(end.seconds, end.next, level)) falls.push_back(*fall);
    if (falls.size() < 2) return;
    // The median, and the shorter of the middle two: a mean of two unlike ones would be nobody's.
    const auto middle = falls.begin() + static_cast<std::ptrdiff_t>((falls.size() - 1) / 2);
    std::nth_element(falls.begin(), middle, falls.end());
    const double typical = *middle;
    for (NoteEnd& end : ends) {
        if (!isMeasured(end.seconds)) continue;
        double agreed = end.seconds;
        // Twice: from a wrong end the fall is counted from a wrong level.
        for (int pass = 0; pass < 2; ++pass)
            if (const auto fall = fallAfter(agreed, end.next, level)) agreed += *fall - typical;
        if (std::abs(agreed - end.seconds) < mostMoved) end.seconds = agreed;
    }
}

} // namespace facet
