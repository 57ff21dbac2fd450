// The build: a patch told step by step from the empty one, as somebody who teaches it would.
#pragma once

#include "core/base/task.h"
#include "core/match/suggest/reference_score.h"
#include "core/parameters/build_plan.h"
#include "core/parameters/elements.h"
#include "core/parameters/part_words.h"
#include "core/parameters/patch.h"

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// One step with what it does.
struct BuildStep {
    std::vector<std::string> parts;    ///< ids of SignalPart
    std::string found;                 ///< title as found: "Two saws an octave apart"
    std::string title;                 ///< the same, or as the producer calls it
    std::string why;                   ///< what the recording shows and what came before does not; may be empty
    std::string listen;                ///< "Brightness: stays open, reference closes to 166 Hz → alike"; may be empty
    std::string text;                  ///< what the producer says of it in place of these; may be empty
    bool hidden = false;               ///< done silently, with the step before
    std::vector<PartSetting> settings; ///< what to set, rounded
    std::set<Element> elements;        ///< that it brings
    Patch patch{};                     ///< as it is after the step; after the last one the whole
    double before = 0.0, after = 0.0;  ///< likeness
    std::vector<FacetGain> facets;     ///< what changes by 2 or more, what gains most first
};

/// All of them. None for a patch that is as the empty one.
struct Build {
    double empty = 0.0; ///< likeness of the empty patch
    std::vector<BuildStep> steps;
};

/// The arrangement of a build's steps; titles that are as found stay empty.
BuildPlan planOf(const Build& build);

/// Tells builds that lead toward recordings. Remembers what it has compared. Used by one thread at a time, whose work
/// it spreads.
class BuildMaker {
public:
    explicit BuildMaker(const std::vector<MoveTarget>& targets);
    ~BuildMaker();

    /// The steps to a patch in the order of the signal path, as far as that goes: what loses more than 2 likeness by
    /// itself waits for what it is heard with, or is done together with it; what changes likeness by less than 1, then
    /// and in the whole, is done with its neighbor; twelve steps at most. Throws Cancelled.
    Build make(const Patch& patch, const FacetWeights& weights, int threads, const Task& task = {});
    /// The steps that a producer has arranged. Throws likewise.
    Build follow(const Patch& patch, const BuildPlan& plan, const FacetWeights& weights, int threads,
                 const Task& task = {});

private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

} // namespace facet
