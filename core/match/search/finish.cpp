#include "core/match/search/finish.h"

#include "core/match/search/refine.h"

namespace facet {

void finishOnWhole(SearchState& state, Allowance allowance) {
    constexpr int iterations = 2;
    const Evaluator whole =
        Evaluator::unrecorded(state.inputs, state.inputs.wholes, state.budget, state.leaderboard, allowance);
    std::vector<Patch> ends{state.leaderboard.best().patch};
    if (state.mostValued.patch && constructionOf(*state.mostValued.patch) != constructionOf(ends.front()))
        ends.push_back(*state.mostValued.patch);
    std::vector<Candidate> candidates = whole.evaluate(ends);
    std::vector<Patch>& finished = state.finished;
    finished.assign(candidates.size(), {});
    for (std::size_t i = 0; i < candidates.size(); ++i) finished[i] = candidates[i].patch;
    for (int iteration = 0; iteration < iterations; ++iteration)
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            candidates[i] = refine(state, whole, candidates[i], 1);
            finished[i] = candidates[i].patch;
        }
}

} // namespace facet
