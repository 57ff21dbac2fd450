#include "core/match/search/finish.h"

#include "core/match/search/described_instrument.h"
#include "core/match/search/refine.h"
#include "core/parameters/note_timing.h"

namespace facet {

namespace {

/// Repeats and gates in note values of the first recording's tempo, where that sounds alike.
void timeInNotes(const SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates) {
    constexpr double mostGrowth = 1.005; // of the loss
    const double tempo = state.inputs.whole().performance.tempo;
    for (Candidate& each : candidates) {
        const Patch timed =
            timedInNotes(each.patch, tempo, [&](const Address& a) { return !state.inputs.settings.limits.locked(a); });
        if (timed.soundsLike(each.patch) || !state.constraints.applied(timed).soundsLike(timed)) continue;
        const Candidate candidate = evaluator.evaluate({timed}).front();
        if (candidate.loss <= mostGrowth * each.loss) each = candidate;
    }
}

} // namespace

void finishOnWhole(SearchState& state, Allowance allowance) {
    constexpr int iterations = 2;
    const Evaluator whole =
        Evaluator::unrecorded(state.inputs, state.inputs.wholes, state.budget, state.leaderboard, allowance);
    std::vector<Patch> ends{state.leaderboard.best().patch};
    if (state.mostValued.patch && constructionOf(*state.mostValued.patch) != constructionOf(ends.front()))
        ends.push_back(*state.mostValued.patch);
    std::vector<Candidate> candidates = whole.evaluate(ends);
    timeInNotes(state, whole, candidates);
    std::vector<Patch>& finished = state.finished;
    finished.assign(candidates.size(), {});
    for (std::size_t i = 0; i < candidates.size(); ++i) finished[i] = candidates[i].patch;
    for (int iteration = 0; iteration < iterations; ++iteration)
        for (std::size_t i = 0; i < candidates.size(); ++i) {
            candidates[i] = refine(state, whole, candidates[i], 1);
            finished[i] = candidates[i].patch;
        }
    putOnSteps(state.inputs.settings, whole, candidates);
    for (std::size_t i = 0; i < candidates.size(); ++i) finished[i] = candidates[i].patch;
}

} // namespace facet
