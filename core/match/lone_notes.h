// Notes that no other sounds with: what is measured of them is theirs alone.
#pragma once

#include "core/analysis/profile.h"

#include <algorithm>

namespace facet {

/// Whether no other note of the profile overlaps one of them by more than 10 ms.
inline bool soundsAlone(const NoteProfile& note, const Profile& profile) {
    constexpr double touches = 0.01; // seconds
    return std::none_of(profile.notes.begin(), profile.notes.end(), [&](const NoteProfile& other) {
        return &other != &note && other.note.start < note.note.end - touches &&
               other.note.end > note.note.start + touches;
    });
}

} // namespace facet
