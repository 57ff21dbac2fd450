// Sample-rate conversion.
#pragma once

#include <span>
#include <vector>

namespace facet {

/// Converts one channel with soxr's very-high-quality recipe (linear phase, no delay). The result has
/// round(size × to / from) samples, or exactly `frames` when that is given (≥ 0). Equal rates copy.
std::vector<float> resample(std::span<const float> input, int fromHz, int toHz, int frames = -1);

} // namespace facet
