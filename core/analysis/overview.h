// The picture of a whole file of any length, filled in step by step.
#pragma once

#include "core/analysis/spectrogram.h"
#include "core/audio/audio_stream.h"
#include "core/base/task.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <utility>
#include <vector>

namespace facet {

/// Lowest and highest sample of all channels for each of `count` equal pieces of a file, and a coarse spectrogram.
struct Overview {
    double seconds = 0.0;
    int rateHz = 48000;
    int channelCount = 1;
    double secondsPerPair = 0.0;
    std::vector<std::pair<float, float>> pairs;
    /// Pieces [0, exact) are of every sample; later ones are a sketch from a spot in each.
    std::size_t exact = 0;
    Spectrogram spectrogram;

    bool finished() const { return exact == pairs.size(); }
    /// Over [begin, end) seconds; {0, 0} outside.
    std::pair<float, float> range(double begin, double end) const;
};
using OverviewPtr = std::shared_ptr<const Overview>;

/// Sketches the whole file from short spots all over it, hands that to `show`, then reads everything once, handing over
/// better pictures a few times a second and the finished one at the end. Takes a fixed few megabytes however long the
/// file is. Throws Error when the file breaks off, Cancelled. `show` is called on the calling thread.
void makeOverview(AudioStream& stream, const std::function<void(OverviewPtr)>& show, const Task& task = {});

} // namespace facet
