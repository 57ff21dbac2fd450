// Bursts of the same keys: struck again, or held behind a gate?
#pragma once

#include "core/analysis/notes/heard_sound.h"
#include "core/performance/performance.h"

#include <span>
#include <string>
#include <vector>

namespace facet {

/// A run of bursts of the same keys, and what they show.
struct BurstRun {
    std::size_t first = 0; ///< of the notes
    std::size_t count = 0;
    double rateHz = 0.0; ///< in the mean
    bool even = true;    ///< in time: steps of a whole number of the shortest
    int bursts = 0;
    /// How well the phases of the fundamentals lie on one line, 0 … 1, as they do when the oscillators run on and new
    /// notes do only by chance (Rayleigh's test: the mean resultant length of n random phases exceeds 0.9 with
    /// probability below e^(−0.81 n)).
    double coherence = 0.0;
    /// Whether notes that all begin at the same phase would lie on that line too.
    bool likeRestarts = false;
    /// ln of how much the spectrum differs from the end of a burst to the beginning of the next, against from beginning
    /// to beginning: above 0 where each burst begins anew.
    double restart = 0.0;
    double unevenDb = 0.0; ///< how much the bursts' levels differ from a smooth course
    /// Natural logarithm of the odds that the keys were held.
    double logOdds() const;
    /// For people: what was heard.
    std::string words(const std::vector<Note>& notes) const;
};

/// Runs of at least four bursts of the same keys, at an even distance or at any, as a gate with a rhythm, or a strong
/// tremolo of voices that beat, makes them; beside such a run one of three bursts counts too. Throws Cancelled.
std::vector<BurstRun> burstRunsOf(const HeardSound& sound, const std::vector<Note>& notes, double tuningCents);

/// Each run as one note per key, held from its first burst to its last.
std::vector<Note> held(const std::vector<Note>& notes, std::span<const BurstRun> runs);

} // namespace facet
