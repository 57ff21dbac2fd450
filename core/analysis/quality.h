// What in a recording itself limits what can be measured from it.
#pragma once

#include "core/analysis/series/track.h"
#include "core/audio/recording.h"
#include "core/base/task.h"

#include <string>
#include <vector>

namespace facet {

/// What in a recording limits what can be measured.
struct RecordingQuality {
    double clippedShare = 0.0;           ///< of the samples, in runs of three or more at full scale
    double noiseFloorDb = notMeasurable; ///< quietest twentieth re the loudest, where it is not digital silence
    bool monoInStereo = false;           ///< two equal channels
    bool oneSideSilent = false;
    double upperCutoffHz = notMeasurable; ///< above it there is nothing, though the rate has room
    double offset = 0.0;                  ///< mean of the samples re full scale
};

/// Looks at a recording at any rate. Throws Cancelled.
RecordingQuality measureQuality(const Recording& recording, const Task& task = {});

/// One short sentence for each thing worth knowing, with its reason and number; empty when all is well. `tuningCents`:
/// of the recording against A4 = 440 Hz.
std::vector<std::string> warningsOf(const RecordingQuality& quality, double seconds, double tuningCents);

} // namespace facet
