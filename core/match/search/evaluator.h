// Candidates rendered and compared with the targets.
#pragma once

#include "core/match/optimize/level_finish.h"
#include "core/match/search/budget.h"
#include "core/match/search/candidate.h"
#include "core/match/search/inputs.h"
#include "core/match/search/leaderboard.h"

#include <Eigen/Core>
#include <vector>

namespace facet {

/// Renders patches and gives their residuals against targets, within an allowance. Every render that a search compares
/// goes through one. Cheap to make: a stage that compares with other targets, or may spend something else, makes one of
/// its own. What it refers to must outlive it. Used by one thread, whose work it spreads over `settings.threads`.
class Evaluator {
public:
    /// Compares with the search's own targets, and records each candidate on the leaderboard.
    Evaluator(const SearchInputs& inputs, Budget& budget, Leaderboard& leaderboard, Allowance allowance)
        : Evaluator(inputs, inputs.targets, budget, leaderboard, allowance, true) {}
    /// Compares with other targets, whose losses cannot be compared with those on the leaderboard: records nothing.
    static Evaluator unrecorded(const SearchInputs& inputs, const std::vector<PreparedTarget>& targets, Budget& budget,
                                Leaderboard& leaderboard, Allowance allowance) {
        return {inputs, targets, budget, leaderboard, allowance, false};
    }

    /// A vector for each patch whose mean magnitude is the loss in dB: those of all targets one after the other, each
    /// worth its share. Throws BudgetSpent and Cancelled.
    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches) const;
    /// The same of another difference between a target's loss and a render; records nothing. Throws likewise.
    std::vector<Eigen::VectorXf> differences(const std::vector<Patch>& patches, const Difference& difference) const;
    /// Loss and rank of each. Throws likewise.
    std::vector<Candidate> evaluate(const std::vector<Patch>& patches) const;

    /// A patch whose loss is known already.
    Candidate ranked(const Patch& patch, double loss) const;
    bool affords(std::size_t renders) const { return budget_.affords(costOf(renders), allowance_); }
    /// Throws BudgetSpent and Cancelled.
    void require(std::size_t renders) const;
    /// Whether losses are those of the leaderboard.
    bool records() const { return records_; }

private:
    Evaluator(const SearchInputs& inputs, const std::vector<PreparedTarget>& targets, Budget& budget,
              Leaderboard& leaderboard, Allowance allowance, bool records)
        : inputs_(inputs), targets_(targets), budget_(budget), leaderboard_(leaderboard), allowance_(allowance),
          records_(records) {}

    /// Of so many patches, in renders of everything that is compared.
    double costOf(std::size_t patches) const;
    std::vector<Eigen::VectorXf>
    compared(const std::vector<Patch>& patches,
             const std::function<Eigen::VectorXf(const PreparedTarget&, const Recording&)>& with) const;

    const SearchInputs& inputs_;
    const std::vector<PreparedTarget>& targets_;
    Budget& budget_;
    Leaderboard& leaderboard_;
    Allowance allowance_;
    bool records_;
};

} // namespace facet
