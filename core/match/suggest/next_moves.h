// Next moves: which change of a patch brings its render closer to the reference, tried by rendering it.
#pragma once

#include "core/analysis/profile.h"
#include "core/audio/attention.h"
#include "core/base/task.h"
#include "core/compare/comparison.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// A proposal shown to the producer, with what it gains.
struct Move {
    Patch patch{};              ///< what it leads to
    std::string what;           ///< "Filter decay 420 ms → 260 ms"
    Facet facet = Facet::pitch; ///< that gains most
    double facetBefore = 0.0;   ///< its likeness to the first reference
    double facetAfter = 0.0;
    double likeness = 0.0; ///< of the whole, over all references
};

/// A list of moves, best first.
struct NextMoves {
    double before = 0.0;    ///< likeness of the patch as it stands
    std::vector<Move> best; ///< the one that gains most first
    bool complete = false;  ///< false: a first list, still being refined
    int tried = 0;          ///< changes rendered
};

/// What moves may change, and what likeness weighs.
struct MoveSettings {
    SearchLimits limits{};
    FacetWeights weights = equalWeights;
    std::size_t most = 5; ///< moves listed
    int threads = 2;
};

/// One recording with its notes to come closer to.
struct MoveTarget {
    RecordingPtr reference;  ///< at any rate
    ProfilePtr profile;      ///< of what of it counts
    Performance performance; ///< states the reference's extent and rate
    Attention attention{};
    double weight = 1.0; ///< > 0, against those of the others
};

/// Holds what is needed of the references; built once for them. May be used by one thread at a time.
class MoveFinder {
public:
    /// Changes are chosen by what they do to the first, and ranked by the mean likeness to all. At least one.
    explicit MoveFinder(const std::vector<MoveTarget>& targets);
    ~MoveFinder();

    /// Tries every proposal of the catalogue, and pairs of parameters that by their derivatives help together; looks
    /// closer at the best of them, and ranks those by the likeness that they reach. A move gains at least a point.
    /// `listener` gets a first list and the last one, on the calling thread; the last is returned. The patch itself is
    /// not changed. Throws Cancelled.
    NextMoves find(const Patch& patch, const MoveSettings& settings, const Task& task = {},
                   const std::function<void(const NextMoves&)>& listener = {}) const;

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
