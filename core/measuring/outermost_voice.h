// How far detuned voices lie apart, by how wide they make the partials of a note.
#pragma once

#include "core/audio/recording.h"

namespace facet {

/// Distance in cents of the outermost of several detuned voices from their middle, in the part of a note between two
/// times in seconds; `f0Hz` to a third of a semitone. Each partial is as many lines as there are voices: the outermost
/// that stand within 14 dB of the strongest are taken, of partials high enough to part them and low enough not to run
/// into each other. 0 for one voice; not a number where the part is shorter than a quarter of a second.
double outermostVoiceCents(const Recording& note, double from, double until, double f0Hz);

} // namespace facet
