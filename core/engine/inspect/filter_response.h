// What a filter does to the level of each frequency, by formula.
#pragma once

#include "core/engine/kernels/filter_kernels.h"

namespace facet {

/// Gain in dB at `hz` of a filter as it stands at `targets` (drive aside: small signals do not saturate), at a sampling
/// rate. The transfer functions of the kernels' sections under the bilinear transform: see filter_kernels.h for their
/// sources. Any thread.
double filterGainDb(const kernels::FilterStructure& structure, const kernels::FilterTargets& targets, double hz,
                    double rateHz);

} // namespace facet
