// A level that is switched in equal steps while notes are held: a gate with a rhythm.
#pragma once

#include "core/analysis/series/track.h"
#include "core/performance/performance.h"

#include <span>
#include <vector>

namespace facet {

/// Steps of equal length, each with its share of the full amplitude.
struct StepPattern {
    double stepSeconds = notMeasurable;
    double begin = 0.0;         ///< seconds at which a first step begins
    std::vector<double> levels; ///< of the steps of one round, 0 … 1; as many as repeat, 32 at most
    bool found() const { return isMeasured(stepSeconds); }
};

/// Looks for the grid on whose lines the level changes abruptly inside of notes, up and down, more than elsewhere, and
/// measures the levels between them. Nothing is found with fewer than six lines, or where changes on them are less than
/// twice the usual.
StepPattern findStepPattern(std::span<const float> mono48k, const Performance& performance);

/// The same in a level in dB that all bands have in common (BandLevels), of sounds whose voices beat: the grid between
/// whose lines the level hardly moves for how many steps it has, by the Bayesian information criterion (G. Schwarz,
/// "Estimating the dimension of a model", Annals of Statistics 6, 1978). Nothing is found where the level moves by
/// less than 5 dB, or where steps explain less than 0.85 of its variance.
StepPattern findStepPattern(const Track& levelDb, const Performance& performance);

} // namespace facet
