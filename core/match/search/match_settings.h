// Settings of a search.
#pragma once

#include "core/compare/comparison.h"
#include "core/instruments/instrument.h"
#include "core/match/starts/seed_bank.h"
#include "core/match/targets/match_target.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace facet {

/// Parts of a search that it can do without, so that one can measure what each is worth.
struct SearchParts {
    bool prior = true;     ///< what many sounds of known making teach (prior/element_odds.h)
    bool stories = true;   ///< what the partials say of source and filter (evidence/source_filter.h)
    bool storyCost = true; ///< that every element costs something (storyCost())
    bool proposals = true; ///< other structures for what was found (proposals/catalogue.h)
};

/// What a search begins with, may change, compares and may spend.
struct MatchSettings {
    Patch start{}; ///< values that are locked, or that nothing measured determines, come from here
    SearchLimits limits{};
    FacetWeights weights = equalWeights; ///< of the facets, in the likenesses reported
    double focusLowHz = 20.0;            ///< the search compares this band only
    double focusHighHz = 20000.0;
    double seconds = 20.0; ///< the search ends about then; ≤ 0: no limit in time
    int evaluations = 0;   ///< renders compared at most; ≤ 0: no limit
    std::uint64_t seed = 1;
    int threads = 2; ///< at most so many, wherever renders are made, compared or scored
    /// What an earlier search had found, best first: the search continues from it, in place of hypotheses.
    std::vector<Patch> goOnWith{};
    /// The search keeps to what it can do, and ends on the steps of its scales; null: all that Facet's own can.
    std::shared_ptr<const Instrument> instrument{};
    SearchParts parts{};
    SeedBankPtr bank{}; ///< patches to begin with besides those that measurements give; null: none

    TargetSettings forTargets() const { return {focusLowHz, focusHighHz, seed, threads}; }
};

} // namespace facet
