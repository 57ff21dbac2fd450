// One value of a textbook wave, not band-limited.
#pragma once

#include "core/parameters/table.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

/// sin(2π c) of a place in cycles, [0, 1): Taylor's series about 0 up to the eleventh power over a quarter of a cycle
/// (error below 1e-7). A fifth of the time of the library's, and operators that move themselves wait for each value.
inline float sineOfPlace(double place) {
    const auto centered = static_cast<float>(place < 0.5 ? place : place - 1.0); // [−½, ½)
    const float distance = std::abs(centered);
    const float quarter = 0.25f - std::abs(distance - 0.25f); // [0, ¼]
    const float x = 2.0f * std::numbers::pi_v<float> * quarter, square = x * x;
    const float sine =
        x * (1.0f + square * (-1.0f / 6.0f +
                              square * (1.0f / 120.0f +
                                        square * (-1.0f / 5040.0f +
                                                  square * (1.0f / 362880.0f - square * (1.0f / 39916800.0f))))));
    return std::copysign(sine, centered);
}

/// `place`: in the cycle, [0, 1). `width`: of a pulse, whose mean is taken off. `clip`: amplitude of a clipped sine
/// before it is clipped at 1. Zero for waves that are tables, noise or recordings.
inline float waveValue(Wave wave, double place, float width, float clip) {
    switch (wave) {
    case Wave::sine: return sineOfPlace(place);
    case Wave::triangle: return static_cast<float>(place < 0.5 ? 4.0 * place - 1.0 : 3.0 - 4.0 * place);
    case Wave::saw: return static_cast<float>(2.0 * place - 1.0);
    case Wave::pulse: return (place < width ? 1.0f : -1.0f) - (2.0f * width - 1.0f);
    case Wave::clippedSine: return std::clamp(clip * sineOfPlace(place), -1.0f, 1.0f);
    default: return 0.0f;
    }
}

} // namespace facet
