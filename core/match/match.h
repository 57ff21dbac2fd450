// The search: from a reference and its notes to a patch whose render sounds alike.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/recording.h"
#include "core/base/task.h"
#include "core/compare/comparison.h"
#include "core/match/certainty.h"
#include "core/match/search_space.h"
#include "core/match/seed_bank.h"
#include "core/match/shortfall.h"
#include "core/parameters/patch.h"
#include "core/performance/performance.h"

#include <array>
#include <functional>
#include <string>
#include <vector>

namespace facet {

/// One recording to come close to, with its notes.
struct MatchTarget {
    Recording reference;
    Performance performance; ///< states the reference's extent
    double weight = 1.0;     ///< > 0, against those of the other targets
    std::vector<TimeSpan> leftOut{};
};

struct MatchSettings {
    Patch start{}; ///< values that are locked, or that no measurement tells, come from here
    SearchLimits limits{};
    FacetWeights weights = equalWeights; ///< of the facets, in the likenesses told
    double focusLowHz = 20.0;            ///< the search looks at this band only
    double focusHighHz = 20000.0;
    double seconds = 20.0; ///< the search ends about then; ≤ 0: no limit in time
    int evaluations = 0;   ///< renders compared at most; ≤ 0: no limit
    std::uint64_t seed = 1;
    int threads = 2;
    /// What an earlier search had found, best first: it is gone on with, in place of hypotheses.
    std::vector<Patch> goOnWith{};
    SeedBankPtr bank{}; ///< patches to begin with besides those that measurements tell; null: none
};

/// A structure that leads while a search runs.
struct Leader {
    Patch patch{};
    double loss = 0.0;
    double likeness = notMeasurable; ///< until there was time to compare it
};

/// What a search shows while it runs.
struct MatchProgress {
    double fraction = 0.0; ///< of the time or evaluations allowed
    std::string trying;    ///< in words
    double loss = 0.0;     ///< of the best so far, dB
    double likeness = 0.0; ///< of the best so far when it was last compared
    int evaluations = 0;
    double seconds = 0.0;
    bool improved = false; ///< whether `best` is new since the last report
    Patch best{};
    std::array<double, facetCount> facets{}; ///< likeness of each when `best` was last compared; may be notMeasurable
    std::vector<Leader> leaders;             ///< the best of the leading structures, best first; `best` is the first
};

/// A patch with its marks over several seeds.
struct ScoredPatch {
    Patch patch{};
    double loss = 0.0;                 ///< mean over the seeds, dB
    double likeness = 0.0;             ///< mean over the seeds
    double floor = 100.0;              ///< likeness between two renders of this patch with different seeds
    Comparison comparison{};           ///< with the performance's own seed
    std::vector<double> facetFloors{}; ///< the same floor per facet of `comparison`
};

struct MatchResult {
    ScoredPatch best;
    ScoredPatch before;                 ///< the start patch
    std::vector<ScoredPatch> runnersUp; ///< best of other structures, best first
    Performance performance; ///< of the first target, with its curves
    /// Of each target: parameters that move in its phrase, which no constant explains; see curves.h.
    std::vector<std::vector<Curve>> curves;
    int evaluations = 0;
    double seconds = 0.0;
    bool complete = true;              ///< false: stopped before it came to rest
    std::vector<KnownRange> ranges;    ///< of the best patch's parameters; empty when it was stopped or late
    std::vector<Address> untold; ///< what no target tells of the best patch, with one pitch or in mono: left as it was
    std::vector<Shortfall> shortfalls; ///< facets of the first target that the best stays unlike in
};

/// Searches until it comes to rest, a limit is reached or `task.stop` is requested; in each case the best so far is
/// returned, with its output level solved for equal loudness; that is the start patch where nothing was worth more. Equal evaluations and seed give equal patches on any
/// number of threads. One patch is to fit all targets; structure and first estimate come from the first of them, and
/// the comparisons of the result are with it. Of a recording over 30 s the most telling 20 are looked at. Throws Error
/// without targets, for an unusable reference or a performance without notes. Called on a worker thread; `progress` is
/// called on it too.
MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& settings, const Task& task = {},
                  const std::function<void(const MatchProgress&)>& progress = {});
/// The same for one recording.
MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task = {}, const std::function<void(const MatchProgress&)>& progress = {});

/// `patch` with its output level set so that its render is as loud as the reference, in what is attended to.
Patch withSolvedGain(const Patch& patch, const Recording& reference48k, const Performance& performance,
                     const Attention& attention = {});

/// Marks of a patch over `seeds` seeds beginning with the performance's own; `profile` is of what is
/// attended to of the reference.
ScoredPatch score(const Patch& patch, const Recording& reference48k, const Profile& profile,
                  const Performance& performance, int seeds, const Task& task = {},
                  const Attention& attention = {}, const FacetWeights& weights = equalWeights);

} // namespace facet
