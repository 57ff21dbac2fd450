// A patch that a search has tried.
#pragma once

#include "core/parameters/patch.h"

#include <limits>
#include <string>

namespace facet {

constexpr double sameLoss = 2e-3; ///< relative difference of losses below which two patches sound the same

/// A patch with its loss and rank.
struct Candidate {
    Patch patch{};
    double loss = std::numeric_limits<double>::infinity(); ///< dB
    /// The loss times the patch's handicap, see handicapOf(), and more where its elements are unlikely.
    double rank = std::numeric_limits<double>::infinity();
};

inline bool better(const Candidate& a, const Candidate& b) { return a.rank < b.rank; }

/// Equal for patches of one structure: the kinds and choices of everything that sounds, without values.
std::string structureKeyOf(const Patch& patch);

/// Equal for patches that tell one story of how the sound was made: the same elements, whatever their values, how many
/// voices are stacked and in which order effects stand; filters of another slope are another story.
std::string constructionOf(const Patch& patch);

} // namespace facet
