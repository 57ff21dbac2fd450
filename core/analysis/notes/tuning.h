// The tuning of a recording against A4 = 440 Hz.
#pragma once

#include "core/analysis/notes/note_spans.h"
#include "core/performance/performance.h"

#include <span>
#include <vector>

namespace facet {

/// The tuning in cents that fractional keys agree on: the median of their deviations from whole keys, weighted by the
/// squares of their spans' lengths. `pitches` are the exact keys of the spans; both of one length ≥ 1.
double tuningOf(const std::vector<NoteSpan>& spans, const std::vector<double>& pitches);

/// Tuning of a recording in cents, in (−50, 50], when its notes are known but not how they were tuned: what the
/// longest of them agree on. 0 when none can be measured.
double tuningAgainst(std::span<const float> mono48k, const Performance& performance);

} // namespace facet
