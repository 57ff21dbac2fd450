// The tempo that the starts of notes agree on.
#pragma once

#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// Tempo of notes, and how well they lie on its grid.
struct TempoEstimate {
    double beatsPerMinute = 0.0;
    double confidence = 0.0; ///< how well the starts lie on sixteenths of it (0 … 1); 0 when fewer than four starts
};

/// Looks for the tempo from 60 to 180 quarter notes a minute on whose sixteenths, eighths and quarters the starts lie
/// best (circular mean of their phases, as in Rayleigh's test). Between tempos that differ by simple ratios the starts
/// cannot decide: the one nearest to 110 is preferred (common practice, no source).
TempoEstimate estimateTempo(const std::vector<Note>& notes);

} // namespace facet
