// Notes that sound alone, so that what is measured then belongs to them.
#pragma once

#include "core/analysis/profile.h"

#include <algorithm>

namespace facet {

/// Whether no other note of the profile overlaps one of them by more than 10 ms.
inline bool isIsolated(const NoteProfile& note, const Profile& profile) {
    constexpr double touches = 0.01; // seconds
    return std::none_of(profile.notes.begin(), profile.notes.end(), [&](const NoteProfile& other) {
        return &other != &note && other.note.start < note.note.end - touches &&
               other.note.end > note.note.start + touches;
    });
}

/// The longest isolated note, and until when no other note follows it.
struct IsolatedNote {
    const NoteProfile* note = nullptr; ///< of the profile it was looked for in; null: none is longer than 50 ms
    double until = 0.0;                ///< seconds
};
/// `end`: of the recording, seconds.
IsolatedNote longestIsolatedNote(const Profile& profile, double end);

} // namespace facet
