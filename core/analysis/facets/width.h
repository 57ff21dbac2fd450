// How wide a stereo recording is, band by band.
#pragma once

#include "core/analysis/series/track.h"
#include "core/audio/recording.h"
#include "core/base/task.h"

#include <vector>

namespace facet {

/// Width of one third octave.
struct WidthBand {
    double centerHz;
    double levelDb;                     ///< of the band, re the loudest band
    double sideDb = notMeasurable;      ///< side re mid; −60 at most quiet
    double correlation = notMeasurable; ///< of left and right, −1 … 1; notMeasurable when the band holds nothing
};

/// Width of a recording, whole and by bands.
struct WidthProfile {
    bool stereo = false; ///< two channels that differ
    double sideDb = notMeasurable;
    double correlation = notMeasurable;
    double balanceDb = 0.0;              ///< right re left
    double monoBelowHz = notMeasurable;  ///< all bands below are mono; notMeasurable when the lowest is not
    std::vector<WidthBand> thirdOctaves; ///< base-ten third octaves of IEC 61260-1:2014 from 25 Hz to 16 kHz
};

/// Width of a recording at any rate. A band counts within 50 dB of the loudest; it is mono when its side lies 20 dB
/// below its mid (common practice, no source). Mono recordings give stereo = false, correlation 1. Throws Cancelled.
WidthProfile measureWidth(const Recording& recording, const Task& task = {});

} // namespace facet
