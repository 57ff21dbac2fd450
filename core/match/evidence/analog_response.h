// How a filter of a kind passes each frequency, by its analog prototype.
#pragma once

#include "core/parameters/table.h"

namespace facet {

struct AnalogResponse {
    FilterKind kind = FilterKind::lowPass;
    FilterSlope slope = FilterSlope::twoPole;
    double resonanceDb = -3.0; ///< gain at the cutoff

    /// dB at so many octaves above the cutoff, at least −100 (the ladder, four poles in a loop: T. Stilson, J. Smith,
    /// ICMC 1996).
    double gainDb(double octaves) const;
};

} // namespace facet
