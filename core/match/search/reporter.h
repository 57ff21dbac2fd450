// Reports the progress of a search to its listener.
#pragma once

#include "core/match/search/budget.h"
#include "core/match/search/inputs.h"
#include "core/match/search/leaderboard.h"
#include "core/match/search/likeness_scores.h"
#include "core/match/search/match_progress.h"

#include <string>

namespace facet {

/// Reads budget, leaderboard and scores; scores what leads now and then, so that people see how alike it is. Used by
/// the search's own thread alone.
class Reporter {
public:
    Reporter(const Budget& budget, Leaderboard& leaderboard, LikenessScores& scores, const MatchListener& listener)
        : budget_(budget), leaderboard_(leaderboard), scores_(scores), listener_(listener) {}

    /// `trying`: what is being tried, in words. Throws Cancelled, and what the listener throws.
    void report(const std::string& trying);
    /// The likeness reported from now on is this patch's. Throws Cancelled.
    void show(const Patch& patch);

private:
    std::vector<Leader> leaders();

    const Budget& budget_;
    Leaderboard& leaderboard_;
    LikenessScores& scores_;
    const MatchListener& listener_;
    LikenessScore shown_;
    bool outdated_ = false;                                     ///< `shown_` is of another patch than the best
    double shownAt_ = -std::numeric_limits<double>::infinity(); ///< seconds
};

} // namespace facet
