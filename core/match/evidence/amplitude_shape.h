// The periodic shape of a note's level: a tremolo, a gate, a drawn rhythm.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/module_data.h"

#include <optional>
#include <vector>

namespace facet {

/// One cycle of the level, and how it runs.
struct AmplitudeShape {
    double hz = 0.0;
    double depthDb = 0.0;           ///< from the softest to the loudest of a cycle; 48 at most
    double phase = 0.0;             ///< cycles from the shape's beginning, where the note begins, in [0, 1)
    double confidence = 0.0;        ///< 0 … 1
    std::vector<ShapePoint> points; ///< 1 the loudest, 0 the softest, even in dB between
};

/// Measures the level between two instants in seconds. `pitchHz`: of the note, whose own cycles are not taken for a
/// modulation. Nothing where fewer than three periods are heard, or they are less than 1 dB deep. Any thread.
std::optional<AmplitudeShape> amplitudeShapeOf(const Recording& recording, double start, double end, double pitchHz);

} // namespace facet
