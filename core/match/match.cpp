#include "core/match/match.h"

#include "core/base/parallel.h"
#include "core/match/curves.h"
#include "core/match/estimate.h"
#include "core/match/finalists.h"
#include "core/match/search.h"
#include "core/match/simplicity.h"
#include "core/match/stretch.h"

#include <algorithm>
#include <set>

namespace facet {

namespace {

constexpr int scoredSeeds = 4;

/// A part of a long recording tells as much, and all of it would take the search's time to measure.
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

struct Finalists {
    std::vector<Patch> patches; ///< the first is what the search began with
    std::size_t least;          ///< so many are marked in whatever time
};

/// What is marked at the end: the best of each leading structure. A smaller loss is not always a greater likeness: what
/// was gone on with stays unless something is better, and what was worth more on the way.
Finalists finalistsOf(const Search& search, const MatchSettings& settings, bool hurried) {
    constexpr std::size_t most = 5;
    std::vector<Patch> patches{settings.start};
    std::set<std::string> kinds;
    double last = -1.0;
    for (const Search::Best& each : search.bests) {
        if (patches.size() == (hurried ? 2 : 1 + most)) break;
        if (std::abs(each.candidate.loss - last) < sameLoss * last) continue;
        if (!kinds.insert(structureText(each.candidate.patch)).second) continue;
        last = each.candidate.loss;
        patches.push_back(each.candidate.patch);
    }
    std::size_t least = std::min<std::size_t>(2, patches.size());
    const auto also = [&](const Patch& patch) {
        const auto settled = patches.begin() + static_cast<std::ptrdiff_t>(least);
        const auto same =
            std::find_if(patches.begin() + 1, patches.end(), [&](const Patch& each) { return each.soundsLike(patch); });
        if (same < settled) return;
        if (same != patches.end()) patches.erase(same);
        patches.insert(patches.begin() + static_cast<std::ptrdiff_t>(least++), patch);
    };
    if (!search.goneOnWith.empty()) also(search.goneOnWith.front());
    if (search.favorite && !hurried) also(*search.favorite);
    return {std::move(patches), least};
}

} // namespace

MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task, const std::function<void(const MatchProgress&)>& progress) {
    return match({MatchTarget{reference, performance}}, settings, task, progress);
}

MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& settings, const Task& task,
                  const std::function<void(const MatchProgress&)>& progress) {
    const auto begun = std::chrono::steady_clock::now();
    if (targets.empty()) throw Error("There is nothing to match; open a reference first.");
    double weights = 0.0;
    for (const MatchTarget& target : targets) {
        requireUsable(target.reference, "The reference");
        const bool any = !target.performance.notes.empty();
        if (any && attendedNotes(target.performance, target.leftOut).notes.empty())
            throw Error("Every note lies in what is left out; leave out less.");
        if (!any)
            throw Error("There are no notes to play: import a MIDI file or draw the notes of this recording first.");
        weights += target.weight;
    }
    if (!maySound(settings)) throw Error("The locks leave nothing that sounds; unlock a source, or switch one on.");
    std::vector<PreparedTarget> prepared;
    for (const MatchTarget& target : targets)
        prepared.push_back(PreparedTarget::prepare(
            isLong(target) ? stretchOf(target, tellingSpan(target, enoughSeconds)) : target, weights, settings, task));
    std::vector<PreparedTarget> looked;
    for (const PreparedTarget& target : prepared) looked.push_back(target.searched(settings, task));
    Search search(looked, prepared.front(), settings, task, progress);
    search.started = begun;
    search.markSeconds = secondsSince(begun);
    search.run();

    // A stop asks for the best so far, which still needs its marks: these few renders are not stopped again.
    MatchResult result;
    result.performance = targets.front().performance;
    result.performance.seed = settings.seed;
    const bool hurried =
        task.stop.stop_requested() || (settings.seconds > 0.0 && secondsSince(search.started) > settings.seconds);
    const double forCurves = 0.06 * std::max(0.0, settings.seconds); // kept for what moves over the phrase
    const auto late = [&](double more) {
        return settings.seconds > 0.0 && secondsSince(search.started) + more > settings.seconds;
    };
    const auto [marking, least] = finalistsOf(search, settings, hurried);
    std::vector<ScoredPatch> scored;
    while (scored.size() < marking.size()) {
        if (scored.size() >= least && late(search.markSeconds + forCurves)) break;
        const auto beside = static_cast<std::size_t>(std::max(2, settings.threads));
        const std::size_t first = scored.size(), count = std::min(beside, marking.size() - first);
        scored.resize(first + count);
        parallelFor(static_cast<int>(count), settings.threads, [&](int i) {
            const std::size_t at = first + static_cast<std::size_t>(i);
            scored[at] = scoreAll(marking[at], prepared, 1, settings);
        });
    }
    result.before = scored.front();
    scored.erase(scored.begin());
    // The ranking looks at what people see, and of two that are as good at which is simpler.
    const auto worth = [&](const ScoredPatch& one) {
        return worthOf(one.patch, one.likeness, one.loss, settings.start);
    };
    std::stable_sort(scored.begin(), scored.end(),
                     [&](const ScoredPatch& a, const ScoredPatch& b) { return worth(a) > worth(b); });
    // What it began with stays unless something is worth more: a short search must not undo work.
    if (search.allows(settings.start) && !scored.empty() && worth(result.before) > worth(scored.front()))
        scored.insert(scored.begin(), result.before);
    result.curves.resize(prepared.size());
    const bool mayDraw = !scored.empty() && (settings.evaluations <= 0 || search.complete);
    for (std::size_t t = 0; t < prepared.size() && mayDraw; ++t) {
        if (hurried || late(search.markSeconds)) break;
        if (isLong(targets[t])) continue; // a stretch does not tell how the whole moves
        const auto goOn = [&] { return !task.stop.stop_requested() && !late(search.markSeconds); };
        result.curves[t] = curvesFor(scored.front().patch, prepared[t], settings, goOn);
        for (const Curve& curve : result.curves[t]) prepared[t].performance.setCurve(curve);
    }
    // The search has overfitted its own seed a little: what is told of the winner is the mean over several.
    const bool drawn =
        std::any_of(result.curves.begin(), result.curves.end(), [](const auto& c) { return !c.empty(); });
    const bool inTime = !hurried && !late(0.5 * search.markSeconds);
    if (!scored.empty() && (drawn || inTime)) // what was marked without its curves must be marked again
        scored.front() = scoreAll(scored.front().patch, prepared, inTime ? scoredSeeds : 1, settings);
    // With other phases it may be worth less than the next one, which then has to show what it is worth itself.
    if (!drawn && inTime && scored.size() > 1 && worth(scored[1]) > worth(scored[0]) && !late(search.markSeconds)) {
        scored[1] = scoreAll(scored[1].patch, prepared, scoredSeeds, settings);
        if (worth(scored[1]) > worth(scored[0])) std::swap(scored[0], scored[1]);
    }
    if (scored.empty()) scored.push_back(result.before);
    for (const Curve& curve : result.curves.front()) result.performance.setCurve(curve);
    result.best = scored.front();
    result.evaluations = search.evaluations; // what follows is compared with nothing
    if (!hurried) result.ranges = search.rangesOf(result.best.patch);
    result.untold = search.untoldOf(result.best.patch);
    result.shortfalls = shortfallsOf(result.best.comparison, result.best.facetFloors, prepared.front().profile,
                                     measureQuality(targets.front().reference));
    result.best.patch.name = "Match";
    result.runnersUp.assign(scored.begin() + 1, scored.end());
    result.seconds = secondsSince(search.started);
    result.complete = search.complete;
    return result;
}

} // namespace facet
