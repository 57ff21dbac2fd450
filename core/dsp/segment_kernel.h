// The bend of segments for sixteen numbers at once, on whatever instruction set there is.
#pragma once

namespace facet {

/// x ← (e^(−bend x) − 1) · scale for sixteen numbers, by exponential(): the same bits on every instruction set.
void bendSixteen(double* x, double bend, double scale);

} // namespace facet
