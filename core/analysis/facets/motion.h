// Periodic change of pitch, level and brightness, and the beating of detuned voices.
#pragma once

#include "core/analysis/facets/step_pattern.h"
#include "core/analysis/series/periodic.h"
#include "core/base/task.h"
#include "core/performance/performance.h"

#include <span>
#include <vector>

namespace facet {

/// What moves, and how far a step of it is easily heard.
struct NamedMotion {
    const PeriodicChange& change;
    const char* name; ///< "vibrato", "tremolo", "filter movement"
    const char* unit; ///< of its depth
};

/// Phases count from the beginning of the note in which a change was found.
struct MotionProfile {
    PeriodicChange vibrato;                ///< of the pitch, in cents
    double vibratoOnset = notMeasurable;   ///< seconds from the note's start until it moves
    PeriodicChange tremolo;                ///< of the amplitude, share of its mean
    double tremoloDepthDb = notMeasurable; ///< from the loudest to the softest of a cycle
    std::vector<CurvePoint> tremoloRate;   ///< Hz over seconds of the recording; also where the rate changes
    StepPattern switched;                  ///< of a gate with a rhythm
    PeriodicChange filter;                 ///< of the effective cutoff, in octaves
    double driftCents = notMeasurable;     ///< standard deviation of the pitch below 1 Hz, vibrato taken out
    double detuneCents = notMeasurable;    ///< distance of two voices that beat
    double detuneConfidence = 0.0;         ///< share of the partials' change that beating explains
    int noteCount = 0;                     ///< notes long enough to measure

    /// The motion that is heard most; its change is not found() when nothing moves.
    NamedMotion strongest() const;
};

/// Tracks as in Profile. The two longest notes are looked at. Throws Cancelled.
MotionProfile measureMotion(std::span<const float> mono48k, const Performance& performance,
                            const std::vector<double>& f0Hz, const Track& pitchCents, const Track& levelDb,
                            double levelSmoothing, const Track& cutoffHz, const Task& task = {});

/// Depth of a tremolo (a change of the amplitude about a mean of 1) in dB, from its loudest to its softest; 60 at most.
double tremoloDb(const PeriodicChange& tremolo);

/// Note value nearest to a rate at a tempo, for example "1/8 dotted"; empty when none is within 2 %.
const char* nearestNoteValue(double rateHz, double beatsPerMinute);

} // namespace facet
