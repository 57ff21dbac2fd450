// Stretches of one pitch, between places where notes may begin.
#pragma once

#include "core/analysis/notes/note_spans.h"
#include "core/analysis/notes/note_starts.h"

#include <vector>

namespace facet {

/// One span for each start that a pitch follows, in order; with `unclear` also for each other rise that sounds long
/// enough, its pitch notMeasurable and its `clear` 0. A start that leads to the next one without a pitch of its
/// own is a sweep into it. Spans in which a tracker hears the common part of two notes are joined to the later one.
std::vector<NoteSpan> spansBetween(const HeardSound& sound, const std::vector<NoteStart>& starts, bool unclear = false);

} // namespace facet
