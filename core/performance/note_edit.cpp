#include "core/performance/note_edit.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace facet {

namespace {

/// A change for each chosen note that `edit` alters; indices outside the list are left alone.
template <typename F> std::vector<NoteChange> each(const std::vector<Note>& notes, const NoteChoice& chosen, F&& edit) {
    std::vector<NoteChange> changes;
    for (const int i : chosen) {
        if (i < 0 || i >= static_cast<int>(notes.size())) continue;
        const Note& from = notes[static_cast<std::size_t>(i)];
        Note to = from;
        edit(to);
        if (!(to == from)) changes.push_back({from, to});
    }
    return changes;
}

} // namespace

double Grid::nearest(double seconds) const {
    return downbeat + std::round((seconds - downbeat) / stepSeconds()) * stepSeconds();
}

std::vector<NoteChange> moved(const std::vector<Note>& notes, const NoteChoice& chosen, double seconds, int semitones) {
    each(notes, chosen, [&](const Note& note) {
        seconds = std::max(seconds, -note.start);
        semitones = std::clamp(semitones, -note.key, 127 - note.key);
    });
    return each(notes, chosen, [&](Note& note) {
        note.start += seconds;
        note.end += seconds;
        note.key += semitones;
    });
}

std::vector<NoteChange> resized(const std::vector<Note>& notes, const NoteChoice& chosen, double startBy,
                                double endBy) {
    return each(notes, chosen, [&](Note& note) {
        note.start = std::clamp(note.start + startBy, 0.0, std::max(0.0, note.end - shortestNote));
        note.end = std::max(note.start + shortestNote, note.end + endBy);
    });
}

std::vector<NoteChange> split(const std::vector<Note>& notes, const NoteChoice& chosen, double seconds) {
    std::vector<NoteChange> changes;
    for (const int i : chosen) {
        if (i < 0 || i >= static_cast<int>(notes.size())) continue;
        const Note& from = notes[static_cast<std::size_t>(i)];
        if (seconds < from.start + shortestNote || seconds > from.end - shortestNote) continue;
        Note first = from;
        Note second = from;
        first.end = second.start = seconds;
        changes.push_back({from, first});
        changes.push_back({std::nullopt, second});
    }
    return changes;
}

std::vector<NoteChange> joined(const std::vector<Note>& notes, const NoteChoice& chosen) {
    std::map<int, std::vector<Note>> byKey;
    for (const int i : chosen)
        if (i >= 0 && i < static_cast<int>(notes.size()))
            byKey[notes[static_cast<std::size_t>(i)].key].push_back(notes[static_cast<std::size_t>(i)]);
    std::vector<NoteChange> changes;
    for (auto& [key, together] : byKey) {
        if (together.size() < 2) continue;
        std::stable_sort(together.begin(), together.end(),
                         [](const Note& a, const Note& b) { return a.start < b.start; });
        Note whole = together.front();
        for (const Note& note : together) whole.end = std::max(whole.end, note.end);
        changes.push_back({together.front(), whole});
        for (std::size_t i = 1; i < together.size(); ++i) changes.push_back({together[i], std::nullopt});
    }
    return changes;
}

std::vector<NoteChange> deleted(const std::vector<Note>& notes, const NoteChoice& chosen) {
    std::vector<NoteChange> changes;
    for (const int i : chosen)
        if (i >= 0 && i < static_cast<int>(notes.size()))
            changes.push_back({notes[static_cast<std::size_t>(i)], std::nullopt});
    return changes;
}

std::vector<NoteChange> louder(const std::vector<Note>& notes, const NoteChoice& chosen, double by) {
    return each(notes, chosen, [&](Note& note) { note.velocity = std::clamp(note.velocity + by, 1.0, 127.0); });
}

std::vector<NoteChange> quantized(const std::vector<Note>& notes, const NoteChoice& chosen, const Grid& grid,
                                  double share) {
    return each(notes, chosen, [&](Note& note) {
        const double by = std::max(share * (grid.nearest(note.start) - note.start), -note.start);
        note.start += by;
        note.end += by;
    });
}

std::vector<Note> changed(std::vector<Note> notes, const std::vector<NoteChange>& changes) {
    for (const NoteChange& change : changes) {
        const auto found = change.from ? std::find(notes.begin(), notes.end(), *change.from) : notes.end();
        if (found != notes.end()) notes.erase(found);
        if (change.to) notes.push_back(*change.to);
    }
    Performance sorted;
    sorted.notes = std::move(notes);
    sorted.normalize();
    return sorted.notes;
}

} // namespace facet
