// Next moves: which change of a patch brings its render closer to the reference, tried by rendering it.
#pragma once

#include "core/base/task.h"
#include "core/instruments/instrument.h"
#include "core/match/suggest/reference_score.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <functional>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// A proposal shown to the producer, with what it gains.
struct Move {
    Patch patch{};                  ///< what it leads to
    std::string what;               ///< "Close the filter: low-pass 24 dB, 1.7 kHz → 170 Hz in 280 ms"
    std::string why;                ///< what the recording does and the render does not; may be empty
    std::string idea;               ///< tells it from others whatever its size; see MoveSettings::declined
    std::vector<FacetGain> facets;  ///< those of the first reference that change, what gains most first; never empty
    double likeness = 0.0;          ///< of the whole, over all references
    double onceAll = notMeasurable; ///< what else the recording tells is done as well: what the move adds to that
    double worth = 0.0;             ///< by which moves are ordered: gain in likeness, by evidence and plainness
};

/// A list of moves, best first.
struct NextMoves {
    double before = 0.0;    ///< likeness of the patch as it stands
    std::vector<Move> best; ///< different ideas, the one that is worth most first
    bool complete = false;  ///< false: a first list, still being refined
    int tried = 0;          ///< changes rendered
};

/// What moves may change, and what likeness weighs.
struct MoveSettings {
    SearchLimits limits{};
    /// Of a patch that is one of this instrument's own, only what it can play is proposed; null: everything.
    std::shared_ptr<const Instrument> instrument{};
    FacetWeights weights = equalWeights;
    std::size_t most = 5; ///< moves listed
    int threads = 2;
    double planSeconds = 6.0;         ///< that the search for a plan may take, once for a reference; 0: none
    int planEvaluations = 700;        ///< renders that search may compare, whatever time is left
    std::set<std::string> declined{}; ///< ideas that are not proposed
    std::optional<Facet> facet{};     ///< moves by what they do to this one only
    std::string module{};             ///< moves that change this module or what moves it only; empty: all
};

/// Holds what is needed of the references; built once for them. May be used by one thread at a time.
class MoveFinder {
public:
    /// Changes are chosen by what they do to the first, and ranked by the mean likeness to all. At least one.
    explicit MoveFinder(const std::vector<MoveTarget>& targets);
    ~MoveFinder();

    /// Reads the first reference for what it tells of its making, which takes a second or two. Else the first list of
    /// moves does, and waits for it. Throws Cancelled.
    void prepare(int threads, const Task& task = {}) const;
    /// Tries what analysis and evidence state of the first reference, a compound for each part of the signal path;
    /// every proposal of the catalogue; and parameters that by their derivatives help together. Looks closer at the
    /// best of them. docs/search.md says how they are ranked. `listener` gets a first list and the last one, on the
    /// calling thread; the last is returned. The patch itself is not changed. Throws Cancelled.
    NextMoves find(const Patch& patch, const MoveSettings& settings, const Task& task = {},
                   const std::function<void(const NextMoves&)>& listener = {}) const;

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
