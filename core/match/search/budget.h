// How many renders and how much time a search may spend.
#pragma once

#include "core/match/search/stage_times.h"

#include <chrono>
#include <cmath>

namespace facet {

/// Thrown by an evaluation that the budget does not allow; never leaves match().
struct BudgetSpent {};

/// What a stage may spend of the budget.
struct Allowance {
    double share = 1.0;        ///< of the renders, and of the time that is not kept back for scoring
    bool ignoreBudget = false; ///< neither a limit nor a stop counts: something must come of it
    bool strict = false;       ///< the share of a long search's time is not made larger, as for what precedes pruning
};

double secondsSince(std::chrono::steady_clock::time_point start);

/// Counts renders and time. Used by the search's own thread alone.
class Budget {
public:
    /// `seconds`, `evaluations` ≤ 0: no limit. `started`: when the search began, measurement of its targets included.
    Budget(double seconds, int evaluations, std::chrono::steady_clock::time_point started)
        : seconds_(seconds), evaluations_(evaluations), started_(started) {}

    /// Whether so many renders more keep within the number of evaluations.
    bool affords(double renders, const Allowance& allowance) const;
    /// Throws BudgetSpent when it does not afford them, or when time is up and `anythingFound`.
    void require(double renders, const Allowance& allowance, bool anythingFound) const;
    /// A render of a part of what is compared counts by its part.
    void spend(double renders) { spent_ += renders; }

    bool limited() const { return seconds_ > 0.0 || evaluations_ > 0; }
    bool limitedByEvaluations() const { return evaluations_ > 0; }
    int evaluations() const { return static_cast<int>(std::floor(spent_)); }
    double secondsSoFar() const { return secondsSince(started_); }
    /// 0 … 1, of time or evaluations, whichever is further.
    double fraction() const;

    /// About how long it takes to say how well each value of a patch is determined.
    double certaintySeconds() const { return 32.0 * renderSeconds_; }
    /// How many renders fit into a moment after which time is looked at again; all where time is no limit.
    std::size_t rendersAtOnce() const;
    /// How long so many have taken.
    void noteRenders(double renders, double seconds);

    /// Where the time goes: each stage enters itself.
    StageTimes& stages() { return stages_; }

    /// About how long it takes to render, measure and score one patch: what scoring the finalists will take is kept
    /// back.
    double scoreSeconds() const { return scoreSeconds_; }
    void setScoreSeconds(double seconds) { scoreSeconds_ = seconds; }

private:
    double seconds_;
    int evaluations_;
    std::chrono::steady_clock::time_point started_;
    double spent_ = 0.0;
    double scoreSeconds_ = 0.1;
    double renderSeconds_ = 0.0; ///< of one, lately
    StageTimes stages_;
};

} // namespace facet
