// The frequency ratio of two sources, where the partials of a note are no multiples of its pitch.
#pragma once

#include "core/audio/recording.h"

#include <vector>

namespace facet {

/// A second source, and its relation to the first, which sounds at the note's pitch.
struct SourceRatio {
    enum class Relation {
        interval,        ///< both are heard: the multiples of either
        phaseModulation, ///< lines at 1 ± k times the ratio (J. Chowning, J. Audio Eng. Soc. 21(7), 1973)
        ringModulation   ///< lines at 1 ± the ratio: the sum and the difference
    };
    Relation relation = Relation::interval;
    int semitones = 0;       ///< beside: from the note's pitch, −24…24
    int over = 1, under = 1; ///< else: the ratio as a fraction, 1…32 over 1…8
    double cents = 0.0;      ///< else: what the ratio is more than that, −50…50
    double agreement = 0.0;  ///< of the predicted lines with those that are heard, 0 … 1
};

/// The relations that explain the lines of a note best, most likely first, at most one of each kind; none where all
/// lines that stand out within 27 dB of the strongest are multiples of its pitch `hz`, or the note is shorter than
/// eight of its periods. `start` and `end` in seconds. One spectrum over the note but for its first 30 ms
/// (Blackman–Harris window), its peaks by parabola; ratios are tried at every semitone and at every difference between
/// peaks and the pitch.
std::vector<SourceRatio> sourceRatiosOf(const Recording& recording, double start, double end, double hz);

} // namespace facet
