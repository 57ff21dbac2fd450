// A sound and its notes as a fixed number of measurements, from which its elements can be told.
#pragma once

#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// How many measurements.
int summarySize();

/// What a sound does at each onset and after each note, the levels of its partials and what lies between them, how they
/// go with key and velocity, what goes round in level, brightness, sides and pitch, how the sides differ, what comes
/// again, how its samples are distributed, and what is played: summarySize() finite numbers of the order of 1 … 50 in
/// the same order for every sound, independent of its loudness. Where something cannot be measured (no gaps, one
/// channel) it is 0. At 48 kHz; throws Error for a sound without notes. Any thread.
std::vector<float> soundSummary(const Recording& sound48k, const Performance& performance);

} // namespace facet
