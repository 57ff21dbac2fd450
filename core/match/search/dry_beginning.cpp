#include "core/match/search/dry_beginning.h"

#include "core/compare/note_loss.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/match/search/race.h"
#include "core/match/search/refine.h"
#include "core/match/search/rounds.h"
#include "core/match/starts/estimate.h"
#include "core/match/targets/telling_moments.h"

#include <algorithm>
#include <set>
#include <string>
#include <utility>

namespace facet {

namespace {

/// How much of the first target is looked at; of further ones half as many moments.
struct Look {
    std::size_t moments;
    double seconds; ///< of each
};
Look closeLook(const Performance& performance) { return {4, momentLength(performance)}; }
Look quickLook(const Performance& performance) {
    return {std::clamp<std::size_t>(momentCount(performance) / 2, 1, 2), usualMoment};
}

std::vector<PreparedTarget> tellingTargets(const SearchInputs& inputs, Look (&lookAt)(const Performance&)) {
    std::vector<PreparedTarget> telling;
    for (const PreparedTarget& target : inputs.targets) {
        const Look look = lookAt(target.performance);
        const std::size_t most = telling.empty() ? look.moments : std::max<std::size_t>(1, look.moments / 2);
        telling.push_back(target.telling(most, look.seconds, inputs.settings.forTargets()));
    }
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

bool isPhrase(const SearchInputs& inputs) {
    constexpr std::size_t several = 4;
    return momentCount(inputs.whole().performance) >= several;
}

void beginDry(SearchState& state, Allowance allowance, Allowance afterwards) {
    constexpr std::size_t followed = 6;
    constexpr int mostRounds = 3;
    MatchSettings settings = state.inputs.settings;
    // What rings on is an upper bound here; what is rare would stand in for what is not found yet.
    settings.limits.excluded.insert(
        {ModuleKind::delay, ModuleKind::reverb, ModuleKind::response, ModuleKind::resonator, ModuleKind::shifter});
    const std::vector<PreparedTarget> telling = tellingTargets(state.inputs, closeLook),
                                      few = tellingTargets(state.inputs, quickLook);
    const SearchInputs inputs{telling,           state.inputs.wholes,       settings,
                              state.inputs.task, state.inputs.identifiable, state.inputs.odds};
    const MatchListener nobody; // what it finds is heard once it has been compared with everything
    state.budget.stages().enter("dry beginning");
    SearchState dry(inputs, state.budget, nobody);
    try {
        halve(dry, few, allowance, [&](const Patch& best) { // something to hear, as soon as can be and ever better
            const Patch echoing = withMeasuredEcho(state.inputs.profile(), best);
            state.evaluator(allowance).evaluate({state.constraints.applied(echoing)});
            state.reporter.report("comparing kinds of sound");
        });
        for (int round = 0; round < mostRounds && quickRound(dry, allowance); ++round) {}
    } catch (const BudgetSpent&) {} // what was found until then goes on
    state.raced = std::move(dry.raced);
    const SearchLimits& limits = state.inputs.settings.limits;
    const bool inRoom = isInRoom(state.inputs.profile()) && !limits.excluded.contains(ModuleKind::reverb) &&
                        !limits.ruledOut.contains(Element::reverb);
    std::vector<Patch> found;
    for (const Patch& each : different(dry.leaderboard, followed)) {
        const Profile& profile = state.inputs.profile();
        const Patch echoing = withMeasuredEcho(profile, each);
        std::vector<Patch> spaces = withMeasuredRoom(profile, each);
        if (!echoing.soundsLike(each)) {
            spaces.push_back(echoing);
            for (Patch& both : withMeasuredRoom(profile, echoing)) spaces.push_back(std::move(both));
        }
        if (spaces.empty() || !inRoom) found.push_back(state.constraints.applied(each));
        for (Patch& space : spaces) found.push_back(state.constraints.applied(std::move(space)));
    }
    if (found.empty())
        found.push_back(state.constraints.applied(
            withMotion(state.inputs.profile(), estimate(state.inputs.profile(), state.inputs.settings.start))));
    state.settled.insert(dry.settled.begin(), dry.settled.end());
    if (inRoom) state.settled.insert(ModuleKind::reverb);
    state.budget.stages().enter("best on all");
    // In whatever time, something must come of it.
    std::vector<Candidate> entrants = state.evaluator({allowance.share, true}).evaluate(found);
    // What was heard on the way, without what is settled, may rank before it.
    if (!state.settled.empty()) state.leaderboard.lead(*std::min_element(entrants.begin(), entrants.end(), better));
    state.reporter.report("the notes with what rings on");
    const Evaluator whole = state.evaluator(afterwards);
    refineBest(state, whole, entrants, 2, 1); // once: what is likely and lacking comes next, and moves the rest
}

} // namespace facet
