// Softer repeats among notes: played, or an echo's?
#pragma once

#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// What of some notes an echo explains.
struct Repeats {
    double seconds = 0.0;  ///< from a note to its first repeat; 0: nothing repeats
    int count = 0;         ///< notes that are repeats
    double complete = 0.0; ///< share of the other notes that have a repeat, 0 … 1: an echo leaves none out
    double softer = 0.0;   ///< share of the notes so long after another of their key that are softer than it, 0 … 1
    double unevenDb = 0.0; ///< deviation of how much softer they are: an echo takes the same from all
    bool last = false;     ///< what is heard last is a repeat, as it is of an echo
    std::vector<Note> played{}; ///< the other notes

    bool found() const { return count > 0; }
    /// Natural logarithm of the odds that they are an echo's.
    double logOdds() const;
};

/// The repeat that explains most notes: of the same key, as much later, softer than the one before by 1 to 24 dB as
/// velocities say it.
Repeats repeatsAmong(const std::vector<Note>& notes);

} // namespace facet
