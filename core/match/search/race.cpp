#include "core/match/search/race.h"

#include "core/audio/attention.h"
#include "core/match/proposals/effect_proposals.h"
#include "core/match/proposals/instrument_proposals.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/match/proposals/voicing_proposals.h"
#include "core/match/search/refine.h"
#include "core/match/starts/estimate.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

namespace facet {

namespace {

/// The patches a race begins with.
struct StartingPoints {
    std::vector<Patch> patches;
    std::set<std::string> measured; ///< structures that a measurement set apart, so that a poor render says little
};

/// Puts a starting point among the others, unless a lock forbids it.
void enter(const SearchState& state, const Hypothesis& hypothesis, StartingPoints& starts) {
    Patch heard = hypothesis.patch;
    if (state.raced.comb)
        if (auto combed = withMeasuredComb(*state.raced.comb, heard)) heard = std::move(*combed);
    const Patch allowed = state.constraints.withoutExcluded(std::move(heard));
    const Patch start = state.constraints.applied(state.constraints.centered(allowed));
    if (!state.inputs.settings.instrument && structureKeyOf(start) != structureKeyOf(allowed)) return;
    if (std::none_of(starts.patches.begin(), starts.patches.end(), [&](const Patch& p) { return p.soundsLike(start); }))
        starts.patches.push_back(start);
    if (hypothesis.measured) starts.measured.insert(structureText(start));
}

void enterMeasured(SearchState& state, const Recording& heard, StartingPoints& starts) {
    const SearchInputs& in = state.inputs;
    auto& hypotheses = state.raced.hypotheses;
    if (hypotheses.empty()) {
        constexpr double longEnough = 8.0; // seconds of a search that may listen for a comb
        if (in.settings.seconds <= 0.0 || in.settings.seconds >= longEnough)
            state.raced.comb = sideCombOf(heard, in.settings.threads);
        hypotheses = hypothesesFor(in.profile(), heard, in.settings.start, in.settings.threads,
                                   state.raced.comb ? &*state.raced.comb : nullptr, *in.odds, in.settings.parts.stories,
                                   in.odds.get());
        if (state.raced.comb) state.settled.insert(state.raced.comb->kind());
    }
    for (const Hypothesis& each : hypotheses) enter(state, each, starts);
    constexpr std::size_t inRooms = 12;
    for (std::size_t i = 0; i < std::min(inRooms, hypotheses.size()); ++i)
        if (const std::vector<Patch> rooms = withMeasuredRoom(in.profile(), hypotheses[i].patch); !rooms.empty())
            enter(state, {hypotheses[i].words, rooms[rooms.size() / 2], hypotheses[i].measured}, starts);
}

void enterOfTheBank(SearchState& state, const Recording& heard, int attempt, StartingPoints& starts) {
    const SearchInputs& in = state.inputs;
    constexpr int count = 48; // others at each attempt
    if (!in.settings.bank) return;
    for (const Hypothesis& each :
         hypothesesFrom(*in.settings.bank, in.profile(), heard, in.whole().upperHz, count, attempt))
        if (state.constraints.hasLocked(each.patch)) enter(state, each, starts);
}

/// What was measured, as the instrument plays it, with a few of its controls anywhere.
void enterOfTheInstrument(SearchState& state, StartingPoints& starts) {
    constexpr int count = 48;
    if (!state.inputs.settings.instrument) return;
    for (Patch& each : strayedSettings(*state.inputs.settings.instrument, starts.patches, count, state.random))
        enter(state, {"", std::move(each)}, starts);
}

/// Where nothing else may begin: the start patch with what was measured.
void enterEstimate(const SearchState& state, StartingPoints& starts) {
    const SearchInputs& in = state.inputs;
    if (starts.patches.empty())
        starts.patches.push_back(
            state.constraints.applied(withMotion(in.profile(), estimate(in.profile(), in.settings.start))));
}

StartingPoints startingPoints(SearchState& state, int attempt) {
    const Recording heard = attended(state.inputs.whole().reference, state.inputs.whole().attention);
    StartingPoints starts;
    enterMeasured(state, heard, starts);
    enterOfTheInstrument(state, starts);
    enterOfTheBank(state, heard, attempt, starts);
    state.raced.entered = starts.patches.size();
    enterEstimate(state, starts);
    return starts;
}

/// keepDifferent(), and the best of each measured structure where it is not far behind, three at most: they get a
/// second look.
void keepDifferentAndMeasured(const std::set<std::string>& measured, std::vector<Candidate>& candidates,
                              std::size_t most, int ofEach) {
    constexpr double notFar = 1.6; // times the loss of the best
    constexpr std::size_t mostMeasured = 3;
    std::stable_sort(candidates.begin(), candidates.end(), better);
    std::vector<Candidate> bestMeasured;
    std::set<std::string> seen;
    for (const Candidate& each : candidates) {
        const std::string structure = structureText(each.patch);
        if (bestMeasured.size() < mostMeasured && measured.contains(structure) && seen.insert(structure).second)
            bestMeasured.push_back(each);
    }
    keepDifferent(candidates, most, ofEach);
    for (const Candidate& each : bestMeasured) {
        const bool kept = std::any_of(candidates.begin(), candidates.end(), [&](const Candidate& c) {
            return structureText(c.patch) == structureText(each.patch);
        });
        if (!kept && each.loss < notFar * candidates.front().loss) candidates.push_back(each);
    }
}

/// The patch with each LFO at other phases, to which no step of a refinement leads.
std::vector<Patch> withOtherLfoPhases(const Constraints& constraints, const Patch& patch) {
    std::vector<Patch> turned;
    for (const auto& module : patch.modules()) {
        const Address phase{module.path, "phase"};
        if (module.kind != ModuleKind::lfo || !takesPart(patch, module) || constraints.locked(phase)) continue;
        for (double by : {90.0, 180.0, 270.0}) {
            Patch other = patch;
            other.setNearest(phase, std::fmod(patch.value(phase) + by, 360.0));
            turned.push_back(constraints.applied(std::move(other)));
        }
    }
    return turned;
}

/// How notes follow each other is the same whatever they sound like: the way that suits the best of several starting
/// points is taken over by all.
void chooseVoicing(const SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& entrants) {
    constexpr std::size_t asked = 3;
    std::vector<Patch> voiced;
    for (std::size_t i = 0; i < std::min(asked, entrants.size()); ++i)
        proposeVoicings({entrants[i].patch, state.inputs.settings.limits, state.inputs.profile()}, voiced);
    if (voiced.empty()) return;
    for (Patch& each : voiced) each = state.constraints.applied(std::move(each));
    const std::vector<Candidate> compared = evaluator.evaluate(voiced);
    const Candidate& best = *std::min_element(compared.begin(), compared.end(), better);
    if (!better(best, entrants.front())) return;
    std::vector<Patch> all;
    for (const Candidate& each : entrants) {
        all.push_back(each.patch);
        for (const char* field : {"mode", "glide", "glide_when"})
            all.back().set({"voicing", field}, best.patch.value({"voicing", field}));
        all.back() = state.constraints.applied(std::move(all.back()));
    }
    entrants = evaluator.evaluate(all);
    std::stable_sort(entrants.begin(), entrants.end(), better);
}

std::vector<Patch> patchesOf(const std::vector<Candidate>& candidates) {
    std::vector<Patch> patches;
    for (const Candidate& each : candidates) patches.push_back(each.patch);
    return patches;
}

/// Each replaced by the best of what lies near it.
void varyEach(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& entrants) {
    constexpr int variantsOfEach = 4;
    constexpr double deviation = 0.06;
    std::vector<Patch> tried;
    std::vector<std::size_t> entrantOf;
    for (std::size_t e = 0; e < entrants.size(); ++e) {
        std::vector<Patch> variants = scattered(state, entrants[e].patch, deviation, variantsOfEach);
        for (Patch& turned : withOtherLfoPhases(state.constraints, entrants[e].patch))
            variants.push_back(std::move(turned));
        entrantOf.insert(entrantOf.end(), variants.size(), e);
        tried.insert(tried.end(), variants.begin(), variants.end());
    }
    const auto all = evaluator.evaluate(tried);
    for (std::size_t i = 0; i < all.size(); ++i)
        if (better(all[i], entrants[entrantOf[i]])) entrants[entrantOf[i]] = all[i];
}

/// The first heats, on a segment: what comes through, at most six.
void runHeats(SearchState& state, const Evaluator& quick, const Evaluator& whole, const StartingPoints& starts,
              std::vector<Candidate>& entrants) {
    entrants = quick.evaluate(starts.patches);
    std::stable_sort(entrants.begin(), entrants.end(), better);
    whole.evaluate({entrants.front().patch}); // something to hear as soon as can be
    state.reporter.report("comparing kinds of sound");
    state.raced.donors.clear();
    for (const Candidate& each : entrants) state.raced.donors.push_back(each.patch);
    std::erase_if(entrants, [&](const Candidate& e) { return state.raced.followed.contains(structureKeyOf(e.patch)); });
    keepDifferentAndMeasured(starts.measured, entrants, 20, 3);
    varyEach(state, quick, entrants);
    keepDifferentAndMeasured(starts.measured, entrants, 6, 2);
    refineBest(state, quick, entrants, entrants.size(), 1);
}

/// Adds the best with every kind of effect: what distorts or widens is heard in a few notes too.
void addEffectsToBest(SearchState& state, const Evaluator& evaluator, std::vector<Candidate>& entrants) {
    constexpr std::size_t tried = 2;
    std::stable_sort(entrants.begin(), entrants.end(), better);
    std::vector<Patch> affected;
    for (std::size_t i = 0; i < std::min(tried, entrants.size()); ++i) {
        const Patch& best = entrants[i].patch;
        for (Patch& each : withEffects({best, state.inputs.settings.limits, state.inputs.profile()})) {
            each = state.constraints.applied(state.constraints.centered(std::move(each)));
            if (!each.soundsLike(best)) affected.push_back(std::move(each));
        }
    }
    for (Candidate& each : evaluator.evaluate(affected)) entrants.push_back(std::move(each));
}

} // namespace

void race(SearchState& state, Allowance allowance, int attempt) {
    const SearchInputs& in = state.inputs;
    constexpr double segmentSeconds = 1.5;
    std::vector<PreparedTarget> segment;
    if (auto part = in.targets.front().segment(segmentSeconds, in.settings.forTargets())) {
        part->share = 1.0;
        segment.push_back(std::move(*part));
    }
    const Evaluator whole = state.evaluator(allowance);
    const Evaluator quick =
        segment.empty() ? whole : Evaluator::unrecorded(in, segment, state.budget, state.leaderboard, allowance);
    std::vector<Candidate> entrants;
    StartingPoints starts;
    bool stopped = false;
    try {
        starts = startingPoints(state, attempt);
        runHeats(state, quick, whole, starts, entrants);
    } catch (const BudgetSpent&) {
        // What was seen of them is what there is.
    } catch (const Cancelled&) {
        stopped = true;
    }
    if (entrants.empty() && !starts.patches.empty()) entrants.push_back({starts.patches.front()});
    keepDifferent(entrants, 5, 1);
    // In whatever time, something must come of it.
    entrants = state.evaluator({allowance.share, true}).evaluate(patchesOf(entrants));
    if (stopped) throw Cancelled();
    state.reporter.report("comparing kinds of sound");
    refineBest(state, whole, entrants, 2, 1);
    for (const Candidate& entrant : entrants) state.raced.followed.insert(structureKeyOf(entrant.patch));
    refineBest(state, whole, entrants, 1, 2);
}

void halve(SearchState& state, const std::vector<PreparedTarget>& few, Allowance allowance,
           const std::function<void(const Patch&)>& afterHeat) {
    constexpr std::size_t refinedOnFew = 12;
    struct Heat {
        std::size_t most;
        int iterations;
    };
    const Evaluator quick = Evaluator::unrecorded(state.inputs, few, state.budget, state.leaderboard, allowance);
    const StartingPoints starts = startingPoints(state, 0);
    std::vector<Candidate> entrants = quick.evaluate(starts.patches);
    std::stable_sort(entrants.begin(), entrants.end(), better);
    chooseVoicing(state, quick, entrants);
    for (const Candidate& each : entrants) state.raced.donors.push_back(each.patch);
    const Evaluator evaluator = state.evaluator(allowance);
    evaluator.evaluate({entrants.front().patch});
    afterHeat(entrants.front().patch);
    keepDifferentAndMeasured(starts.measured, entrants, refinedOnFew, 1);
    refineEach(state, quick, entrants, 1);
    addEffectsToBest(state, quick, entrants);
    bool onFew = true;
    for (const Heat& heat : {Heat{6, 1}, {3, 3}, {2, 4}}) {
        keepDifferent(entrants, heat.most, 1);
        if (std::exchange(onFew, false)) entrants = evaluator.evaluate(patchesOf(entrants));
        refineEach(state, evaluator, entrants, heat.iterations);
        for (const Candidate& each : entrants) state.raced.followed.insert(structureKeyOf(each.patch));
        afterHeat(state.leaderboard.best().patch);
    }
}

void tryReading(SearchState& state, Allowance allowance) {
    constexpr std::size_t most = 3;
    StartingPoints starts;
    enterMeasured(state, attended(state.inputs.whole().reference, state.inputs.whole().attention), starts);
    enterEstimate(state, starts);
    // The first of them whatever the budget, so that there is something to judge the reading by.
    const Evaluator evaluator = state.evaluator(allowance);
    std::vector<Candidate> entrants = state.evaluator({allowance.share, true, true}).evaluate({starts.patches.front()});
    starts.patches.erase(starts.patches.begin());
    for (Candidate& each : evaluator.evaluate(starts.patches)) entrants.push_back(std::move(each));
    state.reporter.report("reading the notes another way");
    keepDifferentAndMeasured(starts.measured, entrants, most, 1);
    varyEach(state, evaluator, entrants);
    refineBest(state, evaluator, entrants, 2, 2);
}

void goOn(SearchState& state, Allowance allowance) {
    for (const Patch& patch : state.inputs.settings.goOnWith)
        state.wentOnWith.push_back(state.constraints.applied(patch));
    std::vector<Candidate> entrants = state.evaluator({allowance.share, true}).evaluate(state.wentOnWith);
    state.reporter.report("going on");
    refineBest(state, state.evaluator(allowance), entrants, 4, 2);
}

} // namespace facet
