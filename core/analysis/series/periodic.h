// Periodic change of a measured quantity: vibrato, tremolo, a gate, a moving filter.
#pragma once

#include "core/analysis/series/track.h"
#include "core/performance/curve.h"

#include <span>
#include <vector>

namespace facet {

/// One cycle is kept in so many points.
inline constexpr int cyclePoints = 32;

/// A periodic change about a slow trend.
struct PeriodicChange {
    double rateHz = notMeasurable;
    double depth = 0.0;       ///< half of the peak-to-peak change, in the track's unit
    double phase = 0.0;       ///< of the fundamental where the track begins, in cycles; 0: rising through its middle
    double cycles = 0.0;      ///< seen
    double confidence = 0.0;  ///< share of the variance, after the slow trend, that the cycle explains (0 … 1)
    std::vector<float> cycle; ///< cyclePoints values about their mean, from the fundamental's rising middle on

    bool found() const { return isMeasured(rateHz); }
};

/// What counts as one.
struct PeriodicSettings {
    double lowestHz = 0.3;
    double highestHz = 30.0;
    double leastCycles = 3.0;
    double leastConfidence = 0.55;
};

/// Finds the strongest periodic change of values at equal steps; notMeasurable values are left out. A cubic trend is
/// fitted together with a sinusoid at each rate of a grid (least-squares spectral analysis: P. Vaníček, "Approximate
/// spectral analysis by least-squares fit", Astrophysics and Space Science 4, 1969), the best is refined, and the
/// cycle is the mean of all cycles. Nothing is found below leastCycles or leastConfidence.
PeriodicChange findPeriodicChange(std::span<const float> values, double stepSeconds,
                                  const PeriodicSettings& settings = {});

/// "sine", "triangle", "square", "rising saw", "falling saw", "pulse 25 %" (share of the cycle above its middle).
const char* nameOfCycle(const PeriodicChange& change);
/// One cycle as few breakpoints: place in the cycle from 0 to 1 against the value about its mean, in the track's unit.
std::vector<CurvePoint> breakpointsOf(const PeriodicChange& change);
/// Rate in Hz over time in seconds, from the times at which values rise through the middle between their extremes,
/// where at least four such rises follow each other with no two neighboring distances more than a third apart; empty
/// otherwise. Steady or not: it follows a rate that changes, which findPeriodicChange() does not.
std::vector<CurvePoint> rateOverTime(std::span<const float> values, double stepSeconds);

/// Share of the cycle in which it is above the middle between its extremes.
double dutyOf(const PeriodicChange& change);

} // namespace facet
