#include "core/parameters/partial_table.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// Nothing absent at the end.
PartialLevels trimmed(PartialLevels levels) {
    while (!levels.empty() && levels.back() <= absentPartialDb) levels.pop_back();
    return levels;
}

} // namespace

double partialLevel(const PartialLevels& levels, int n) {
    // A table without any levels sounds its fundamental.
    if (levels.empty()) return n == 1 ? 0.0 : absentPartialDb;
    return n <= static_cast<int>(levels.size()) ? levels[static_cast<std::size_t>(n - 1)] : absentPartialDb;
}

PartialLevels withPartial(PartialLevels levels, int n, double db) {
    if (levels.empty()) levels = {0.0};
    levels.resize(std::max(levels.size(), static_cast<std::size_t>(n)), absentPartialDb);
    levels[static_cast<std::size_t>(n - 1)] = std::clamp(db, absentPartialDb, 0.0);
    levels = trimmed(std::move(levels));
    return levels.empty() ? PartialLevels{absentPartialDb} : levels; // silence is not the same as nothing said
}

PartialLevels sawPartials() {
    PartialLevels levels;
    for (int n = 1; n <= tablePartials; ++n) levels.push_back(-20.0 * std::log10(n));
    return levels;
}

PartialLevels everyOther(PartialLevels levels, bool odd) {
    for (std::size_t i = 0; i < levels.size(); ++i)
        if ((i % 2 == 0) != odd) levels[i] = absentPartialDb;
    return trimmed(std::move(levels));
}

PartialLevels scaled(PartialLevels levels, double factor) {
    if (levels.empty()) return levels;
    const double strongest = *std::max_element(levels.begin(), levels.end());
    for (double& db : levels)
        if (db > absentPartialDb) db = std::clamp(strongest + factor * (db - strongest), -119.0, 0.0);
    return levels;
}

} // namespace facet
