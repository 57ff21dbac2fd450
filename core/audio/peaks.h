// Minima and maxima of a waveform for drawing it at any zoom.
#pragma once

#include "core/audio/recording.h"

#include <utility>
#include <vector>

namespace facet {

/// A pyramid of minimum/maximum pairs over all channels: level k covers 64 × 4^k frames a pair.
class Peaks {
public:
    Peaks() = default;
    explicit Peaks(const Recording& recording);

    /// Lowest and highest sample over frames [begin, end), approximately when that spans many pairs
    /// (whole pairs are taken). {0, 0} outside the recording.
    std::pair<float, float> range(const Recording& recording, int begin, int end) const;

private:
    std::vector<std::vector<std::pair<float, float>>> levels_;
};

} // namespace facet
