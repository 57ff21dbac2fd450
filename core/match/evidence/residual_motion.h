// What goes round in what a render still lacks: the difference between two sounds of the same notes over time.
#pragma once

#include "core/audio/recording.h"

#include <cstddef>
#include <vector>

namespace facet {

/// A sine in a difference, on the recording's own clock.
struct ResidualSine {
    double rateHz = 0.0;
    double depth = 0.0; ///< to either side, in the difference's unit
    double phase = 0.0; ///< cycles at the recording's beginning, 0 … 1; 0: rising through its middle
    double share = 0.0; ///< of the difference's variance that it explains
};

/// The sines that explain most, best first, of rates that differ by a third at least.
struct ResidualMotions {
    std::vector<ResidualSine> level;      ///< dB, of the reference re the render
    std::vector<ResidualSine> brightness; ///< octaves of the centroid
};

/// Both at 48 kHz and of the same notes; compared where both sound. At most `most` of each, none that explains less
/// than a fifth. By least squares at each rate of a grid from 0.12 to 9 Hz (see findPeriodicChange()); what goes round
/// less than 0.7 times is none.
ResidualMotions residualMotions(const Recording& reference48k, const Recording& render48k, std::size_t most);

} // namespace facet
