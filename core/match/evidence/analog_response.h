// How a filter of a kind passes each frequency, by its analog prototype.
#pragma once

#include "core/parameters/table.h"

namespace facet {

struct AnalogResponse {
    FilterKind kind = FilterKind::lowPass;
    FilterSlope slope = FilterSlope::twoPole;
    double resonanceDb = -3.0; ///< gain at the cutoff
    double second = 0.0;       ///< octaves above, a like low-pass beside it: formants of two peaks; 0: alone

    /// dB at so many octaves above the cutoff, at least −100 (the ladder, four poles in a loop: T. Stilson, J. Smith,
    /// ICMC 1996).
    double gainDb(double octaves) const;
};

/// Octaves between the two filters of formants that are looked for.
inline constexpr double formantDistances[] = {0.6, 0.9, 1.25, 1.65, 2.1};

} // namespace facet
