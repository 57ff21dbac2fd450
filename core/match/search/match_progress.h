// What a search reports while it runs.
#pragma once

#include "core/compare/comparison.h"
#include "core/parameters/patch.h"

#include <array>
#include <cstddef>
#include <functional>
#include <string>
#include <vector>

namespace facet {

/// The best patch of one of the leading structures.
struct Leader {
    Patch patch{};
    double loss = 0.0;               ///< dB
    double likeness = notMeasurable; ///< 0 … 100, once there was time to compare it
};

/// Where a running search stands.
struct MatchProgress {
    double fraction = 0.0; ///< of the time or evaluations allowed
    std::string trying;    ///< in words
    double loss = 0.0;     ///< of the best so far, dB
    double likeness = 0.0; ///< of the best so far when it was last compared
    int evaluations = 0;
    double seconds = 0.0;
    bool improved = false;   ///< whether `best` is new since the last report
    std::size_t reading = 0; ///< that `best` plays: an index into MatchTarget::readings of the first target
    Patch best{};
    std::array<double, facetCount> facets{}; ///< likeness of each when `best` was last compared; may be notMeasurable
    std::vector<Leader> leaders;             ///< of the leading structures, best first; `best` is the first
};

/// Called on the search's own thread.
using MatchListener = std::function<void(const MatchProgress&)>;

} // namespace facet
