#include "core/match/search/rounds.h"

#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/compare/loss.h"
#include "core/dsp/evolution.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/proposals/instrument_proposals.h"
#include "core/match/proposals/recombination.h"
#include "core/match/search/added_modules.h"
#include "core/match/search/additions.h"
#include "core/match/search/effects.h"
#include "core/match/search/refine.h"
#include "core/parameters/changes.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double leastRoundGain = 0.01; ///< a round that lowers the rank by less is the last of its depth
constexpr double leastQuickGain = 0.05; ///< the same of a quick one

/// Names what a proposal does, whatever patch it is made from.
std::string proposalKeyOf(const Patch& from, const Patch& changed) {
    std::string key;
    for (const PatchChange& each : changesBetween(from, changed))
        key += fmt::format("{} {} {} {};", static_cast<int>(each.kind), each.path, each.field, each.after);
    return key;
}

/// Proposals of one round, compared.
struct Changes {
    std::vector<Candidate> tried; ///< each as proposed, and those that promise most re-optimized
    /// Those that should gain once the rest is re-optimized, best first: as proposed or re-optimized, whichever is
    /// better.
    std::vector<Candidate> promising;
};

/// Refines the best where the Jacobian there is not known.
void measureJacobian(SearchState& state, const Evaluator& evaluator) {
    if (state.jacobian.isOfBest(state.leaderboard.bestRank())) return;
    state.jacobian.forget();
    refine(state, evaluator, state.leaderboard.best(), 1);
}

/// Structural proposals and parts of other patches, without what was rejected.
std::vector<Patch> proposalsFor(SearchState& state, const Patch& from, Depth depth) {
    if (!state.inputs.settings.parts.proposals) return {};
    if (depth == Depth::thorough) state.rejected.clear();
    const MatchSettings& settings = state.inputs.settings;
    std::vector<Patch> changed;
    const auto has = [](const Patch& patch, ModuleKind kind) {
        return std::any_of(patch.modules().begin(), patch.modules().end(),
                           [&](const Patch::Module& m) { return m.kind == kind && takesPart(patch, m); });
    };
    const auto keepsSettled = [&](const Patch& other) {
        return std::all_of(state.settled.begin(), state.settled.end(),
                           [&](ModuleKind kind) { return has(other, kind) || !has(from, kind); });
    };
    for (Patch& other : settings.instrument ? otherSettings(*settings.instrument, from)
                                            : structuralProposals({from, settings.limits, state.inputs.profile()})) {
        other = state.constraints.applied(state.constraints.centered(std::move(other)));
        if (!other.soundsLike(from) && keepsSettled(other) && !state.rejected.contains(proposalKeyOf(from, other)))
            changed.push_back(std::move(other));
    }
    constexpr std::size_t mostRecombined = 8;
    for (Patch& other : recombined(from, state.raced.donors, settings.limits, mostRecombined))
        if (keepsSettled(other)) changed.push_back(state.constraints.applied(std::move(other)));
    return changed;
}

/// Evaluates proposals as they are, and those that promise most by linearized re-optimization of everything else.
/// Proposals that nobody hears or that stay hopeless are rejected.
Changes evaluateReoptimized(SearchState& state, const Evaluator& evaluator, const std::vector<Patch>& proposals) {
    constexpr std::size_t most = 24;
    constexpr double hopeless = 1.1; // times the rank of the best
    struct Promise {
        Candidate asProposed, predicted{};
        const Eigen::VectorXf* residual;
    };
    const LinearRefit* jacobian = state.jacobian.get();
    Changes changes;
    std::vector<Promise> promises;
    const auto residuals = evaluator.residuals(proposals);
    // Settings of an instrument that hardly change anything are many, and would take the place of all others.
    const bool ofInstrument = state.inputs.settings.instrument && jacobian;
    const double standing = ofInstrument ? evaluator.evaluate({jacobian->at()}).front().loss : 0.0;
    const auto isHardlyHeard = [&](std::size_t i) {
        return ofInstrument && std::abs(Loss::value(residuals[i]) - standing) < sameLoss * standing;
    };
    for (std::size_t i = 0; i < proposals.size(); ++i) {
        if (isHardlyHeard(i)) continue;
        if (jacobian && jacobian->soundsAs(residuals[i])) { // it would take the place of what changes something
            state.rejected.insert(proposalKeyOf(jacobian->at(), proposals[i]));
            continue;
        }
        changes.tried.push_back(evaluator.ranked(proposals[i], Loss::value(residuals[i])));
        promises.push_back({changes.tried.back(), {}, &residuals[i]});
    }
    if (!jacobian) return changes;
    parallelFor(static_cast<int>(promises.size()), state.inputs.settings.threads, [&](int i) {
        Promise& promise = promises[static_cast<std::size_t>(i)];
        const LinearRefit::Estimate estimate = jacobian->of(promise.asProposed.patch, *promise.residual);
        promise.predicted = evaluator.ranked(state.constraints.applied(estimate.patch), estimate.loss);
    });
    const double bestRank = state.leaderboard.bestRank();
    // An instrument has few settings: all of them are asked again once the others have moved.
    for (const Promise& each : promises)
        if (!state.inputs.settings.instrument && each.predicted.rank > hopeless * bestRank)
            state.rejected.insert(proposalKeyOf(jacobian->at(), each.asProposed.patch));
    std::stable_sort(promises.begin(), promises.end(),
                     [](const Promise& a, const Promise& b) { return better(a.predicted, b.predicted); });
    promises.resize(std::min(promises.size(), most));
    std::vector<Patch> reoptimized;
    for (const Promise& each : promises) reoptimized.push_back(each.predicted.patch);
    const auto reached = evaluator.evaluate(reoptimized);
    for (std::size_t i = 0; i < reached.size(); ++i) {
        const Promise& promise = promises[i];
        changes.tried.push_back(reached[i]);
        if (promise.predicted.rank <= state.leaderboard.bestRank())
            changes.promising.push_back(better(promise.asProposed, reached[i]) ? promise.asProposed : reached[i]);
    }
    return changes;
}

/// Refines what was tried, so many of the promising ones first: a large change is often far from what it promises as it
/// is proposed, and gets there in a few steps. The first step reuses the Jacobian measured before the change; the best
/// of them then take a step by their own.
void refineChanges(SearchState& state, const Evaluator& evaluator, Changes changes, std::size_t promising) {
    std::vector<Candidate>& some = changes.tried;
    std::size_t added = 0;
    for (const Candidate& each : changes.promising) {
        const auto others = some.begin() + static_cast<std::ptrdiff_t>(added);
        if (added == promising) break;
        if (std::any_of(others, some.end(), [&](const Candidate& c) { return c.patch.soundsLike(each.patch); }))
            continue;
        some.insert(others, each);
        ++added;
    }
    const LinearRefit* jacobian = state.jacobian.get();
    if (jacobian) refineEach(state, evaluator, some, 1, jacobian);
    refineBest(state, evaluator, some, jacobian ? 2 : 6, 1);
}

/// Proposals for the best, and restarts near it. True while it is worth continuing at this depth.
bool round(SearchState& state, const Evaluator& evaluator, Depth depth) {
    constexpr std::size_t refined = 8; // as they are, and as many again at most that promise something
    const Leaderboard& leaderboard = state.leaderboard;
    const Candidate before = leaderboard.best();
    measureJacobian(state, evaluator);
    const LinearRefit* jacobian = state.jacobian.get();
    Changes changes =
        evaluateReoptimized(state, evaluator, proposalsFor(state, jacobian ? jacobian->at() : before.patch, depth));
    state.reporter.report("other structures");
    if (depth == Depth::quick) {
        keepDifferent(changes.tried, refined, 1);
        refineChanges(state, evaluator, std::move(changes), refined / 2);
        refine(state, evaluator, leaderboard.best(), 2);
        return leaderboard.bestRank() < (1.0 - leastQuickGain) * before.rank;
    }
    if (depth == Depth::thorough) fitAddedModules(state, evaluator, changes.tried, before);
    keepDifferent(changes.tried, refined, static_cast<int>(refined));
    refineChanges(state, evaluator, std::move(changes), refined);
    auto restarts = evaluator.evaluate(scattered(state, leaderboard.best().patch, 0.06, 24));
    refineBest(state, evaluator, restarts, 2, 2);
    refine(state, evaluator, leaderboard.best(), 4);
    return leaderboard.bestRank() < (1.0 - leastRoundGain) * before.rank;
}

/// CMA-ES about the best, where steps along gradients find nothing more. True when it gained enough to go on from
/// there.
bool polish(SearchState& state, const Evaluator& evaluator) {
    constexpr double deviation = 0.06;
    constexpr int generations = 25;
    const Candidate before = state.leaderboard.best();
    const SearchSpace space(before.patch, state.inputs.settings.limits, state.inputs.movable());
    const int most = generations * (4 + static_cast<int>(3.0 * std::log(std::max(2, space.size()))));
    evolve(
        [&](const std::vector<Eigen::VectorXd>& points) {
            std::vector<Patch> patches;
            for (const auto& point : points) patches.push_back(space.patchAt(before.patch, point));
            std::vector<double> losses;
            for (const Candidate& each : evaluator.evaluate(patches)) losses.push_back(each.loss);
            state.reporter.report("a cloud about the best");
            return losses;
        },
        space.positionOf(before.patch), space.lower(), space.upper(),
        {.deviation = deviation, .evaluations = most, .seed = state.random.bits()}, state.inputs.task);
    refine(state, evaluator, state.leaderboard.best(), 3);
    return state.leaderboard.bestRank() < (1.0 - leastRoundGain) * before.rank;
}

} // namespace

void settle(SearchState& state, Allowance allowance) {
    const Evaluator evaluator = state.evaluator(allowance);
    const auto gains = [&](Depth depth) {
        const bool gained = round(state, evaluator, depth);
        scoreBest(state);
        return gained;
    };
    state.rejected.clear();
    state.budget.stages().enter("likely");
    scoreBest(state);
    addLikely(state, evaluator);
    state.budget.stages().enter("effects");
    addEffects(state, evaluator);
    state.budget.stages().enter("phases");
    fixPhases(state, allowance);
    state.budget.stages().enter("quick rounds");
    while (gains(Depth::quick)) {}
    state.budget.stages().enter("motions");
    addMotions(state, evaluator);
    state.budget.stages().enter("further rounds");
    do {
        while (gains(Depth::usual)) {}
    } while (gains(Depth::thorough) || polish(state, evaluator));
}

bool quickRound(SearchState& state, Allowance allowance) {
    return round(state, state.evaluator(allowance), Depth::quick);
}

void fixPhases(SearchState& state, Allowance allowance) {
    const Patch from = state.leaderboard.best().patch;
    const Address randomness{"layer:a/source:a", "phase_random"}, phase{"layer:a/source:a", "phase"};
    constexpr double lowHz = 200.0; // above it nobody hears where a cycle begins
    const auto& notes = state.inputs.profile().notes;
    const bool low =
        std::any_of(notes.begin(), notes.end(), [](const NoteProfile& n) { return hzFromKey(n.note.key) < lowHz; });
    if (!low || state.inputs.settings.instrument || state.constraints.locked(randomness) ||
        from.value(randomness) == 0.0)
        return;
    std::vector<Patch> fixed;
    for (int i = 0; i < 16; ++i) {
        Patch patch = from;
        patch.set(randomness, 0.0);
        if (!state.constraints.locked(phase)) patch.set(phase, 22.5 * i);
        fixed.push_back(state.constraints.applied(std::move(patch)));
    }
    const Evaluator evaluator = state.evaluator(allowance);
    auto candidates = evaluator.evaluate(fixed);
    refineBest(state, evaluator, candidates, 1, 1);
}

} // namespace facet
