#include "core/match/match.h"

#include "core/analysis/quality.h"
#include "core/base/error.h"
#include "core/match/search/curves.h"
#include "core/match/search/finalists.h"
#include "core/match/search/search.h"
#include "core/match/targets/segment.h"

#include <algorithm>
#include <chrono>

namespace facet {

namespace {

/// A segment of a long recording is as informative, and all of it would take the search's time to measure.
constexpr double longSeconds = 30.0, enoughSeconds = 20.0;
bool isLong(const MatchTarget& target) { return target.performance.seconds() > longSeconds; }

/// Whether locks let any source be heard.
bool maySound(const MatchSettings& settings) {
    const Patch& patch = settings.start;
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& m) {
        const Address on{m.path, "on"};
        return m.kind == ModuleKind::source && (patch.value(on) > 0.5 || !settings.limits.locks.contains(on));
    });
}

void requireMatchable(const std::vector<MatchTarget>& targets, const MatchSettings& settings) {
    if (targets.empty()) throw Error("There is nothing to match; open a reference first.");
    for (const MatchTarget& target : targets) {
        requireUsable(target.reference, "The reference");
        if (target.performance.notes.empty())
            throw Error("There are no notes to play: import a MIDI file or draw the notes of this recording first.");
        if (attendedNotes(target.performance, target.leftOut).notes.empty())
            throw Error("Every note lies in what is left out; leave out less.");
    }
    if (!maySound(settings)) throw Error("The locks leave nothing that sounds; unlock a source, or switch one on.");
}

/// All of each target, but of long ones their most informative part.
std::vector<PreparedTarget> prepare(const std::vector<MatchTarget>& targets, const MatchSettings& settings,
                                    const Task& task) {
    double weights = 0.0;
    for (const MatchTarget& target : targets) weights += target.weight;
    std::vector<PreparedTarget> prepared;
    for (const MatchTarget& target : targets)
        prepared.push_back(PreparedTarget::prepare(
            isLong(target) ? segmentOf(target, mostInformativeSpan(target, enoughSeconds)) : target, weights,
            settings.forTargets(), task));
    return prepared;
}

/// Curves of each target with the winner, put into the targets' performances. Where the number of evaluations is what
/// limits, only a search that came to rest has them, so that equal evaluations give equal results.
std::vector<std::vector<Curve>> drawCurves(const Patch& winner, const std::vector<MatchTarget>& targets,
                                           std::vector<PreparedTarget>& prepared, const SearchState& search,
                                           const Deadline& deadline) {
    std::vector<std::vector<Curve>> curves(prepared.size());
    const MatchSettings& settings = search.inputs.settings;
    if (settings.evaluations > 0 && !search.complete) return curves;
    const double scoreSeconds = search.budget.scoreSeconds();
    for (std::size_t t = 0; t < prepared.size(); ++t) {
        if (deadline.hurried() || deadline.passedIn(scoreSeconds)) break;
        if (isLong(targets[t])) continue; // a segment does not say how the whole moves
        const auto goOn = [&] { return !deadline.stopped() && !deadline.passedIn(scoreSeconds); };
        curves[t] = curvesFor(winner, prepared[t], settings, goOn);
        for (const Curve& curve : curves[t]) prepared[t].performance.setCurve(curve);
    }
    return curves;
}

} // namespace

MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task, const MatchListener& progress) {
    return match({MatchTarget{reference, performance}}, settings, task, progress);
}

MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& settings, const Task& task,
                  const MatchListener& progress) {
    const auto started = std::chrono::steady_clock::now();
    requireMatchable(targets, settings);
    std::vector<PreparedTarget> prepared = prepare(targets, settings, task);
    std::vector<PreparedTarget> searched;
    for (const PreparedTarget& target : prepared) searched.push_back(target.searched(settings.forTargets(), task));

    SearchState search({searched, prepared.front(), settings, task, identifiableBy(searched)}, started, progress);
    runSearch(search);

    const Deadline deadline(search);
    std::vector<ScoredPatch> scored =
        scoreFinalists(finalistsOf(search, deadline), prepared, settings, deadline, search.budget.scoreSeconds());
    MatchResult result;
    result.before = scored.front();
    scored.erase(scored.begin());
    rankByWorth(scored, result.before, search);
    result.curves.resize(prepared.size());
    if (!scored.empty()) result.curves = drawCurves(scored.front().patch, targets, prepared, search, deadline);
    const bool curvesDrawn =
        std::any_of(result.curves.begin(), result.curves.end(), [](const auto& curves) { return !curves.empty(); });
    rescoreWinner(scored, prepared, curvesDrawn, search, deadline);
    if (scored.empty()) scored.push_back(result.before);

    result.performance = targets.front().performance;
    result.performance.seed = settings.seed;
    for (const Curve& curve : result.curves.front()) result.performance.setCurve(curve);
    result.best = scored.front();
    result.evaluations = search.budget.evaluations(); // what follows is compared with nothing
    if (!deadline.hurried()) result.ranges = certaintyOf(search, result.best.patch);
    result.unidentifiable = unidentifiableOf(search.inputs, result.best.patch);
    result.shortfalls = shortfallsOf(result.best.comparison, result.best.facetFloors, prepared.front().profile,
                                     measureQuality(targets.front().reference));
    result.best.patch.name = "Match";
    result.runnersUp.assign(scored.begin() + 1, scored.end());
    result.seconds = search.budget.secondsSoFar();
    result.complete = search.complete;
    return result;
}

} // namespace facet
