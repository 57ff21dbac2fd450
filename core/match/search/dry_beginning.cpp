#include "core/match/search/dry_beginning.h"

#include "core/match/search/race.h"
#include "core/match/search/refine.h"
#include "core/match/search/rounds.h"
#include "core/match/starts/estimate.h"

#include <set>
#include <string>
#include <utility>

namespace facet {

namespace {

constexpr std::size_t moments = 4; ///< of the first target; of further ones half as many

std::vector<PreparedTarget> tellingTargets(const SearchInputs& inputs) {
    std::vector<PreparedTarget> telling;
    for (const PreparedTarget& target : inputs.targets)
        telling.push_back(target.telling(telling.empty() ? moments : moments / 2, inputs.settings.forTargets()));
    return telling;
}

/// The best of different structures, best first.
std::vector<Patch> different(const Leaderboard& leaderboard, std::size_t most) {
    std::vector<Patch> patches;
    std::set<std::string> structures;
    for (const Leaderboard::Entry* entry : leaderboard.ranking()) {
        if (patches.size() == most) break;
        if (structures.insert(structureText(entry->candidate.patch)).second) patches.push_back(entry->candidate.patch);
    }
    return patches;
}

} // namespace

void beginDry(SearchState& state, Allowance allowance) {
    constexpr std::size_t followed = 6;
    constexpr int mostRounds = 3;
    MatchSettings settings = state.inputs.settings;
    settings.limits.excluded.insert({ModuleKind::delay, ModuleKind::reverb});
    const std::vector<PreparedTarget> telling = tellingTargets(state.inputs);
    const SearchInputs inputs{telling, state.inputs.whole, settings, state.inputs.task, state.inputs.identifiable};
    const MatchListener nobody; // what it finds is heard once it has been compared with everything
    state.budget.stages().enter("dry beginning");
    SearchState dry(inputs, state.budget, nobody);
    bool spent = false;
    try {
        halve(dry, allowance);
        state.budget.stages().enter("dry rounds");
        for (int round = 0; round < mostRounds && quickRound(dry, allowance); ++round) {}
    } catch (const BudgetSpent&) {
        spent = true;
    }
    state.raced = std::move(dry.raced);
    std::vector<Patch> found;
    for (const Patch& each : different(dry.leaderboard, followed)) {
        found.push_back(state.constraints.applied(each));
        Patch echoing = state.constraints.applied(withMeasuredEcho(state.inputs.profile(), each));
        if (!echoing.soundsLike(found.back())) found.push_back(std::move(echoing));
    }
    state.budget.stages().enter("dry: best on all");
    // In whatever time, something must come of it.
    std::vector<Candidate> entrants = state.evaluator({allowance.share, true}).evaluate(found);
    state.reporter.report("the notes with what rings on");
    if (spent && !state.evaluator({}).affords(1)) return;
    const Evaluator whole = state.evaluator({});
    refineBest(state, whole, entrants, 2, 1);
    refineBest(state, whole, entrants, 1, 1);
}

} // namespace facet
