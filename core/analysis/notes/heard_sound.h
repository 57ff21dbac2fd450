// A recording as notes are looked for in it: its level, its pitch, and what counts as sound.
#pragma once

#include "core/analysis/facets/pitch.h"
#include "core/analysis/series/track.h"
#include "core/base/task.h"

#include <span>

namespace facet {

inline constexpr double shortestFoundNote = 0.04; ///< seconds
inline constexpr double togetherWithin = 0.03;    ///< seconds within which notes begin as one chord
inline constexpr double chordRangeDb = 25.0;      ///< below the loudest an instant says nothing about chords

/// Mono sound at 48 kHz with its pitch and level tracks. Keeps references to the sound, the track and the task, which
/// must outlive it. Any thread.
struct HeardSound {
    HeardSound(std::span<const float> mono48k, const PitchTrack& track, const Task& work);

    std::span<const float> mono;
    const PitchTrack& pitch;
    const Task& task;
    double smoothing; ///< seconds over which `coarse` is smoothed: two cycles of the median pitch
    Track coarse;     ///< level in dB
    Track fine;       ///< the same, smoothed over 4 ms
    double loudest;   ///< dB
    double quietest;  ///< dB above which something sounds

    double seconds() const;
    bool sounds(double seconds) const { return coarse.at(seconds) > quietest; }
    /// Lowest level of a track between two instants, dB.
    float lowestBetween(const Track& track, double from, double to) const;
    /// Highest level between two instants, dB.
    float highestBetween(double from, double to) const;
    /// Whether the sound repeats exactly with a period of its own, as one harmonic tone does and tempered chords do
    /// not.
    bool repeatsAt(double seconds) const;
    /// Share of the loud instants in which a clear pitch is heard, 0 … 1.
    double pitchedShare() const;
};

} // namespace facet
