// An invented instrument to try measuring on: its controls stand for other values than its description says.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/measuring/measuring_setup.h"

#include <vector>

namespace facet {

/// What the control stands for on the invented instrument.
double simulatedValue(const InstrumentControl& control, double position);

/// The notes that somebody would play for measuring, one for each position (see requirePositions()), with pauses
/// between them; 48 kHz. `key` is a MIDI key. Throws Cancelled.
Recording simulatedTake(const MeasuringSetup& setup, const InstrumentControl& control,
                        const std::vector<double>& positions, int key, const Task& task = {});

} // namespace facet
