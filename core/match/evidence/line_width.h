// The width of spectral lines, from which the detuning of stacked voices follows.
#pragma once

#include "core/audio/recording.h"

namespace facet {

/// Standard deviation in cents of the power about partials 3 to 20 of a note at `hz`, less the width of the window; the
/// median over the partials that stand out by 12 dB. `start` and `end` in seconds. notMeasurable for notes
/// shorter than 0.3 s, and where fewer than three partials stand out. A second moment of a spectrum less that of its
/// window, ∫w′² / ∫w² (L. Cohen, "Time-Frequency Analysis", 1995, chapter 1).
double lineWidthCents(const Recording& recording, double start, double end, double hz);

/// Detuning in cents of the outermost of so many voices at equal distances whose lines are so wide.
double detuneFromLineWidth(double spreadCents, int voices);

} // namespace facet
