#include "core/match/match.h"

#include "core/analysis/quality.h"
#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/match/element_evidence.h"
#include "core/match/evidence/motion_odds.h"
#include "core/match/search/curves.h"
#include "core/match/search/described_instrument.h"
#include "core/match/search/finalists.h"
#include "core/match/search/search.h"
#include "core/match/search/slow_movers.h"
#include "core/match/targets/segment.h"

#include <algorithm>
#include <chrono>
#include <deque>
#include <memory>
#include <optional>

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

/// Readings of the first target that a search tries: the likely ones; none where it has to keep to its performance, or
/// has no time. A long recording is compared in the part that its own notes choose, so that readings of one cannot be
/// compared.
std::vector<std::size_t> readingsToTry(const MatchTarget& target, const MatchSettings& settings) {
    constexpr std::size_t most = 3;
    constexpr double likely = 0.08; // times the likeliest
    constexpr double leastSeconds = 8.0;
    std::vector<std::size_t> tried;
    const bool tooShort = settings.seconds > 0.0 && settings.seconds < leastSeconds;
    if (target.readings.size() < 2 || tooShort || isLong(target) || !settings.goOnWith.empty()) return tried;
    double largest = 0.0;
    for (const ReadNotes& each : target.readings) largest = std::max(largest, each.probability);
    for (std::size_t r = 0; r < target.readings.size() && tried.size() < most; ++r) {
        const ReadNotes& each = target.readings[r];
        const bool notes = !attendedNotes(each.performance, target.leftOut).notes.empty();
        if (notes && (r == 0 || each.probability >= likely * largest)) tried.push_back(r);
    }
    if (tried.size() < 2) tried.clear();
    return tried;
}

/// A search for each reading that is to be tried, or one; all compare the same part of each recording. Where measuring
/// takes long against the time there is, the less likely readings are not looked at.
std::deque<ReadingSearch> searchesOf(const std::vector<MatchTarget>& targets, const MatchSettings& settings,
                                     const Budget& budget, const Task& task) {
    constexpr double mostForMeasuring = 0.15; // of the time

    std::vector<std::size_t> tried = readingsToTry(targets.front(), settings);
    std::deque<ReadingSearch> searches;
    searches.push_back({0, prepare(targets, settings, task), {}});
    std::vector<std::optional<TimeSpan>> spans;
    for (const PreparedTarget& target : searches.front().prepared) {
        spans.push_back(target.searchedSpan());
        searches.front().searched.push_back(target.searched(spans.back(), settings.forTargets(), task));
    }
    for (std::size_t k = 1; k < tried.size(); ++k) {
        if (settings.seconds > 0.0 && budget.secondsSoFar() > mostForMeasuring * settings.seconds) break;
        ReadingSearch other{tried[k], searches.front().prepared, searches.front().searched};
        MatchTarget target = targets.front();
        target.performance = target.readings[tried[k]].performance;
        const double share = other.prepared.front().share;
        other.prepared.front() = PreparedTarget::prepare(target, target.weight / share, settings.forTargets(), task);
        other.searched.front() = other.prepared.front().searched(spans.front(), settings.forTargets(), task);
        searches.push_back(std::move(other));
    }
    return searches;
}

/// The best that each reading came to which was not gone on with: one, and more as far as there is time to score them.
std::vector<ScoredPatch> bestOfOtherReadings(const std::deque<ReadingSearch>& searches, std::size_t winner,
                                             const MatchSettings& settings, const Deadline& deadline,
                                             double scoreSeconds) {
    std::vector<ScoredPatch> others;
    for (std::size_t i = 0; i < searches.size(); ++i) {
        if (i == winner || searches[i].state->leaderboard.empty()) continue;
        if (deadline.hurried() || (!others.empty() && deadline.passedIn(scoreSeconds))) break;
        others.push_back(scoreAll(searches[i].state->leaderboard.best().patch, searches[i].prepared, 1, settings));
        others.back().reading = searches[i].reading;
    }
    return others;
}

/// Puts curves in the place of what moves the winner once through the phrase, where it sounds as near with them.
std::vector<Curve> unwind(Patch& winner, PreparedTarget& target) {
    constexpr double asNear = 1.03; // times the loss
    const Unwound other = unwound(winner, target.performance);
    if (other.curves.empty()) return {};
    Performance moved = target.performance;
    for (const Curve& curve : other.curves) moved.setCurve(curve);
    const auto lossOf = [&](const Patch& patch, const Performance& performance) {
        return Loss::value(target.loss->residual(std::move(renderAt48k({&patch, 1}, performance).front())));
    };
    if (lossOf(other.patch, moved) > asNear * lossOf(winner, target.performance)) return {};
    winner = other.patch;
    target.performance = std::move(moved);
    return other.curves;
}

/// Curves of each target with the winner, put into the targets' performances. Where the number of evaluations is what
/// limits, only a search that came to rest has them, so that equal evaluations give equal results.
std::vector<std::vector<Curve>> drawCurves(Patch& winner, const std::vector<MatchTarget>& targets,
                                           std::vector<PreparedTarget>& prepared, const SearchState& search,
                                           const Deadline& deadline) {
    std::vector<std::vector<Curve>> curves(prepared.size());
    const MatchSettings& settings = search.inputs.settings;
    if (prepared.size() == 1 && !isLong(targets.front()) && !settings.instrument) curves.front() = unwind(winner, prepared.front());
    if (settings.evaluations > 0 && !search.complete) return curves;
    const double scoreSeconds = search.budget.scoreSeconds();
    for (std::size_t t = 0; t < prepared.size(); ++t) {
        if (deadline.hurried() || deadline.passedIn(scoreSeconds)) break;
        if (isLong(targets[t])) continue; // a segment does not say how the whole moves
        const auto goOn = [&] { return !deadline.stopped() && !deadline.passedIn(scoreSeconds); };
        for (const Curve& curve : curvesFor(winner, prepared[t], settings, goOn)) {
            curves[t].push_back(curve);
            prepared[t].performance.setCurve(curve);
        }
    }
    return curves;
}

/// Whether samples may have been held at a rate of their own, which half of the rate cannot show.
bool mayBeHeldCoarsely(const ElementOdds& odds) {
    constexpr double unlikely = -2.0; // log odds
    return odds.known() && odds.of(Element::reduction) > unlikely;
}

/// Of what is attended to of a target.
ElementOdds oddsOf(const PreparedTarget& target) {
    return withMeasuredMotion(elementOdds(attended(target.reference, target.attention), target.performance),
                              target.profile.motion);
}

} // namespace

MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task, const MatchListener& progress) {
    return match({MatchTarget{reference, performance}}, settings, task, progress);
}

MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& given, const Task& task,
                  const MatchListener& progress) {
    const MatchSettings settings = keptToInstrument(given);
    Budget budget(settings.seconds, settings.evaluations, std::chrono::steady_clock::now());
    requireMatchable(targets, settings);
    std::deque<ReadingSearch> searches = searchesOf(targets, settings, budget, task);
    // Measuring the targets has taken about as long as scoring a patch does.
    budget.setScoreSeconds(budget.secondsSoFar() / static_cast<double>(searches.size()));
    ReadingReports reports(progress);
    for (ReadingSearch& each : searches) {
        each.listener = reports.listenerOf(each.reading);
        const auto odds =
            std::make_shared<ElementOdds>(settings.parts.prior ? oddsOf(each.prepared.front()) : ElementOdds{});
        if (!mayBeHeldCoarsely(*odds))
            for (PreparedTarget& target : each.searched) target = target.atHalfRate(settings.forTargets());
        const SearchInputs inputs{each.searched, each.prepared, settings, task, identifiableBy(each.searched), odds};
        each.state = std::make_unique<SearchState>(inputs, budget, each.listener);
    }
    MatchResult result;
    const std::size_t winner =
        searches.size() > 1 ? tryReadings(searches, targets.front().readings, result.readings) : 0;
    const std::size_t reading = searches[winner].reading;
    reports.follow(reading);
    std::vector<PreparedTarget>& prepared = searches[winner].prepared;
    SearchState& search = *searches[winner].state;
    runSearch(search);
    budget.stages().enter("score");

    const Deadline deadline(search);
    double scoreSeconds = budget.scoreSeconds();
    std::vector<ScoredPatch> scored =
        scoreFinalists(finalistsOf(search, deadline), prepared, settings, deadline, scoreSeconds);
    budget.setScoreSeconds(scoreSeconds);
    result.before = scored.front();
    scored.erase(scored.begin());
    rankByWorth(scored, result.before, search);
    result.curves.resize(prepared.size());
    budget.stages().enter("curves");
    if (!scored.empty()) result.curves = drawCurves(scored.front().patch, targets, prepared, search, deadline);
    const bool curvesDrawn =
        std::any_of(result.curves.begin(), result.curves.end(), [](const auto& curves) { return !curves.empty(); });
    budget.stages().enter("score");
    rescoreWinner(scored, result.before, prepared, curvesDrawn, search, deadline);
    if (scored.empty()) scored.push_back(result.before);
    for (ScoredPatch& each : scored) each.reading = reading;

    const MatchTarget& first = targets.front();
    result.performance = searches.size() > 1 ? first.readings[reading].performance : first.performance;
    result.performance.seed = settings.seed;
    for (const Curve& curve : result.curves.front()) result.performance.setCurve(curve);
    result.best = scored.front();
    // What stayed as it was is told by the same seeds before and after.
    if (result.best.patch.soundsLike(result.before.patch) && !curvesDrawn) result.before = result.best;
    result.evaluations = budget.evaluations(); // what follows is compared with nothing
    budget.stages().enter("certainty");
    constexpr double mayBeLate = 0.4; // seconds
    if (!deadline.hurried() && !deadline.passedIn(budget.certaintySeconds() - mayBeLate))
        result.ranges = certaintyOf(search, result.best.patch);
    result.unidentifiable = unidentifiableOf(search.inputs, result.best.patch);
    result.shortfalls = shortfallsOf(result.best.comparison, result.best.facetFloors, prepared.front().profile,
                                     measureQuality(first.reference));
    result.odds = *search.inputs.odds;
    result.evidence = evidenceIn(prepared.front().profile, result.odds);
    result.instrument = settings.instrument;
    result.best.patch.name = "Match";
    result.runnersUp.assign(scored.begin() + 1, scored.end());
    for (ScoredPatch& other : bestOfOtherReadings(searches, winner, settings, deadline, budget.scoreSeconds()))
        result.runnersUp.push_back(std::move(other));
    result.seconds = budget.secondsSoFar();
    result.stages = budget.stages().all();
    result.complete = search.complete;
    return result;
}

} // namespace facet
