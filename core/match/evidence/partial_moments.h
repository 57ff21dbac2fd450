// Levels of the lowest partials, moment by moment, while notes sound alone.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"

#include <Eigen/Core>
#include <vector>

namespace facet {

/// Fewer partials show no outline; of many, a place is right within a hair and far ones are alike.
inline constexpr int fewestPartials = 8, mostPartials = 16;
inline constexpr double deepestZeroDb = 24.0; ///< zeros are filled by what moves within a window

/// What sounds at a moment, as far as it is heard.
struct PartialMoment {
    double sinceNote = 0.0, since = 0.0; ///< seconds from the note's and the recording's start
    double hz = 0.0;
    Eigen::VectorXd levels; ///< of partials 1…, in dB re those of a saw
};

/// At most some 200 moments, 10 ms or more apart, in the notes that sound alone; each measured over four periods.
std::vector<PartialMoment> partialMomentsOf(const Profile& profile, const Recording& recording48k);

} // namespace facet
