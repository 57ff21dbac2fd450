// Where the notes of one sound end.
#pragma once

#include "core/analysis/series/track.h"

#include <vector>

namespace facet {

/// One note's end as found by itself.
struct NoteEnd {
    double seconds; ///< notMeasurable where it could not be determined
    double next;    ///< start of the next note or end of the recording
};

/// Where a note that stood at a level begins to fall from it: the line through its fall (of the amplitude, its root or
/// its logarithm, whichever is straightest, from 2.5 to 15 dB below) meets that level there. `end` and `next` as in
/// NoteEnd; `end` itself where the level did not stand for 0.2 s before, falls no six times faster than it did, not in
/// a line, by less than 8 dB before the next note or within 30 ms, where `end` is a sharp one already, or the knee lies
/// more than 0.45 s away. `level` in dB.
double kneeOf(double end, double start, double next, const Track& level);

/// Makes the ends agree. How long a sound takes to fall by 20 dB once its key is let go is its own, and the same for
/// all notes; beats, vibrato and decays move what each note's level says by itself. So the typical time of that fall
/// is taken for all, and every note ends as long before it has fallen. Ends that would move by more than 0.1 s, and
/// notes that do not fall so far before the next, are left as they are: their release may be another. `level` in dB.
void agreeOnEnds(std::vector<NoteEnd>& ends, const Track& level);

} // namespace facet
