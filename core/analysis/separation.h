// Separates the tonal and the struck parts of a sound.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"

namespace facet {

/// A sound as the sum of two parts.
struct SeparatedSound {
    Recording tonal;  ///< what lasts: horizontal lines of the spectrogram
    Recording struck; ///< what is short: vertical lines
};

/// Harmonic/percussive separation by median filtering with soft masks (D. FitzGerald, "Harmonic/Percussive Separation
/// Using Median Filtering", DAFx-10, 2010, eq. 2–9, exponent 2), Hann windows of 85 ms with 3/4 overlap, medians over
/// 17 frames and 17 bins as in the paper. Any rate; the two parts add up to the sound. An instrument's own
/// attack goes to the struck part: for listening and finding a part, not for measuring. Throws Cancelled.
SeparatedSound separated(const Recording& recording, const Task& task = {});

} // namespace facet
