// What the stages of one search share.
#pragma once

#include "core/base/random.h"
#include "core/match/optimize/linear_refit.h"
#include "core/match/search/budget.h"
#include "core/match/search/constraints.h"
#include "core/match/search/evaluator.h"
#include "core/match/search/heard_credits.h"
#include "core/match/search/inputs.h"
#include "core/match/search/leaderboard.h"
#include "core/match/search/likeness_scores.h"
#include "core/match/search/match_progress.h"
#include "core/match/search/reporter.h"
#include "core/match/starts/comb_starts.h"
#include "core/match/starts/hypotheses.h"

#include <limits>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace facet {

/// The Jacobian at the best patch, or at one that is as good, kept for the linearized re-optimization of its changes.
class JacobianAtBest {
public:
    /// Takes one that was measured at a patch of this rank, if it is better than what is held, and near the best.
    void offer(const std::optional<LinearRefit>& jacobian, double rank, double bestRank);
    void forget();
    bool isOfBest(double bestRank) const;
    /// Null: none is held.
    const LinearRefit* get() const { return jacobian_ ? &*jacobian_ : nullptr; }

private:
    std::optional<LinearRefit> jacobian_{};
    double rank_ = std::numeric_limits<double>::infinity();
};

/// The patch that is worth most to people among the best after each round: loss and likeness do not fall and rise
/// together.
struct MostValued {
    std::optional<Patch> patch{};
    double worth = -std::numeric_limits<double>::infinity(); ///< worthOf()
};

/// What is known of the starting points, once they have raced.
struct RaceMemory {
    std::vector<Hypothesis> hypotheses; ///< from measurements; made once
    std::optional<SideComb> comb{};     ///< of a chorus or flanger that was heard
    std::vector<Patch> donors;          ///< all that raced last, best first: parts of them are tried in other patches
    std::set<std::string> followed;     ///< structures that an attempt was made with
    std::size_t entered = 0;            ///< starting points of the last race
};

/// Owned by runSearch()'s caller and handed from stage to stage; each stage says in its arguments what it may spend and
/// what it compares with. Used by one thread.
struct SearchState {
    /// What is referred to must outlive the state. Searches of several readings spend one budget.
    SearchState(const SearchInputs& given, Budget& spent, const MatchListener& listener);
    SearchState(const SearchState&) = delete;

    Evaluator evaluator(Allowance allowance) { return {inputs, budget, leaderboard, allowance}; }

    const SearchInputs inputs;
    const Constraints constraints;
    Budget& budget;
    Leaderboard leaderboard;
    LikenessScores scores;
    HeardCredits credits;
    Reporter reporter;
    Random random;
    JacobianAtBest jacobian;
    std::set<std::string> rejected; ///< proposals that promised nothing, until a thorough round; see proposalKeyOf()
    /// Kinds of effects that were measured without doubt, or chosen by what they are worth: ranks take none of them
    /// out.
    std::set<ModuleKind> settled;
    RaceMemory raced;
    MostValued mostValued;
    std::vector<Patch> finished;   ///< the ends of the search, refined on the whole of the recordings
    std::vector<Patch> wentOnWith; ///< what an earlier search had found, within the constraints
    bool complete = true;          ///< whether the search came to rest
};

/// SearchInputs::worthOf() and the credit of what is likely and heard: by what structures are
/// chosen.
double worthOf(SearchState& state, const Patch& patch, double likeness, double loss);

/// Scores the best of the attempt, and keeps it as the most valued where it is worth more than the last. Throws
/// Cancelled.
void scoreBest(SearchState& state);

} // namespace facet
