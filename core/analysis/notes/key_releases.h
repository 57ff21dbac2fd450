// When keys were let go, as heard in one recording.
#pragma once

#include "core/analysis/notes/heard_sound.h"
#include "core/analysis/notes/note_ends.h"
#include "core/analysis/notes/note_spans.h"

#include <vector>

namespace facet {

/// When a key that was struck at `start` was let go, in seconds, by the level alone; notMeasurable where the level does
/// not show it. `next`: start of the next note. Throws Cancelled.
double gateOf(const HeardSound& sound, double start, double next);

/// Until when keys that were struck at `start` and let go before `next` are held, in seconds: as gateOf() says, or
/// where the level does not show it to where it has fallen 30 dB below its highest. Throws Cancelled.
double heldUntil(const HeardSound& sound, double start, double next);

/// The ends of all notes, which agree with each other, see agreeOnEnds(). Throws Cancelled.
std::vector<NoteEnd> endsOf(const HeardSound& sound, const std::vector<NoteSpan>& spans);

} // namespace facet
