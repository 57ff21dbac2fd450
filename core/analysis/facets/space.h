// Echoes and reverberation heard after the notes.
#pragma once

#include "core/analysis/series/track.h"
#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/performance/performance.h"

#include <array>
#include <span>
#include <vector>

namespace facet {

/// Repeats of the notes, as a delay makes them.
struct Echo {
    double seconds = notMeasurable;    ///< from a note to its first repeat
    double levelDb = notMeasurable;    ///< first repeat re the note, on the louder side
    double feedbackDb = notMeasurable; ///< each further repeat re the one before; notMeasurable when none is heard
    double side = 0.0;                 ///< of the first repeat: −1 left … 1 right
    double secondSide = 0.0;           ///< of the second; opposite for ping-pong
    double confidence = 0.0;           ///< 0 … 1
    /// How strongly the notes' beginnings come again after each number of milliseconds, found or not, as a gain: two
    /// recordings that repeat alike do so here, though one echo may be told from chance in one of them only.
    std::vector<float> strengths{};
    /// The strongest within 3 ms of so many seconds; 0 where nothing was looked at.
    double strengthAt(double after) const;
    bool found() const { return isMeasured(seconds); }
};

/// One octave of a decay. Times for 60 dB, from the lines through 20 and 30 dB of it.
struct Decay {
    double centerHz = 0.0;
    double t20 = notMeasurable;
    double t30 = notMeasurable;
    double rangeDb = 0.0; ///< from the end of the note down to the noise
};

inline constexpr std::array<double, 7> decayBandHz{125, 250, 500, 1000, 2000, 4000, 8000};

/// What is heard after the notes.
struct SpaceProfile {
    Echo echo;
    std::vector<Decay> decays;          ///< one for each of decayBandHz
    double tailSeconds = notMeasurable; ///< T20 of the octaves from 500 Hz to 2 kHz, their median
    double tailDb = notMeasurable;      ///< the decay's level where the note ends, re the note
    double preDelay = notMeasurable;    ///< seconds from a short hit until its reverberation begins
    double gapSeconds = 0.0;            ///< silence after notes that this was read from
};

/// The echo of a recording at 48 kHz, as measureSpace() finds it. Throws Cancelled.
Echo findEcho(const Recording& recording48k, const Performance& performance, const Task& task = {});

/// Mono sound at 48 kHz with an echo taken out: the inverse of 1 + g z⁻ᵀ/(1 − f z⁻ᵀ), with the level g and the feedback
/// f near the measured ones that leave the least energy in the flattened spectrum. What is left of an echo lies some 15
/// dB lower than before.
std::vector<float> withoutEcho(std::span<const float> mono48k, const Echo& echo);

/// Measures a recording at 48 kHz whose notes are known. Echo: whitened cross-correlation of each note's beginning with
/// what follows, averaged over the notes; lags at which the same key is played again are left out for that note, so a
/// repeat is not taken for an echo, nor what a gate chops while a note is held. Decay: backward integration of the
/// squared octave band after the longest gap's note (M. R. Schroeder, "New method of measuring reverberation time",
/// JASA 37, 1965; ISO 3382-1:2009 for T20 and T30, −5 to −25 and −35 dB), truncated above the noise with the missing
/// energy of an exponential tail added. An ordinary release is part of a decay: only a tail that is slower than it says
/// something about a room. Throws Cancelled.
SpaceProfile measureSpace(const Recording& recording48k, const Performance& performance, const Task& task = {});

/// Seconds from the beginning of a short hit until its reverberation sets in: where the level, fallen by at least 8 dB
/// after the hit, rises again by as much and then only decays. notMeasurable when no note is short enough to leave such
/// a gap; an echo is not a reverberation. Mono sound at 48 kHz.
double measurePreDelay(std::span<const float> mono48k, const Performance& performance);

/// Backward integration of a squared band between two instants of sound at 48 kHz.
Decay decayBetween(std::span<const float> band, double from, double to);

} // namespace facet
