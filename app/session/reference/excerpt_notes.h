// Notes of an excerpt, found in its sound.
#pragma once

#include "core/base/task.h"
#include "core/project/excerpt.h"

namespace facet {

/// Fills in what can be heard in an excerpt: its notes, tuning and tempo, with the evidence; `noteProblem` says in a
/// sentence why there are none. Corrections stay. Any thread. Throws Error and Cancelled.
void findNotesOf(Excerpt& excerpt, const Task& task);

} // namespace facet
