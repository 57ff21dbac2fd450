// Fundamental frequency of monophonic sound.
#pragma once

#include "core/analysis/series/track.h"
#include "core/audio/recording.h"
#include "core/base/task.h"

#include <span>

namespace facet {

/// Fundamental frequency over time.
struct PitchTrack {
    Track hz;           ///< notMeasurable where no pitch is found
    Track aperiodicity; ///< 0 periodic … 1 noise, at every step
};

/// Where a pitch is looked for.
struct PitchSettings {
    double lowestHz = 30.0;
    double highestHz = 4500.0;
    double stepSeconds = 0.005;
};

/// Tracks the fundamental of mono sound at 48 kHz. Candidates are the minima of the cumulative mean normalized
/// difference function (A. de Cheveigné, H. Kawahara, "YIN, a fundamental frequency estimator for speech
/// and music", JASA 111(4), 2002, eq. 8), refined by a parabola; the path through them is the cheapest by dynamic
/// programming (as in M. Mauch, S. Dixon, "pYIN", ICASSP 2014). Throws Cancelled.
PitchTrack trackPitch(std::span<const float> mono48k, const PitchSettings& settings = {}, const Task& task = {});

/// As many partials as refinePitch() looks at where a note sounds alone.
inline constexpr int allPartials = 12;

/// Fundamental in Hz around an instant, given a value within a quarter tone: from the phase advance of the
/// lowest partials between two windows 5 ms apart (J. L. Flanagan, R. M. Golden, "Phase vocoder", Bell Syst.
/// Tech. J. 45, 1966), each weighted by its power and its order. `partials`: the first so many
/// are looked at; in a chord only those that stand clear of other notes'. `rateHz`: of the sound, that of an analysis
/// or a simple part of it. notMeasurable outside the sound.
double refinePitch(std::span<const float> mono, double seconds, double approximateHz, int partials = allPartials,
                   double rateHz = analysisRateHz);

/// Fundamental in Hz of a note between two instants, by refinePitch() at the latest places that fit: a filter
/// that closes turns the phases of partials and so shifts them, less and less as it comes to rest.
/// notMeasurable when no place gives a value within 80 cents of the approximate one.
double restingPitch(std::span<const float> mono48k, double start, double end, double approximateHz,
                    int partials = allPartials);

} // namespace facet
