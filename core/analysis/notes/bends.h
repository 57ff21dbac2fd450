// Pitch bends: what the pitch of held notes does beyond what a patch does to every note.
#pragma once

#include "core/analysis/series/track.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// Bends of single notes, in cents against the note: a note that has come to its pitch, leaves it by a third of a
/// semitone or more for at least 60 ms, and does so only once. A way into the pitch at the note's start (sweep, glide)
/// and periodic changes (vibrato) belong to the patch and are left to it. 0 between the notes that bend; empty when
/// none does.
std::vector<CurvePoint> findBends(const Track& pitchHz, const Performance& performance);

/// The whole course of the pitch within each note as a bend, whatever made it. Empty when no pitch can be followed.
std::vector<CurvePoint> pitchAsBends(const Track& pitchCents, const Performance& performance);

} // namespace facet
