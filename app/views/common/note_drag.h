// Dragging chosen notes in time and pitch, or their ends; the same on the ruler and in the note editor.
#pragma once

#include "core/performance/note_edit.h"

#include <vector>

namespace facet {

/// A drag that has begun. It is a value: the changes it asks for are computed from where it began and where the pointer
/// is.
struct NoteDrag {
    enum class Kind { move, start, end };
    Kind kind = Kind::move;
    std::vector<Note> notes; ///< as they were
    NoteChoice chosen;
    int grabbed = 0;
    double fromSeconds = 0.0;
    int fromKey = 60;

    /// What has changed when the pointer is at a time and key; with a grid the grabbed edge goes to its lines.
    std::vector<NoteChange> changesAt(double seconds, int key, const Grid* grid) const {
        const Note& held = notes[static_cast<std::size_t>(grabbed)];
        double by = seconds - fromSeconds;
        const double edge = kind == Kind::end ? held.end : held.start;
        if (grid) by = grid->nearest(edge + by) - edge;
        switch (kind) {
        case Kind::start: return resized(notes, chosen, by, 0.0);
        case Kind::end: return resized(notes, chosen, 0.0, by);
        case Kind::move: break;
        }
        return moved(notes, chosen, by, key - fromKey);
    }
};

} // namespace facet
