#include "core/match/search/judged.h"

#include <algorithm>

namespace facet {

std::vector<Judged> judged(SearchState& state, const std::vector<Candidate>& candidates) {
    std::vector<Patch> patches;
    for (const Candidate& each : candidates) patches.push_back(each.patch);
    const std::vector<double> likenesses = state.scores.measureAll(patches);
    std::vector<Judged> all;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        const Candidate& each = candidates[i];
        all.push_back({each, likenesses[i], worthOf(state, each.patch, likenesses[i], each.loss)});
    }
    return all;
}

Judged mostWorth(SearchState& state, const std::vector<Candidate>& candidates) {
    const std::vector<Judged> all = judged(state, candidates);
    return *std::max_element(all.begin(), all.end(),
                             [](const Judged& a, const Judged& b) { return a.worth < b.worth; });
}

void leadByWorth(SearchState& state, const std::function<void(Judged&)>& improve,
                 const std::function<void(const Patch& before, const Patch& after)>& changed) {
    const Judged before = mostWorth(state, {state.leaderboard.best()});
    Judged best = before;
    const auto lead = [&] {
        if (best.candidate.patch.soundsLike(before.candidate.patch)) return;
        if (changed) changed(before.candidate.patch, best.candidate.patch);
        state.leaderboard.lead(best.candidate);
        state.jacobian.forget();
    };
    try {
        improve(best);
    } catch (const BudgetSpent&) {
        lead();
        throw;
    }
    lead();
}

} // namespace facet
