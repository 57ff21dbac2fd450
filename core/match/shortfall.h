// What a search could not reach, and what is likely behind it.
#pragma once

#include "core/analysis/profile.h"
#include "core/analysis/quality.h"
#include "core/compare/comparison.h"

#include <string>
#include <vector>

namespace facet {

/// A facet in which the best patch stays unlike.
struct Shortfall {
    Facet facet = Facet::pitch;
    double likeness = 0.0;
    std::string words;  ///< the largest difference
    std::string likely; ///< one sentence: what is missing in the patch or degraded in the recording
};

/// Those of a comparison that stay unlike by more than two renders of one patch with other random phases do, the least
/// alike first. `floors`: that likeness for each facet of the comparison, or empty. `reference` and `quality` are of
/// the recording.
std::vector<Shortfall> shortfallsOf(const Comparison& comparison, const std::vector<double>& floors,
                                    const Profile& reference, const RecordingQuality& quality);

} // namespace facet
