// The tuning of a recording against A4 = 440 Hz.
#pragma once

#include "core/analysis/notes/note_spans.h"
#include "core/performance/performance.h"

#include <cmath>
#include <span>
#include <vector>

namespace facet {

/// What fractional keys agree on.
struct Tuning {
    double heard = 0.0; ///< cents: the median of their deviations from whole keys, weighted by the squares of lengths
    double doubt = 0.0; ///< cents within which it is not known
    /// What is taken for the recording's tuning: 0 where that is within the doubt; then what is heard is for the patch
    /// to explain, by the tuning of its sources.
    double cents() const { return std::abs(heard) < doubt ? 0.0 : heard; }
};

/// `pitches` are the exact keys of the spans; both of one length ≥ 1.
Tuning tuningOf(const std::vector<NoteSpan>& spans, const std::vector<double>& pitches);

/// Tuning of a recording in cents, in (−50, 50], when its notes are known but not how they were tuned: what the
/// longest of them agree on. 0 when none can be measured, or it is within the doubt.
double tuningAgainst(std::span<const float> mono48k, const Performance& performance);

} // namespace facet
