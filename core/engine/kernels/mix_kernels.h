// The inner loops that add sounds up.
#pragma once

#include "core/engine/kernels/lanes.h"

#include <span>

namespace facet::kernels {

/// Adds a row × its level × a gain that moves evenly over the first block to a stretch of sound.
struct MixJob {
    const float* row = nullptr;   ///< whole blocks of samples
    const float* level = nullptr; ///< likewise
    float from = 0.0f, to = 0.0f;
    float* out = nullptr; ///< `frames` samples
};
void mix(std::span<const MixJob> jobs, int frames);

/// From what came in to what an effect made of it, in place, by a share that begins at `share` and moves by `step` a
/// sample.
void crossfade(const Row& dry, float share, float step, Row& wet);

} // namespace facet::kernels
