// In which steps a patch is built up, as a producer has arranged them.
#pragma once

#include <string>
#include <vector>

namespace facet {

/// One step of a build: parts of the patch that are set in one go.
struct PlannedStep {
    std::vector<std::string> parts; ///< ids of SignalPart
    std::string title{};            ///< in the producer's words; empty: as found
    std::string text{};             ///< what is said of it, likewise
    bool hidden = false;            ///< done silently, with the step before
    friend bool operator==(const PlannedStep&, const PlannedStep&) = default;
};

/// The steps in their order. Parts that the patch no longer has are left alone, and those that no step names belong to
/// the last one.
struct BuildPlan {
    std::vector<PlannedStep> steps;
    friend bool operator==(const BuildPlan&, const BuildPlan&) = default;
};

} // namespace facet
