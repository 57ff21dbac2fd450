// How far the notes of a phrase differ from each other.
#pragma once

#include "core/performance/performance.h"

#include <algorithm>

namespace facet {

/// The range of keys and velocities. A phrase whose notes differ by less than these limits says nothing about what
/// follows the key or the velocity; both limits were chosen by trial on the demo cues.
class NoteSpread {
public:
    static constexpr double leastKeys = 3.0;       ///< semitones
    static constexpr double leastVelocities = 5.0; ///< of 127

    void add(const Note& note) {
        lowestKey_ = std::min(lowestKey_, 1.0 * note.key);
        highestKey_ = std::max(highestKey_, 1.0 * note.key);
        softest_ = std::min(softest_, note.velocity);
        hardest_ = std::max(hardest_, note.velocity);
    }
    bool tellsKeyTracking() const { return highestKey_ - lowestKey_ >= leastKeys; }
    bool tellsVelocityResponse() const { return hardest_ - softest_ >= leastVelocities; }
    /// Between the softest and the hardest note, 0 … 127.
    double middleVelocity() const { return 0.5 * (softest_ + hardest_); }

private:
    double lowestKey_ = 128.0, highestKey_ = 0.0;
    double softest_ = 128.0, hardest_ = 0.0;
};

} // namespace facet
