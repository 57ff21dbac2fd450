// How wide the lines of a note's spectrum are: voices that are out of tune with each other stand side by side in each.
#pragma once

#include "core/audio/recording.h"

namespace facet {

/// Standard deviation in cents of the power about the partials 3 to 20 of a note at `hz`, without what the window
/// itself spreads; the median of those that stand out by 12 dB. `start` and `end` in seconds. notMeasurable for notes
/// shorter than 0.3 s, and where fewer than three partials stand out. A second moment of a spectrum less that of its
/// window, ∫w′² / ∫w² (L. Cohen, "Time-Frequency Analysis", 1995, chapter 1).
double lineSpreadCents(const Recording& recording, double start, double end, double hz);

/// Detuning in cents of the outermost of so many voices at equal distances whose lines spread so far.
double detuneFromSpread(double spreadCents, int voices);

} // namespace facet
