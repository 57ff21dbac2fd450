// A sound and its notes as frames of bands: what the summary of a sound is made from.
#pragma once

#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <array>
#include <complex>
#include <vector>

namespace facet {

inline constexpr int summaryBands = 32;      ///< mel-spaced, 40 Hz … 16 kHz
inline constexpr int summaryGroups = 8;      ///< of four such bands each
inline constexpr double summaryHop = 0.0125; ///< seconds from frame to frame

/// One frame, powers in decibels re the loudest frame's whole power, −80 at least.
struct SoundFrame {
    std::array<float, summaryBands> mid{};      ///< of half the sum of the sides
    std::array<float, summaryGroups> side{};    ///< of half their difference, re the middle's in the same group
    std::array<float, summaryGroups> balance{}; ///< left re right
    float level = -80.0f;                       ///< of both sides
    float centroid = 0.0f;                      ///< of the middle, octaves above 1 kHz
    float cents = 0.0f;                         ///< of the strongest partial re the note; 0 where none sounds alone
    bool pitched = false;                       ///< whether `cents` was measured
    bool sounds = false;                        ///< a key is held
};

/// Notes that begin together.
struct SoundMoment {
    double start = 0.0, end = 0.0, next = 0.0; ///< seconds: begin, end of the longest note, begin of the next moment
    double key = 60.0;                         ///< of the lowest note, with its cents
    double velocity = 100.0;                   ///< of the hardest
    int notes = 1;
    bool tied = false; ///< begins before the one before it ends
};

/// A sound cut into frames, and what is played.
struct SoundFrames {
    std::vector<SoundFrame> frames;
    std::vector<SoundMoment> moments;
    std::vector<float> mid; ///< samples at 48 kHz

    /// The frame at a time, the nearest there is.
    const SoundFrame& at(double seconds) const;
};

/// `sound48k` at 48 kHz, of one or two channels, with at least one note and one frame. Any thread.
SoundFrames soundFrames(const Recording& sound48k, const Performance& performance);

} // namespace facet
