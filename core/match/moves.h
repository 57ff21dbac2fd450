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

struct Move {
    Patch patch{};              ///< what it leads to
    std::string what;           ///< "Filter decay 420 ms → 260 ms"
    Facet facet = Facet::pitch; ///< that gains most
    double facetBefore = 0.0;   ///< its likeness
    double facetAfter = 0.0;
    double likeness = 0.0; ///< of the whole
};

struct NextMoves {
    double before = 0.0;    ///< likeness of the patch as it stands
    std::vector<Move> best; ///< the one that gains most first
    bool complete = false;  ///< false: a first list, still being refined
    int tried = 0;          ///< changes rendered
};

struct MoveSettings {
    SearchLimits limits{};
    FacetWeights weights = equalWeights;
    std::size_t most = 5; ///< moves told
    int threads = 2;
};

/// Holds what is needed of one reference; built once for it. May be used by one thread at a time.
class MoveFinder {
public:
    /// `reference` at any rate; `performance` states its extent and rate, `profile` is of what of it counts.
    MoveFinder(const Recording& reference, ProfilePtr profile, const Performance& performance,
               const Attention& attention);
    ~MoveFinder();

    /// Tries steps of every parameter that is heard, other kinds, what could be added or taken away, and pairs of
    /// parameters that by their derivatives help together; looks closer at the best of them, and ranks those by what
    /// they make of the likeness. A move gains at least a point. `told` gets a first list and the last one; what
    /// is returned is the last. The patch itself is not changed. Throws Cancelled.
    NextMoves find(const Patch& patch, const MoveSettings& settings, const Task& task = {},
                   const std::function<void(const NextMoves&)>& told = {}) const;

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
