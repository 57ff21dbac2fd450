// What arrives at a stage whose work depends on how loud the sound is, and what the stage makes of it.
#pragma once

#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <optional>
#include <string>
#include <vector>

namespace facet {

/// Levels at one stage of the signal path.
struct StageReading {
    double peakDb = -144.0; ///< highest sample that arrives, dB re full scale
    double loudDb = -144.0; ///< RMS of the loudest 50 ms that arrive, likewise
    struct Reduction {
        double most = 0.0; ///< dB, ≥ 0
        double mean = 0.0; ///< while sound arrives
    };
    std::optional<Reduction> reduction; ///< of what holds levels down
    /// Of a stage that saturates: partials 2, 3, … of what it makes of a sine as high as what arrives at most, dB re
    /// the first; the sine plays the phrase's middle note. Empty: the stage does not saturate, or nothing arrives.
    std::vector<double> addedDb;
};

/// Whether a module's work depends on level as the patch stands: saturation, folding, reduction of bits, what
/// compresses or limits, a ladder filter; and it is on.
bool dependsOnLevel(const Patch& patch, const Patch::Module& module);

/// Plays the performance up to a module for which dependsOnLevel(). What arrives at a filter is that of one note, the
/// loudest, before the envelope: so the filter gets it. Throws Cancelled.
StageReading readStage(const Patch& patch, const std::string& path, const Performance& performance,
                       const Task& task = {});

} // namespace facet
