// One value of a textbook wave, not band-limited.
#pragma once

#include "core/parameters/table.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

/// `place`: in the cycle, [0, 1). `width`: of a pulse, whose mean is taken off. `clip`: amplitude of a clipped sine
/// before it is clipped at 1. Zero for waves that are tables, noise or recordings.
inline float waveValue(Wave wave, double place, float width, float clip) {
    switch (wave) {
    case Wave::sine: return static_cast<float>(std::sin(2.0 * std::numbers::pi * place));
    case Wave::triangle: return static_cast<float>(place < 0.5 ? 4.0 * place - 1.0 : 3.0 - 4.0 * place);
    case Wave::saw: return static_cast<float>(2.0 * place - 1.0);
    case Wave::pulse: return (place < width ? 1.0f : -1.0f) - (2.0f * width - 1.0f);
    case Wave::clippedSine:
        return std::clamp(static_cast<float>(clip * std::sin(2.0 * std::numbers::pi * place)), -1.0f, 1.0f);
    default: return 0.0f;
    }
}

} // namespace facet
