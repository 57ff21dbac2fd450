// The same notes at a lower tempo.
#pragma once

#include "core/performance/performance.h"

namespace facet {

/// Everything happens `times` (≥ 1) as late and lasts as long: notes, bends, curves, beats. What is counted in
/// milliseconds in a patch keeps its time, so that fast envelopes can be heard apart from the phrase.
Performance slowed(const Performance& performance, double times);

} // namespace facet
