// A patch as settings for people: line by line of the signal path, in values that sound alike.
#pragma once

#include "core/match/suggest/reference_score.h"
#include "core/recipe/rounded_patch.h"

#include <string>
#include <vector>

namespace facet {

/// One value to set.
struct RecipeValue {
    Address address;
    std::string label;  ///< "Filter cutoff"
    std::string text;   ///< "420 Hz"
    std::string range;  ///< between which it sounds as alike: "390 Hz to 460 Hz"; empty for what takes steps
    double costs = 0.0; ///< likeness that is lost where it is left as it is
    bool isSet = true;  ///< false: it stands so in the beginning; told as elsewhere it may not
};

/// What is set in one place of the signal path.
struct RecipeLine {
    std::string part;  ///< id of SignalPart
    std::string title; ///< "Two saws an octave apart"
    std::vector<RecipeValue> values;
    std::string contents; ///< what cannot be set as a value: partials, steps that are drawn; may be empty
    double costs = 0.0;   ///< likeness that is lost without it
};

/// All of it.
struct Recipe {
    Patch patch{};                         ///< sets what the lines say, and nothing else
    double exact = 0.0;                    ///< likeness of the patch it was made from
    double likeness = 0.0;                 ///< of this one
    bool isAlike = true;                   ///< whether no more than 1 of it was lost
    std::vector<RecipeLine> lines;         ///< in signal order
    std::vector<std::size_t> mattersMost;  ///< lines whose loss is heard, what costs most first
    std::vector<std::string> hardlyMatter; ///< labels of what was left out
    std::vector<std::string> untold;       ///< what the recording cannot tell, as sentences without a full stop
};

/// How many values its lines set.
std::size_t valuesIn(const Recipe& recipe);

/// What every recipe begins with, as a sentence.
std::string recipeBeginning();

/// How alike patches are to recordings, each score on a thread of its own.
LikenessOf likenessToward(const ReferenceScore& score, const FacetWeights& weights, int threads, const Task& task);

/// Rounds the patch and measures how exact its values must be; some ten likenesses for each value. Throws Error for a
/// patch that cannot be heard with these notes, and Cancelled.
Recipe recipeOf(const Patch& patch, const ReferenceScore& score, const FacetWeights& weights, int threads,
                const Task& task = {});

} // namespace facet
