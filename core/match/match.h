// The search: from a reference and its notes to a patch whose render sounds alike.
#pragma once

#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/match/optimize/certainty.h"
#include "core/match/search/match_progress.h"
#include "core/match/search/match_settings.h"
#include "core/match/search/reading_trials.h"
#include "core/match/search/score.h"
#include "core/match/search/stage_times.h"
#include "core/match/shortfall.h"
#include "core/match/targets/match_target.h"
#include "core/performance/performance.h"

#include <map>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// What a search found.
struct MatchResult {
    ScoredPatch best;
    ScoredPatch before;                 ///< the start patch
    std::vector<ScoredPatch> runnersUp; ///< best of other structures, best first
    Performance performance;            ///< of the first target as it was read, with its curves
    /// Of each target: parameters that move in its phrase, which no constant explains; see curves.h.
    std::vector<std::vector<Curve>> curves;
    std::shared_ptr<const Instrument> instrument{}; ///< that the search kept to; null: to none
    int evaluations = 0;
    double seconds = 0.0;
    std::vector<StageTime> stages;  ///< where they went
    bool complete = true;           ///< false: stopped before it came to rest
    std::vector<KnownRange> ranges; ///< of the best patch's parameters; empty when it was stopped or late
    /// Parameters of the best patch that no target determines, with one pitch or in mono: left as they were.
    std::vector<Address> unidentifiable;
    std::vector<Shortfall> shortfalls; ///< facets of the first target in which the best stays unlike
    /// What the first target itself says of elements, in words (core/match/element_evidence.h), also of those that the
    /// best has not.
    std::map<Element, std::string> evidence;
    ElementOdds odds{}; ///< how likely they are in it
    /// How the readings of the first target fared in their trials, those that were tried; empty where one was certain.
    std::vector<ReadingTrial> readings;
};

/// Searches until nothing gains any more, a limit is reached or `task.stop` is requested; in each case the best so far
/// is returned, with its output level solved for equal loudness; that is the start patch where nothing was worth more.
/// docs/search.md says what it does. Equal evaluations and seed give equal patches on any number of threads.
///
/// Where the first target may be read in several ways, the likely ones have a short trial each, and the search goes on
/// with the one that explains the recording best (`best.reading`); the best of the others end the runners-up. Further
/// targets, and a search that goes on from an earlier one, keep to their performance.
///
/// One patch is to fit all targets; structure and first estimate come from the first of them, and the comparisons of
/// the result are with it. Of a recording over 30 s the most informative 20 are compared. Throws Error without targets,
/// for an unusable reference or a performance without notes. Called on a worker thread; `progress` is called on it too.
MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& settings, const Task& task = {},
                  const MatchListener& progress = {});
/// The same for one recording.
MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task = {}, const MatchListener& progress = {});

} // namespace facet
