// Slow listening: longer in time at the same pitch.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"

namespace facet {

/// The sound `factor` times as long at the same pitch (Rubber Band's finer engine, offline). `factor` in [0.25, 16]; 1
/// gives a copy. The result has round(frames × factor) frames. Throws Cancelled.
Recording stretched(const Recording& recording, double factor, const Task& task = {});

/// What lies between two frequencies in Hz, with edges a twelfth of an octave wide and no phase shift; lowHz 0 keeps
/// the bottom, highHz 0 or above half the rate the top.
Recording withinBand(const Recording& recording, double lowHz, double highHz);

} // namespace facet
