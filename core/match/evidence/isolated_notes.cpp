#include "core/match/evidence/isolated_notes.h"

namespace facet {

IsolatedNote longestIsolatedNote(const Profile& profile, double end) {
    IsolatedNote longest;
    double most = 0.05; // seconds; shorter ones show nothing
    for (const NoteProfile& each : profile.notes) {
        double until = end;
        for (const NoteProfile& other : profile.notes)
            if (&other != &each && other.note.start >= each.note.end - 0.01) until = std::min(until, other.note.start);
        if (each.note.end - each.note.start <= most || !isIsolated(each, profile)) continue;
        most = each.note.end - each.note.start;
        longest = {&each, until};
    }
    return longest;
}

} // namespace facet
