// What a note editor does to notes: pure functions on a list and a choice of it.
#pragma once

#include "core/performance/performance.h"

#include <set>
#include <vector>

namespace facet {

/// Indices into a list of notes.
using NoteChoice = std::set<int>;

/// One change: the note as it was and as it is; nothing as `from` adds one, nothing as `to` deletes it.
struct NoteChange {
    std::optional<Note> from;
    std::optional<Note> to;
    friend bool operator==(const NoteChange&, const NoteChange&) = default;
};

/// The shortest a note is made by editing, seconds.
inline constexpr double shortestNote = 0.005;

/// Times of beats and note values: where bar 1 begins, and how long a step is.
struct Grid {
    double tempo = 120.0;    ///< quarter notes per minute
    double downbeat = 0.0;   ///< seconds at which bar 1 begins
    int beatsPerBar = 4;     ///< quarter notes
    double stepBeats = 0.25; ///< of snapping, in quarter notes: 0.25 is a sixteenth

    double stepSeconds() const { return 60.0 / tempo * stepBeats; }
    double barSeconds() const { return 60.0 / tempo * beatsPerBar; }
    /// The nearest line of the grid.
    double nearest(double seconds) const;
};

/// Moved in time (together, none before 0) and pitch (together, none beyond the keyboard).
std::vector<NoteChange> moved(const std::vector<Note>& notes, const NoteChoice& chosen, double seconds, int semitones);
/// Start or end moved, each note staying at least shortestNote long.
std::vector<NoteChange> resized(const std::vector<Note>& notes, const NoteChoice& chosen, double startBy, double endBy);
/// Each chosen note that sounds at `seconds` becomes two; both keep pitch and velocity.
std::vector<NoteChange> split(const std::vector<Note>& notes, const NoteChoice& chosen, double seconds);
/// Chosen notes of one key become one from the first start to the last end, with the first's velocity.
std::vector<NoteChange> joined(const std::vector<Note>& notes, const NoteChoice& chosen);
std::vector<NoteChange> deleted(const std::vector<Note>& notes, const NoteChoice& chosen);
/// Velocities raised by an amount, kept in 1…127.
std::vector<NoteChange> louder(const std::vector<Note>& notes, const NoteChoice& chosen, double by);
/// Starts drawn to the grid by `share` (0…1) of the way, lengths kept.
std::vector<NoteChange> quantized(const std::vector<Note>& notes, const NoteChoice& chosen, const Grid& grid,
                                  double share = 1.0);

/// The list with the changes made, sorted.
std::vector<Note> changed(std::vector<Note> notes, const std::vector<NoteChange>& changes);

} // namespace facet
