// What one sound has and the other lacks, to be heard.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"

namespace facet {

/// What each of two sounds has beyond the other, to hear.
struct SoundDifference {
    Recording lacking; ///< of the reference, what the render does not have
    Recording excess;  ///< of the render, what the reference does not have; at the render's own level
};

/// Splits by spectral magnitude, so that differing phases are no difference: each bin of a sound is weakened to what
/// its magnitude, smoothed over 100 ms and three bins, exceeds the other's (power spectral subtraction: S. F. Boll,
/// "Suppression of acoustic noise in speech using spectral subtraction", IEEE Trans. ASSP 27, 1979). `gainDb` brings
/// the render to the reference's loudness; both at one rate. Of equal extent as what they are taken from. Throws
/// Cancelled.
SoundDifference differenceBetween(const Recording& reference, const Recording& render, double gainDb,
                                  const Task& task = {});

} // namespace facet
