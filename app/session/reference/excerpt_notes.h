// Notes of an excerpt, found in its sound.
#pragma once

#include "core/base/task.h"
#include "core/project/excerpt.h"

namespace facet {

/// Fills in what can be heard in an excerpt: its readings, and notes, tuning and tempo of the likeliest with the
/// evidence; `noteProblem` says in a sentence why there are none. Corrections stay. Any thread. Throws Error and
/// Cancelled.
void findNotesOf(Excerpt& excerpt, const Task& task);

} // namespace facet
