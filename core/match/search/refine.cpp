#include "core/match/search/refine.h"

#include "core/match/optimize/refinement.h"
#include "core/match/starts/estimate.h"

#include <algorithm>
#include <map>
#include <string>

namespace facet {

namespace {

/// Improves candidates [begin, end) side by side; `limits` gives those of each.
template <typename LimitsOf>
std::vector<Refinement> refineRange(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates,
                                    std::size_t begin, std::size_t end, const LimitsOf& limits, int iterations,
                                    const LinearRefit* jacobian) {
    std::vector<Refinement> some;
    for (std::size_t k = begin; k < end; ++k)
        some.emplace_back(candidates[k].patch, limits(k), state.inputs.movable(), iterations, jacobian);
    refineTogether(
        some, [&](const std::vector<Patch>& patches) { return evaluator.residuals(patches); },
        [&](std::size_t count) { return evaluator.affords(count); }, state.inputs.settings.threads);
    return some;
}

} // namespace

Candidate refine(SearchState& state, const Evaluator& evaluator, const Candidate& from, int iterations) {
    std::vector<Candidate> one{from};
    refineEach(state, evaluator, one, iterations);
    return one.front();
}

void refineEach(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates, int iterations,
                const LinearRefit* jacobian) {
    const std::size_t together = jacobian ? 6 : 2;
    const auto limits = [&](std::size_t) -> const SearchLimits& { return state.inputs.settings.limits; };
    for (std::size_t i = 0; i < candidates.size(); i += together) {
        const std::size_t end = std::min(candidates.size(), i + together);
        const auto some = refineRange(state, evaluator, candidates, i, end, limits, iterations, jacobian);
        for (std::size_t k = i; k < end; ++k) {
            const Candidate refined = evaluator.ranked(some[k - i].patch(), some[k - i].loss());
            if (!jacobian && evaluator.records())
                state.jacobian.offer(some[k - i].jacobian(), refined.rank, state.leaderboard.bestRank());
            if (better(refined, candidates[k])) candidates[k] = refined;
        }
        state.reporter.report("refining " + structureText(candidates[i].patch));
    }
}

void refineEachWithin(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates,
                      const std::vector<SearchLimits>& limits, int iterations) {
    constexpr std::size_t together = 2;
    for (std::size_t i = 0; i < candidates.size(); i += together) {
        const std::size_t end = std::min(candidates.size(), i + together);
        const auto some = refineRange(
            state, evaluator, candidates, i, end, [&](std::size_t k) -> const SearchLimits& { return limits[k]; },
            iterations, nullptr);
        for (std::size_t k = i; k < end; ++k) {
            const Candidate refined = evaluator.ranked(some[k - i].patch(), some[k - i].loss());
            if (better(refined, candidates[k])) candidates[k] = refined;
        }
        state.reporter.report("refining " + structureText(candidates[i].patch));
    }
}

void refineBest(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& candidates, std::size_t most,
                int iterations, const LinearRefit* jacobian) {
    std::stable_sort(candidates.begin(), candidates.end(), better);
    if (candidates.size() > most) candidates.resize(most);
    refineEach(state, evaluator, candidates, iterations, jacobian);
}

void keepDifferent(std::vector<Candidate>& candidates, std::size_t most, int ofEach) {
    std::stable_sort(candidates.begin(), candidates.end(), better);
    std::map<std::string, int> taken;
    std::vector<Candidate> kept;
    for (Candidate& each : candidates)
        if (kept.size() < most && ++taken[structureText(each.patch)] <= ofEach) kept.push_back(std::move(each));
    candidates = std::move(kept);
}

std::vector<Patch> scattered(SearchState& state, const Patch& patch, double deviation, int count) {
    const SearchSpace space(patch, state.inputs.settings.limits, state.inputs.movable());
    std::vector<Patch> patches;
    for (int i = 0; i < count; ++i) {
        Eigen::VectorXd position = space.positionOf(patch);
        for (int k = 0; k < space.size(); ++k) {
            double sum = -6.0; // the sum of twelve uniform numbers is nearly normal
            for (int u = 0; u < 12; ++u) sum += state.random.unit();
            position(k) += deviation * sum * (space.upper()(k) - space.lower()(k));
        }
        patches.push_back(space.patchAt(patch, position.cwiseMax(space.lower()).cwiseMin(space.upper())));
    }
    return patches;
}

} // namespace facet
