// Times of a patch in note values of a tempo.
#pragma once

#include "core/parameters/patch.h"

#include <functional>

namespace facet {

/// The patch with repeats and movements of levels timed in notes where their time in seconds is that of a note value
/// between a 64th and a bar to within 1.5 %, as a producer would have set them. Others, what a link moves, and what
/// `mayChange` refuses stay as they are. `tempo`: quarter notes per minute.
Patch timedInNotes(Patch patch, double tempo,
                   const std::function<bool(const Address&)>& mayChange = [](const Address&) { return true; });

} // namespace facet
