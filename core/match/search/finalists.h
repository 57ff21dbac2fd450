// The end of a match: which patches are scored, which of them wins, and what is reported of the winner.
#pragma once

#include "core/match/search/score.h"
#include "core/match/search/state.h"
#include "core/match/targets/prepared_target.h"

#include <vector>

namespace facet {

/// Time left for what follows the search. Stopped or late, only what is needed for a result is still done, and that is
/// not stopped again.
class Deadline {
public:
    Deadline(const SearchState& search);

    /// Stopped, or the time is already spent.
    bool hurried() const { return hurried_; }
    /// Whether so many seconds more would be too many.
    bool passedIn(double seconds) const;
    /// Kept for curves over the phrase.
    double secondsForCurves() const;
    bool stopped() const;

private:
    const SearchState& search_;
    bool hurried_;
};

/// Patches to be scored: what the search began with first, then the best of each construction (constructionOf()).
struct Finalists {
    std::vector<Patch> patches;
    std::size_t least; ///< so many are scored in whatever time
};
Finalists finalistsOf(const SearchState& search, const Deadline& deadline);

/// Scores them with one seed each, as many as there is time for, in their order. `scoreSeconds`: about how long as many
/// as there are threads take; measured anew. Throws Error.
std::vector<ScoredPatch> scoreFinalists(const Finalists& finalists, const std::vector<PreparedTarget>& targets,
                                        const MatchSettings& settings, const Deadline& deadline, double& scoreSeconds);

/// Puts what is worth most first (worthOf()), of what sounds no less alike than `before`, which the search began with.
/// That stays where nothing else is worth as much and the constraints allow it: a search must not undo work.
void rankByWorth(std::vector<ScoredPatch>& scored, const ScoredPatch& before, SearchState& search);

/// Scores the winner again over several seeds, as far as there is time: the search has overfitted its own seed a
/// little. With other phases it may be worth less than the next one, which then has to show what it is worth itself,
/// or sound less alike than `before`, which then is scored by the same measure.
/// `curvesDrawn`: the targets' performances have changed since the first score.
void rescoreWinner(std::vector<ScoredPatch>& scored, ScoredPatch& before, const std::vector<PreparedTarget>& targets,
                   bool curvesDrawn, SearchState& search, const Deadline& deadline);
} // namespace facet
