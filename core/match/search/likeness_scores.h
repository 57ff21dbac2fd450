// The full likeness of candidates, which the search itself does not minimize.
#pragma once

#include "core/match/search/budget.h"
#include "core/match/search/inputs.h"

#include <array>
#include <chrono>
#include <cstdint>
#include <map>
#include <optional>
#include <vector>

namespace facet {

/// Likeness of a patch with the search's own seed, 0 … 100.
struct LikenessScore {
    double likeness = 0.0;                   ///< weighted mean over the targets
    std::array<double, facetCount> facets{}; ///< of the first target; may be notMeasurable
    bool complete = false;                   ///< with its facets
};

/// Scores patches and remembers the scores. One takes as long as many renders. Used by the search's own thread alone.
class LikenessScores {
public:
    LikenessScores(const SearchInputs& inputs, Budget& budget) : inputs_(inputs), budget_(budget) {}

    /// Remembered, or measured now; the budget learns how long measuring takes. Throws Cancelled.
    const LikenessScore& of(const Patch& patch);
    /// Measured anew, without its facets. Throws Cancelled.
    double measure(const Patch& patch) const { return likenessOf(patch, nullptr, inputs_.settings.threads); }
    /// Of each, remembered or measured, several at a time. Throws Cancelled.
    std::vector<double> measureAll(const std::vector<Patch>& patches);
    /// Remembered, or measured where none was within the last 1.5 s. Throws Cancelled.
    std::optional<double> nowAndThen(const Patch& patch);

private:
    double likenessOf(const Patch& patch, std::array<double, facetCount>* facets, int threads) const;

    const SearchInputs& inputs_;
    Budget& budget_;
    std::map<std::uint64_t, LikenessScore> known_; ///< by the patch's hash
    std::chrono::steady_clock::time_point lastMeasured_ = std::chrono::steady_clock::now();
};

} // namespace facet
