#include "core/match/suggest/move_plan.h"

#include "core/match/evidence/motion_odds.h"
#include "core/match/match.h"
#include "core/match/search/score.h"
#include "core/match/starts/estimate.h"
#include "core/match/starts/hypotheses.h"
#include "core/parameters/note_timing.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace facet {

namespace {

/// dB that an element counts for each factor e by which it is less likely than not.
constexpr double dbPerLogOdds = 0.2;

/// Whether a filter's envelope moves its cutoff by less than a fifth or so: that is a refinement's doing, not a
/// producer's.
bool sweepsSlightly(const Patch& patch) {
    constexpr double leastSemitones = 7.0;
    for (const auto& module : patch.modules()) {
        if (module.kind == ModuleKind::filter && std::abs(patch.value({module.path, "envelope"})) >= leastSemitones)
            return false;
        const std::string& to = module.contents().to;
        if (module.kind == ModuleKind::link && to.ends_with("/cutoff") &&
            kindOfPath(module.contents().from) == ModuleKind::envelope &&
            std::abs(patch.value({module.path, "amount"})) >= leastSemitones)
            return false;
    }
    return true;
}

/// The patch without what is too slight to be told.
Patch plain(Patch patch) {
    if (!sweepsSlightly(patch)) return patch;
    for (const PatchElement& each : elementsOf(patch))
        if (each.element == Element::sweptFilter && each.without) return *each.without;
    return patch;
}

} // namespace

double implausibilityOf(const Patch& patch, const ElementOdds& odds) {
    std::set<Element> elements;
    for (const PatchElement& each : elementsOf(patch)) elements.insert(each.element);
    double cost = 0.0;
    for (const Element each : elements)
        cost += dbPerLogOdds * std::clamp(-odds.of(each), 0.0, mostLogOdds) +
                (priceOf(each) - priceOf(Element::saw)) / worthPerDb;
    return cost;
}

MovePlan measuredPlan(const Profile& profile, const Recording& reference48k, const Performance& performance,
                      const std::function<std::vector<double>(const std::vector<Patch>&)>& losses, int threads,
                      const Task& task) {
    MovePlan plan;
    if (performance.notes.empty()) return plan;
    const ElementOdds heard = withMeasuredMotion(elementOdds(reference48k, performance), profile.motion);
    task.check();
    std::vector<Patch> patches;
    for (Hypothesis& each : hypothesesFor(profile, reference48k, Patch(), threads, nullptr, heard, true, &plan.odds))
        patches.push_back(std::move(each.patch));
    task.check();
    const auto bestOf = [&](const std::vector<Patch>& some) {
        const std::vector<double> loss = losses(some);
        std::size_t best = 0;
        double least = 0.0;
        for (std::size_t i = 0; i < some.size(); ++i) {
            const double cost = loss[i] + implausibilityOf(some[i], plan.odds);
            if (i > 0 && cost >= least) continue;
            least = cost;
            best = i;
        }
        return best;
    };
    if (patches.empty()) return plan;
    plan.patch = timedInNotes(plain(patches[bestOf(patches)]), performance.tempo);
    std::vector<Patch> rooms = withMeasuredRoom(profile, plan.patch);
    if (rooms.empty() || !isInRoom(profile)) return plan;
    plan.patch = timedInNotes(rooms[bestOf(rooms)], performance.tempo);
    return plan;
}

MovePlan searchedPlan(const MatchTarget& target, const Attention& attention, const FacetWeights& weights,
                      double seconds, int evaluations, int threads, const Task& task) {
    MatchSettings settings;
    settings.weights = weights;
    if (attention.lowHz > 0.0) settings.focusLowHz = std::clamp(attention.lowHz, 20.0, 10000.0);
    if (attention.highHz > 0.0) settings.focusHighHz = std::clamp(attention.highHz, 2.0 * settings.focusLowHz, 20000.0);
    settings.seconds = seconds;
    settings.evaluations = evaluations;
    settings.threads = threads;
    MatchResult found = match({target}, settings, task);
    task.check(); // a search that was stopped gives what it has: too little for a plan that is kept
    return {plain(std::move(found.best.patch)), found.odds};
}

} // namespace facet
