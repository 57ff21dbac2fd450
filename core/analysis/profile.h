// The profile: everything measured about one recording whose notes are known.
#pragma once

#include "core/analysis/facets/glide.h"
#include "core/analysis/facets/harmonics.h"
#include "core/analysis/facets/inharmonicity.h"
#include "core/analysis/facets/level.h"
#include "core/analysis/facets/motion.h"
#include "core/analysis/facets/noise.h"
#include "core/analysis/facets/space.h"
#include "core/analysis/series/track.h"
#include "core/analysis/facets/width.h"
#include "core/audio/attention.h"
#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/performance/performance.h"

#include <memory>
#include <string>
#include <vector>

namespace facet {

/// Grows whenever a measurement changes; part of every cache key.
inline constexpr int analysisVersion = 7;

/// Partials whose decay is followed.
inline constexpr int decayingPartials = 8;

/// What was measured of one note. Anything may be notMeasurable.
struct NoteProfile {
    Note note;
    double f0Hz = notMeasurable;        ///< of the steady part
    double cents = notMeasurable;       ///< f0 against the note in the recording's tuning
    double pitchConfidence = 0.0;       ///< 0 … 1: how periodic the note is
    double subOctaveDb = notMeasurable; ///< see measureSubOctave()
    Inharmonicity inharmonicity;
    Glide glide;                         ///< from the note before, where the two are joined
    double sweepCents = notMeasurable;   ///< pitch at the onset re the steady pitch, when it falls or rises into it
    double sweepSeconds = notMeasurable; ///< until 63 % of the sweep is done
    LevelFit level;               ///< behind a gate or deep tremolo: of the highest level within each of its cycles
    Partials partials{};          ///< in dB, mean power over the note
    Partials brightestPartials{}; ///< at the moment with the highest centroid
    /// Slope of each of the lowest partials in dB per second from its loudest on; notMeasurable where it is heard too
    /// shortly to measure.
    std::array<float, decayingPartials> partialSlopes{};
    double highestCutoffHz = notMeasurable; ///< effective cutoff at its highest
    double restingCutoffHz = notMeasurable; ///< effective cutoff where the note comes to rest
    double closingTime = notMeasurable;     ///< seconds from highest until 63 % of the way (in octaves) to rest
};

/// Shared between threads once made, never changed.
struct Profile {
    double seconds = 0.0;
    double loudness = 0.0; ///< activeLoudness(), LUFS
    double tuningCents = 0.0;
    int channelCount = 1;

    // Pitch
    Track pitchHz;
    Track pitchCents; ///< against the sounding note
    // Level
    Track levelDb; ///< steps of 1 ms
    // Harmonics
    Partials partials{}; ///< mean power over all notes, dB re the strongest
    SourceFit source;    ///< nearest textbook waveform behind a low-pass
    HarmonicBalance balance;
    // Brightness
    Track centroidHz;
    Track rolloffHz;                         ///< 95 % of the power lies below
    Track cutoffHz;                          ///< effective cutoff: −6 dB re the source's own spectrum
    Track resonanceDb;                       ///< height of the filter's peak above its pass band
    Track filterSlope;                       ///< dB per octave above the cutoff, negative
    CutoffFit filter;                        ///< slope and resonance where the filter is seen best
    double keyTracking = notMeasurable;      ///< octaves of cutoff per octave of the key
    double velocityToCutoff = notMeasurable; ///< octaves of cutoff per 10 dB of level

    NoiseProfile noise;
    MotionProfile motion;
    WidthProfile width;
    SpaceProfile space;

    std::vector<NoteProfile> notes;
};
using ProfilePtr = std::shared_ptr<const Profile>;

/// What of a recording is measured, and on how many threads.
struct ProfileSettings {
    /// Measure the cutoff against this source instead of guessing one: of a render, the reference's.
    const SourceFit* source = nullptr;
    int threads = 1;
};

/// A performance with those notes only that sound for at least half their length outside the times left out.
Performance attendedNotes(const Performance& performance, const std::vector<TimeSpan>& leftOut);

/// Confidence from 0 to 1 in what a fit says that leaves a mean deviation: 1 for none, 1/2 at `halfAtDb`.
double confidenceOf(double errorDb, double halfAtDb);
inline constexpr double levelHalfAtDb = 2.0;  ///< of a note's envelope
inline constexpr double sourceHalfAtDb = 4.0; ///< of waveform and filter

/// Measures a recording at any rate. Throws Cancelled.
Profile measureProfile(const Recording& recording, const Performance& performance, const ProfileSettings& settings = {},
                       const Task& task = {});

/// "saw", "pulse 25 %", …
std::string nameOf(const SourceFit& source);

} // namespace facet
