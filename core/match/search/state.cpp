#include "core/match/search/state.h"

namespace facet {

void JacobianAtBest::offer(const std::optional<LinearRefit>& jacobian, double rank, double bestRank) {
    constexpr double nearly = 1.05; // a step that measures it, or a range's end, may lie a little beside the best
    if (rank > nearly * bestRank || rank >= rank_) return;
    jacobian_ = jacobian;
    rank_ = rank;
}

void JacobianAtBest::forget() {
    jacobian_.reset();
    rank_ = std::numeric_limits<double>::infinity();
}

bool JacobianAtBest::isOfBest(double bestRank) const {
    constexpr double same = 1e-6;
    return jacobian_ && rank_ <= (1.0 + same) * bestRank;
}

SearchState::SearchState(const SearchInputs& given, Budget& spent, const MatchListener& listener)
    : inputs(given), constraints(given.settings, given.identifiable), budget(spent), scores(inputs, budget),
      credits(inputs), reporter(budget, leaderboard, scores, listener),
      random(given.settings.goOnWith.empty()
                 ? given.settings.seed
                 : combineSeeds(given.settings.seed, given.settings.goOnWith.front().hash())) {}

double worthOf(SearchState& state, const Patch& patch, double likeness, double loss) {
    return state.inputs.worthOf(patch, likeness, loss) + state.credits.of(patch);
}

void scoreBest(SearchState& state) {
    const Candidate& best = state.leaderboard.best();
    const double worth = worthOf(state, best.patch, state.scores.of(best.patch).likeness, best.loss);
    if (state.leaderboard.presentLeads()) {
        state.reporter.show(best.patch);
        state.reporter.report("comparing the best");
    }
    if (worth <= state.mostValued.worth) return;
    state.mostValued = {best.patch, worth};
}

} // namespace facet
