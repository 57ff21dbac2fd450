// The shape by which a note's level goes up and down: a tremolo, a gate, a drawn rhythm.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/module_data.h"

#include <optional>
#include <vector>

namespace facet {

struct NoteShape {
    double hz = 0.0;
    double depthDb = 0.0; ///< from the softest to the loudest of a cycle; 48 at most
    double phase = 0.0;   ///< cycles from the shape's beginning, where the note begins, in [0, 1)
    double confidence = 0.0;
    std::vector<ShapePoint> points; ///< 1 the loudest, 0 the softest, even in dB between
};

/// Measured between two instants in seconds; `pitchHz`: of the note, whose cycles are not taken for a movement. Nothing
/// where its level does not go round at least three times, or by less than 1 dB. Any thread.
std::optional<NoteShape> shapeFromNote(const Recording& recording, double start, double end, double pitchHz);

} // namespace facet
