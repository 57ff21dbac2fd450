// Two spectrograms held against each other.
#pragma once

#include "core/analysis/spectrogram.h"

namespace facet {

/// What one spectrogram has beyond another, as a picture of the same kind: 0 where it is at most 2 dB louder, 255 from
/// mostDb on. Both are smoothed a little, so that what flutters by chance does not count; what lies 60 dB below the
/// louder sound's top does not either. `gainDb`: added to the other's levels.
struct PictureDifference {
    static constexpr double leastDb = 2.0, mostDb = 24.0;
    Spectrogram lacking; ///< of the first, what the second has not
    Spectrogram excess;  ///< of the second, what the first has not
};
PictureDifference differenceOf(const Spectrogram& first, const Spectrogram& second, double gainDb);

} // namespace facet
