#include "core/match/search/finalists.h"

#include "core/base/parallel.h"
#include "core/instruments/played_on.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <string>

namespace facet {

namespace {

constexpr int scoredSeeds = 4;

double worthOf(const ScoredPatch& one, SearchState& search) {
    return worthOf(search, one.patch, one.likeness, one.loss);
}

/// Moves a patch up among those that are scored in whatever time, or adds it there.
void promote(Finalists& finalists, const Patch& patch) {
    auto& patches = finalists.patches;
    const auto settled = patches.begin() + static_cast<std::ptrdiff_t>(finalists.least);
    const auto same =
        std::find_if(patches.begin() + 1, patches.end(), [&](const Patch& each) { return each.soundsLike(patch); });
    if (same < settled) return;
    if (same != patches.end()) patches.erase(same);
    patches.insert(patches.begin() + static_cast<std::ptrdiff_t>(finalists.least++), patch);
}

} // namespace

Deadline::Deadline(const SearchState& search) : search_(search), hurried_(stopped() || passedIn(0.0)) {}

bool Deadline::stopped() const { return search_.inputs.task.stop.stop_requested(); }

bool Deadline::passedIn(double seconds) const {
    const double limit = search_.inputs.settings.seconds;
    return limit > 0.0 && search_.budget.secondsSoFar() + seconds > limit;
}

double Deadline::secondsForCurves() const {
    constexpr double share = 0.06;
    return share * std::max(0.0, search_.inputs.settings.seconds);
}

Finalists finalistsOf(const SearchState& search, const Deadline& deadline) {
    constexpr std::size_t most = 5;
    Finalists finalists{{search.inputs.settings.start}, 0};
    std::set<std::string> constructions;
    double last = -1.0;
    for (const Leaderboard::Entry& each : search.leaderboard.present()) {
        if (finalists.patches.size() == (deadline.hurried() ? 2 : 1 + most)) break;
        if (std::abs(each.candidate.loss - last) < sameLoss * last) continue;
        if (finalists.patches.size() > 1 && search.inputs.isNoiseForTone(each.candidate.patch)) continue;
        if (!constructions.insert(constructionOf(each.candidate.patch)).second) continue;
        last = each.candidate.loss;
        finalists.patches.push_back(each.candidate.patch);
    }
    finalists.least = std::min<std::size_t>(2, finalists.patches.size());
    // A smaller loss is not always a greater likeness: what an earlier search had found stays unless something is
    // better, and so does what was worth most on the way.
    if (!search.wentOnWith.empty()) promote(finalists, search.wentOnWith.front());
    if (search.mostValued.patch && !deadline.hurried()) promote(finalists, *search.mostValued.patch);
    for (const Patch& each : search.finished) promote(finalists, each);
    if (const auto& instrument = search.inputs.settings.instrument)
        for (Patch& each : finalists.patches) each = playedOn(*instrument, each);
    return finalists;
}

std::vector<ScoredPatch> scoreFinalists(const Finalists& finalists, const std::vector<PreparedTarget>& targets,
                                        const MatchSettings& settings, const Deadline& deadline, double& scoreSeconds) {
    const auto& patches = finalists.patches;
    const auto together = static_cast<std::size_t>(std::max(2, settings.threads));
    std::vector<ScoredPatch> scored;
    while (scored.size() < patches.size()) {
        if (scored.size() >= finalists.least && deadline.passedIn(scoreSeconds + deadline.secondsForCurves())) break;
        const auto begun = std::chrono::steady_clock::now();
        const std::size_t first = scored.size(), count = std::min(together, patches.size() - first);
        scored.resize(first + count);
        parallelFor(static_cast<int>(count), settings.threads, [&](int i) {
            const std::size_t at = first + static_cast<std::size_t>(i);
            scored[at] = scoreAll(patches[at], targets, 1, settings);
        });
        scoreSeconds = secondsSince(begun); // of as many as there are threads
    }
    return scored;
}

void rankByWorth(std::vector<ScoredPatch>& scored, const ScoredPatch& before, SearchState& search) {
    std::stable_sort(scored.begin(), scored.end(), [&](const ScoredPatch& a, const ScoredPatch& b) {
        return worthOf(a, search) > worthOf(b, search);
    });
    if (scored.empty() || !search.constraints.allow(search.inputs.settings.start)) return;
    // Simpler, or nearer in what no facet sees, is no reason to sound less alike than at the beginning.
    std::stable_partition(scored.begin(), scored.end(),
                          [&](const ScoredPatch& each) { return each.likeness >= before.likeness; });
    const ScoredPatch& best = scored.front();
    if (best.likeness < before.likeness || worthOf(before, search) > worthOf(best, search))
        scored.insert(scored.begin(), before);
}

void rescoreWinner(std::vector<ScoredPatch>& scored, ScoredPatch& before, const std::vector<PreparedTarget>& targets,
                   bool curvesDrawn, SearchState& search, const Deadline& deadline) {
    if (scored.empty()) return;
    const MatchSettings& settings = search.inputs.settings;
    const double scoreSeconds = search.budget.scoreSeconds();
    constexpr double batches = 2.0; // of as many seeds as there are threads
    const bool inTime = !deadline.hurried() && !deadline.passedIn(batches * scoreSeconds);
    const int seeds = inTime ? scoredSeeds : 1;
    if (curvesDrawn || inTime) scored.front() = scoreAll(scored.front().patch, targets, seeds, settings);
    if (!curvesDrawn && inTime && scored.size() > 1 && !deadline.passedIn(batches * scoreSeconds) &&
        worthOf(scored[1], search) > worthOf(scored[0], search)) {
        scored[1] = scoreAll(scored[1].patch, targets, scoredSeeds, settings);
        if (worthOf(scored[1], search) > worthOf(scored[0], search)) std::swap(scored[0], scored[1]);
    }
    if (scored.front().likeness >= before.likeness || !search.constraints.allow(settings.start)) return;
    before = scoreAll(before.patch, targets, seeds, settings); // by the same measure
    if (scored.front().likeness < before.likeness) scored.insert(scored.begin(), before);
}

} // namespace facet
