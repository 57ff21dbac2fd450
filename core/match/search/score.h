// The score: a patch compared with the references as people see it, over several seeds.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/attention.h"
#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/compare/comparison.h"
#include "core/prior/element_odds.h"
#include "core/match/search/match_settings.h"
#include "core/match/targets/prepared_target.h"
#include "core/parameters/elements.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <vector>

namespace facet {

/// A patch with its score.
struct ScoredPatch {
    Patch patch{};
    double loss = 0.0;                 ///< mean over the seeds, dB
    double likeness = 0.0;             ///< mean over the seeds, 0 … 100
    double floor = 100.0;              ///< likeness between two renders of this patch with different seeds
    Comparison comparison{};           ///< with the performance's own seed
    std::vector<double> facetFloors{}; ///< the same floor per facet of `comparison`
    std::size_t reading = 0;           ///< of the first target that it plays, see MatchTarget::readings
};

/// What a score attends to and weighs.
struct ScoreSettings {
    Attention attention{};
    FacetWeights weights = equalWeights;
    int threads = 2;
};

/// `patch` with its output level set so that its render is as loud as the reference, in what is attended to.
Patch withSolvedGain(const Patch& patch, const Recording& reference48k, const Performance& performance,
                     const Attention& attention = {});

/// The score over `seeds` ≥ 1 seeds beginning with the performance's own; `profile` is of what is attended to of the
/// reference. The same on any number of threads. Throws Error for a render that cannot be measured, and Cancelled.
ScoredPatch score(const Patch& patch, const Recording& reference48k, const Profile& profile,
                  const Performance& performance, int seeds, const Task& task = {}, const ScoreSettings& settings = {});

/// The score over all targets with the output's level solved, unless it is locked: loss, likeness and floors are
/// weighted means, the comparison is with the first.
ScoredPatch scoreAll(const Patch& patch, const std::vector<PreparedTarget>& targets, int seeds,
                     const MatchSettings& settings);

/// Likeness that an element must bring: 0.7 for common ones, 1.5 for rare ones and those that most often make up for
/// something else, 3 for partials and responses, 8 for cycles
/// that were taken from the recording, which nobody could set on another synthesizer. Chosen by hand, on the tuning
/// half of the sounds of known making.
double priceOf(Element element);
/// The same less what is known of it: so much for each factor e of its odds, of which e³ either way counts at most.
inline constexpr double perLogOdds = 1.0, mostLogOdds = 3.0;
/// Below 0 where an element is likelier than it costs: see HeardCredits.
double balanceOf(Element element, const ElementOdds& odds);
/// At least 0: what is likely costs nothing.
double priceOf(Element element, const ElementOdds& odds);
/// What the elements cost that a patch has beyond the start patch.
double storyCost(const Patch& patch, const Patch& start, const ElementOdds& odds = {});

/// By what structures are chosen: likeness less 6 for each decibel of loss (which sees what no facet does) and less the
/// story's cost.
inline constexpr double worthPerDb = 6.0;
double worthOf(const Patch& patch, double likeness, double loss, const Patch& start, const ElementOdds& odds = {});

} // namespace facet
