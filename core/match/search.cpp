#include "core/match/search.h"

#include "core/base/parallel.h"
#include "core/dsp/evolution.h"
#include "core/match/estimate.h"
#include "core/match/motion.h"
#include "core/match/recombination.h"
#include "core/match/refinement.h"
#include "core/match/simplicity.h"
#include "core/match/spaces.h"
#include "core/match/structural_moves.h"
#include "core/parameters/changes.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <optional>
#include <utility>

namespace facet {

namespace {

constexpr double simplerWins = 0.08; ///< all that is pruned may cost this share of the loss
constexpr double oneEarns = 0.03;    ///< a module must earn this share of it
constexpr double heardLoss = 1.0;    ///< of likeness that pruning may cost
constexpr int variantsOfEach = 4;    ///< of a hypothesis, near its estimate
constexpr double restGain = 0.01;    ///< a round that gains less is the last
constexpr double quickGain = 0.05;   ///< the same of a quick one

/// What a change does, whatever it is a change of.
std::string keyOf(const Patch& from, const Patch& changed) {
    std::string key;
    for (const PatchChange& each : changesBetween(from, changed))
        key += fmt::format("{} {} {} {};", static_cast<int>(each.kind), each.path, each.field, each.after);
    return key;
}

} // namespace

Search::Search(const std::vector<PreparedTarget>& all, const PreparedTarget& first, const MatchSettings& options,
               const Task& work, const std::function<void(const MatchProgress&)>& listener)
    : Trials(all, first, options, work, listener),
      random(options.goOnWith.empty() ? options.seed : combineSeeds(options.seed, options.goOnWith.front().hash())) {}

void Search::run() {
    try {
        try {
            evaluate({constrained(settings.start)});
        } catch (const BudgetSpent&) {} // what measurements say comes first
        try {
            if (settings.goOnWith.empty()) {
                race();
                fixPhases();
            } else {
                goOn();
            }
            settle();
            for (attempt = 1; mayBeginAnew(); ++attempt) beginAnew();
        } catch (const BudgetSpent&) {
            complete = false;
        }
        // What was kept back is for pruning and levels, and time for curves.
        share = settings.evaluations > 0 ? 0.96 : 0.9;
        try {
            prune();
        } catch (const BudgetSpent&) {
            complete = false;
        }
        share = settings.evaluations > 0 ? 1.0 : 0.94;
        finishLevels();
    } catch (const BudgetSpent&) {
        complete = false;
    } catch (const Cancelled&) {
        complete = false;
    }
    std::stable_sort(bests.begin(), bests.end(),
                     [](const auto& a, const auto& b) { return better(a.candidate, b.candidate); });
}

std::vector<KnownRange> Search::rangesOf(const Patch& patch) {
    insists = true;
    return certaintyOf(patch, SearchSpace(patch, settings.limits, told),
                       [this](const std::vector<Patch>& patches) { return residuals(patches); });
}

std::vector<Address> Search::untoldOf(const Patch& patch) const {
    std::vector<Address> untold = SearchSpace(patch, settings.limits, Told{}).addresses();
    const auto searched = SearchSpace(patch, settings.limits, told).addresses();
    std::erase_if(untold,
                  [&](const Address& a) { return std::find(searched.begin(), searched.end(), a) != searched.end(); });
    return untold;
}

Candidate Search::refine(const Candidate& from, int iterations) {
    std::vector<Candidate> one{from};
    refineEach(one, {settings.limits}, iterations);
    return one.front();
}

void Search::refineEach(std::vector<Candidate>& candidates, const std::vector<SearchLimits>& limits, int iterations,
                        const LinearRefit* near) {
    constexpr double nearly = 1.05; // a step that measures slopes, or a range's end, may lie a little beside the best
    const std::size_t together = near ? 6 : 2;
    for (std::size_t i = 0; i < candidates.size(); i += together) {
        const std::size_t end = std::min(candidates.size(), i + together);
        std::vector<Refinement> some;
        for (std::size_t k = i; k < end; ++k)
            some.emplace_back(candidates[k].patch, limits.size() == 1 ? limits.front() : limits[k], told, iterations,
                              near);
        refineTogether(
            some, [this](const std::vector<Patch>& patches) { return residuals(patches); },
            [this](std::size_t count) { return affords(count); }, settings.threads);
        for (std::size_t k = i; k < end; ++k) {
            const Candidate refined = ranked(some[k - i].patch(), some[k - i].loss());
            if (!near && looked == &targets && limits.size() == 1 && refined.rank <= nearly * bestRank &&
                refined.rank < slopesRank) {
                slopes = some[k - i].slopes();
                slopesRank = refined.rank;
            }
            if (better(refined, candidates[k])) candidates[k] = refined;
        }
        report("refining " + structureText(candidates[i].patch));
    }
}

void Search::keepDifferent(std::vector<Candidate>& candidates, std::size_t most, int ofEach) {
    std::stable_sort(candidates.begin(), candidates.end(), better);
    std::map<std::string, int> taken;
    std::vector<Candidate> kept;
    for (Candidate& each : candidates)
        if (kept.size() < most && ++taken[structureText(each.patch)] <= ofEach) kept.push_back(std::move(each));
    candidates = std::move(kept);
}

void Search::keepDifferentAnd(const std::set<std::string>& kinds, std::vector<Candidate>& candidates, std::size_t most,
                              int ofEach) {
    constexpr double notFar = 1.6; // times the loss of the best
    std::optional<Candidate> told;
    for (const Candidate& each : candidates)
        if (kinds.contains(structureText(each.patch)) && (!told || better(each, *told))) told = each;
    keepDifferent(candidates, most, ofEach);
    if (told && told->loss < notFar * candidates.front().loss &&
        std::none_of(candidates.begin(), candidates.end(),
                     [&](const Candidate& c) { return kinds.contains(structureText(c.patch)); }))
        candidates.push_back(*told);
}

void Search::refineAll(std::vector<Candidate>& candidates, std::size_t keep, int iterations, const LinearRefit* near) {
    std::stable_sort(candidates.begin(), candidates.end(), better);
    if (candidates.size() > keep) candidates.resize(keep);
    refineEach(candidates, {settings.limits}, iterations, near);
}

std::vector<Patch> Search::scattered(const Patch& patch, double deviation, int count) {
    const SearchSpace space(patch, settings.limits, told);
    std::vector<Patch> patches;
    for (int i = 0; i < count; ++i) {
        Eigen::VectorXd position = space.positionOf(patch);
        for (int k = 0; k < space.size(); ++k) {
            double sum = -6.0; // twelve uniform numbers make a near-normal one
            for (int u = 0; u < 12; ++u) sum += random.unit();
            position(k) += deviation * sum * (space.upper()(k) - space.lower()(k));
        }
        patches.push_back(space.patchAt(patch, position.cwiseMax(space.lower()).cwiseMin(space.upper())));
    }
    return patches;
}

void Search::race() {
    std::vector<PreparedTarget> early;
    constexpr double atFirst = 1.5; // seconds
    if (auto part = targets.front().telling(atFirst, settings)) {
        part->share = 1.0;
        early.push_back(std::move(*part));
        looked = &early;
    }
    std::vector<Candidate> entrants;
    std::vector<Patch> starts;
    std::set<std::string> measured;
    bool stopped = false;
    try {
        const auto enter = [&](const Hypothesis& hypothesis) {
            const Patch start = constrained(fitting(hypothesis.patch));
            if (kindsOf(start) != kindsOf(hypothesis.patch)) return; // a lock forbids it
            if (std::none_of(starts.begin(), starts.end(), [&](const Patch& p) { return p.soundsLike(start); }))
                starts.push_back(start);
            if (hypothesis.measured) measured.insert(structureText(start));
        };
        const Recording heard = attended(whole.reference, whole.attention);
        if (hypotheses.empty()) hypotheses = hypothesesFor(profile, heard, settings.start, settings.threads);
        for (const Hypothesis& each : hypotheses) enter(each);
        constexpr int ofTheBank = 48; // others each time
        if (settings.bank)
            for (const Hypothesis& each :
                 hypothesesFrom(*settings.bank, profile, heard, whole.upperHz, ofTheBank, attempt))
                if (holdsLocked(each.patch)) enter(each);
        entered = starts.size();
        if (starts.empty()) starts.push_back(constrained(withMotion(profile, estimate(profile, settings.start))));
        entrants = evaluate(starts);
        std::stable_sort(entrants.begin(), entrants.end(), better);
        const auto* stretch = std::exchange(looked, &targets); // something to hear as soon as can be
        evaluate({entrants.front().patch});
        report("comparing kinds of sound");
        looked = stretch;
        donors.clear();
        for (const Candidate& each : entrants) donors.push_back(each.patch);
        std::erase_if(entrants, [&](const Candidate& e) { return followed.contains(kindsOf(e.patch)); });
        keepDifferentAnd(measured, entrants, 20, 3);
        varyEach(entrants);
        keepDifferentAnd(measured, entrants, 6, 2);
        refineAll(entrants, entrants.size(), 1);
    } catch (const BudgetSpent&) {
        // What was seen of them is what there is.
    } catch (const Cancelled&) {
        stopped = true;
    }
    looked = &targets;
    if (entrants.empty() && !starts.empty()) entrants.push_back({starts.front()}); // what measurements say
    keepDifferent(entrants, 5, 1);
    std::vector<Patch> first;
    for (const Candidate& entrant : entrants) first.push_back(entrant.patch);
    insists = true; // in whatever time, something must come of it
    entrants = evaluate(first);
    insists = false;
    if (stopped) throw Cancelled();
    report("comparing kinds of sound");
    refineAll(entrants, 2, 1);
    for (const Candidate& entrant : entrants) followed.insert(kindsOf(entrant.patch));
    refineAll(entrants, 1, 2);
}

void Search::settle() {
    const auto gains = [this](Depth depth) {
        const bool gained = round(depth);
        markRound();
        return gained;
    };
    vain.clear();
    markRound();
    addSpace();
    while (gains(Depth::quick)) {}
    do {
        while (gains(Depth::usual)) {}
    } while (gains(Depth::thorough) || polish());
}

bool Search::mayBeginAnew() const {
    constexpr int mostAttempts = 8;
    constexpr std::size_t free = 20; // ways to begin, where locks leave some choice
    constexpr double alike = 97.0;
    const bool limited = settings.seconds > 0.0 || settings.evaluations > 0;
    return limited && attempt < mostAttempts && (entered == 0 || entered >= free) &&
           likenessOf(bestOfAll().patch) < alike;
}

void Search::beginAnew() {
    constexpr double promising = 1.4; // times the rank of the best
    earlier.swap(bests);
    forgetSlopes();
    earlierRank = bestRank;
    bestRank = std::numeric_limits<double>::infinity();
    report("beginning anew from other kinds of sound");
    try {
        race();
        if (bestRank < promising * earlierRank) settle();
    } catch (...) {
        joinEarlier();
        throw;
    }
    joinEarlier();
}

void Search::joinEarlier() {
    for (const Best& each : earlier) keep(each);
    forgetSlopes();
    bestRank = std::min(bestRank, earlierRank);
    earlier.clear();
    earlierRank = std::numeric_limits<double>::infinity();
}

void Search::goOn() {
    for (const Patch& patch : settings.goOnWith) goneOnWith.push_back(constrained(patch));
    insists = true;
    std::vector<Candidate> entrants = evaluate(goneOnWith);
    insists = false;
    report("going on");
    refineAll(entrants, 4, 2);
}

void Search::varyEach(std::vector<Candidate>& entrants) {
    std::vector<Patch> tried;
    std::vector<std::size_t> entrantOf;
    for (std::size_t e = 0; e < entrants.size(); ++e) {
        std::vector<Patch> variants = scattered(entrants[e].patch, 0.06, variantsOfEach);
        for (Patch& turned : otherPhases(entrants[e].patch)) variants.push_back(std::move(turned));
        entrantOf.insert(entrantOf.end(), variants.size(), e);
        tried.insert(tried.end(), variants.begin(), variants.end());
    }
    const auto all = evaluate(tried);
    for (std::size_t i = 0; i < all.size(); ++i)
        if (better(all[i], entrants[entrantOf[i]])) entrants[entrantOf[i]] = all[i];
}

std::vector<Patch> Search::otherPhases(const Patch& patch) const {
    std::vector<Patch> turned;
    for (const auto& module : patch.modules()) {
        const Address phase{module.path, "phase"};
        if (module.kind != ModuleKind::lfo || !takesPart(patch, module) || locked(phase)) continue;
        for (double by : {90.0, 180.0, 270.0}) {
            Patch other = patch;
            other.setNearest(phase, std::fmod(patch.value(phase) + by, 360.0));
            turned.push_back(constrained(std::move(other)));
        }
    }
    return turned;
}

void Search::fixPhases() {
    const Patch from = best().patch;
    const Address randomness{"layer:a/source:a", "phase_random"};
    if (locked(randomness) || from.value(randomness) == 0.0) return;
    std::vector<Patch> fixed;
    for (int i = 0; i < 16; ++i) {
        Patch patch = from;
        patch.set(randomness, 0.0);
        if (!locked({"layer:a/source:a", "phase"})) patch.set({"layer:a/source:a", "phase"}, 22.5 * i);
        fixed.push_back(constrained(std::move(patch)));
    }
    auto phased = evaluate(fixed);
    refineAll(phased, 2, 2);
}

void Search::addSpace() {
    const Candidate before = best();
    std::vector<Patch> spaces;
    for (Patch& each : withSpaces(before.patch, settings.limits, profile))
        spaces.push_back(constrained(fitting(std::move(each))));
    auto moved = evaluate(spaces);
    report("echoes and rooms");
    fitNewcomers(moved, before);
    std::erase_if(moved, [&](const Candidate& each) { return each.rank > before.rank; });
    refineAll(moved, 1, 1);
}

void Search::fitNewcomers(std::vector<Candidate>& moved, const Candidate& before) {
    constexpr double promising = 1.6; // times the loss without it
    std::map<std::string, std::pair<std::string, const Candidate*>> bestOfKind;
    for (const Candidate& each : moved) {
        const Patch::Module* newcomer = newcomerIn(each.patch, before.patch);
        if (!newcomer || each.loss > promising * before.loss) continue;
        // What only colors would stand in for what the filters and sources have not found yet.
        if (newcomer->kind == ModuleKind::equalizer || newcomer->kind == ModuleKind::postFilter) continue;
        std::string kind(labelOf(newcomer->kind));
        if (newcomer->kind == ModuleKind::source)
            kind += fmt::format(" {} {}", each.patch.value({newcomer->path, "wave"}), layerOfPath(newcomer->path));
        if (newcomer->kind == ModuleKind::filter)
            kind += fmt::format(" {}", each.patch.value({newcomer->path, "kind"}));
        auto& best = bestOfKind[kind];
        if (!best.second || better(each, *best.second)) best = {newcomer->path, &each};
    }
    constexpr std::size_t mostKinds = 10;
    std::vector<std::pair<std::string, Candidate>> newcomers;
    for (const auto& [kind, best] : bestOfKind) newcomers.emplace_back(best.first, *best.second);
    std::stable_sort(newcomers.begin(), newcomers.end(),
                     [](const auto& a, const auto& b) { return better(a.second, b.second); });
    newcomers.resize(std::min(newcomers.size(), mostKinds));
    std::vector<Candidate> fitted;
    std::vector<SearchLimits> within;
    for (const auto& [path, newcomer] : newcomers) {
        // What a room adds, the release had to stand for without it.
        const ModuleKind kind = newcomer.patch.find(path)->kind;
        const bool tails = kind == ModuleKind::reverb || kind == ModuleKind::delay;
        // In a layer that has come with it everything is new.
        const std::string layer(layerOfPath(path));
        const bool layered = !layer.empty() && !before.patch.find(layer);
        SearchLimits limits = settings.limits;
        for (const Address& address : newcomer.patch.addresses())
            if (address.module != path && !(layered && layerOfPath(address.module) == layer) &&
                !(tails && address.field == "release"))
                limits.locks.insert(address);
        fitted.push_back(newcomer);
        within.push_back(std::move(limits));
    }
    refineEach(fitted, within, 2);
    moved.insert(moved.end(), fitted.begin(), fitted.end());
}

void Search::measureSlopes() {
    constexpr double same = 1e-6;
    if (slopes && slopesRank <= (1.0 + same) * bestRank) return;
    forgetSlopes();
    refine(best(), 1);
}

void Search::forgetSlopes() {
    slopes.reset();
    slopesRank = std::numeric_limits<double>::infinity();
}

Search::Changes Search::evaluateGivingWay(const std::vector<Patch>& patches) {
    constexpr std::size_t most = 24;
    constexpr double hopeless = 1.1; // times the rank of the best
    struct Promise {
        Candidate asItCame, foretold{};
        const Eigen::VectorXf* residual;
    };
    Changes changes;
    std::vector<Promise> promises;
    const auto all = residuals(patches);
    for (std::size_t i = 0; i < patches.size(); ++i) {
        if (slopes && slopes->soundsAs(all[i])) { // it would only take the place of what changes something
            vain.insert(keyOf(slopes->at(), patches[i]));
            continue;
        }
        changes.tried.push_back(ranked(patches[i], Loss::value(all[i])));
        promises.push_back({changes.tried.back(), {}, &all[i]});
    }
    if (!slopes) return changes;
    parallelFor(static_cast<int>(promises.size()), settings.threads, [&](int i) {
        Promise& promise = promises[static_cast<std::size_t>(i)];
        const LinearRefit::Estimate estimate = slopes->of(promise.asItCame.patch, *promise.residual);
        promise.foretold = ranked(constrained(estimate.patch), estimate.loss);
    });
    for (const Promise& each : promises)
        if (each.foretold.rank > hopeless * bestRank) vain.insert(keyOf(slopes->at(), each.asItCame.patch));
    std::stable_sort(promises.begin(), promises.end(),
                     [](const Promise& a, const Promise& b) { return better(a.foretold, b.foretold); });
    promises.resize(std::min(promises.size(), most));
    std::vector<Patch> fitted;
    for (const Promise& each : promises) fitted.push_back(each.foretold.patch);
    const auto reached = evaluate(fitted);
    for (std::size_t i = 0; i < reached.size(); ++i) {
        const Promise& promise = promises[i];
        changes.tried.push_back(reached[i]);
        if (promise.foretold.rank <= bestRank)
            changes.promising.push_back(better(promise.asItCame, reached[i]) ? promise.asItCame : reached[i]);
    }
    return changes;
}

void Search::refineChanges(Changes changes, std::size_t promising) {
    std::vector<Candidate>& some = changes.tried;
    std::size_t added = 0;
    for (const Candidate& each : changes.promising) {
        const auto known = some.begin() + static_cast<std::ptrdiff_t>(added);
        if (added == promising) break;
        if (std::any_of(known, some.end(), [&](const Candidate& c) { return c.patch.soundsLike(each.patch); }))
            continue;
        some.insert(known, each);
        ++added;
    }
    if (slopes) refineEach(some, {settings.limits}, 1, &*slopes);
    refineAll(some, slopes ? 2 : 6, 1);
}

std::vector<Patch> Search::changesOf(const Patch& from, Depth depth) {
    if (depth == Depth::thorough) vain.clear();
    std::vector<Patch> changed;
    for (Patch& other : structuralMoves(from, settings.limits, profile)) {
        other = constrained(fitting(std::move(other)));
        if (!other.soundsLike(from) && !vain.contains(keyOf(from, other))) changed.push_back(std::move(other));
    }
    constexpr std::size_t ways = 8;
    for (Patch& other : recombined(from, donors, settings.limits, ways))
        changed.push_back(constrained(std::move(other)));
    return changed;
}

bool Search::round(Depth depth) {
    constexpr std::size_t lookedInto = 8; // as they are, and as many again at most that promise something
    const Candidate before = best();
    measureSlopes();
    Changes changes = evaluateGivingWay(changesOf(slopes ? slopes->at() : before.patch, depth));
    report("other structures");
    if (depth == Depth::quick) {
        keepDifferent(changes.tried, lookedInto, 1);
        refineChanges(std::move(changes), lookedInto / 2);
        refine(best(), 2);
        return bestRank < (1.0 - quickGain) * before.rank;
    }
    if (depth == Depth::thorough) fitNewcomers(changes.tried, before);
    keepDifferent(changes.tried, lookedInto, lookedInto);
    refineChanges(std::move(changes), lookedInto);
    auto restarts = evaluate(scattered(best().patch, 0.06, 24));
    refineAll(restarts, 2, 2);
    refine(best(), 4);
    return bestRank < (1.0 - restGain) * before.rank;
}

bool Search::polish() {
    constexpr double deviation = 0.06;
    constexpr int generations = 25;
    const Candidate before = best();
    const SearchSpace space(before.patch, settings.limits, told);
    const int most = generations * (4 + static_cast<int>(3.0 * std::log(std::max(2, space.size()))));
    evolve(
        [&](const std::vector<Eigen::VectorXd>& points) {
            std::vector<Patch> patches;
            for (const auto& point : points) patches.push_back(space.patchAt(before.patch, point));
            std::vector<double> losses;
            for (const Candidate& each : evaluate(patches)) losses.push_back(each.loss);
            report("a cloud about the best");
            return losses;
        },
        space.positionOf(before.patch), space.lower(), space.upper(),
        {.deviation = deviation, .evaluations = most, .seed = random.bits()}, task);
    refine(best(), 3);
    return bestRank < (1.0 - restGain) * before.rank;
}

void Search::prune() {
    pruned = best();
    try {
        pruneFurther();
    } catch (...) {
        preferSimpler();
        throw;
    }
    preferSimpler();
}

void Search::pruneFurther() {
    const double most = (1.0 + simplerWins) * pruned.loss;
    double likenessBefore = likenessOf(pruned.patch);
    bool went = true, fits = true;
    while (went) {
        std::vector<Patch> without;
        for (Patch& each : simplerThan(pruned.patch, settings.limits))
            if (each = constrained(std::move(each)); !each.soundsLike(pruned.patch)) without.push_back(std::move(each));
        std::vector<Candidate> simpler = evaluate(without);
        std::stable_sort(simpler.begin(), simpler.end(), better);
        went = false;
        for (std::size_t i = 0; i < std::min<std::size_t>(simpler.size(), 3) && !went; ++i) {
            const Candidate refined = refine(simpler[i], 1);
            report("without what makes no difference");
            if (refined.loss > std::min(most, (1.0 + oneEarns) * pruned.loss)) continue;
            requireBudget(1);
            const double likeness = likenessOf(refined.patch);
            if (likeness < likenessBefore - heardLoss) continue;
            likenessBefore = std::max(likenessBefore, likeness);
            pruned = refined;
            went = true;
            fits = false;
        }
    }
    constexpr int further = 4; // what is left takes over from what went
    if (!fits) pruned = refine(pruned, further);
}

void Search::finishLevels() {
    constexpr double mostGrowth = 1.04;
    const Candidate before = best();
    const auto patches = towardsItsLevels(
        before.patch, settings.limits, told,
        [this](const std::vector<Patch>& some, const Difference& difference) { return differences(some, difference); },
        task);
    if (patches.empty()) return;
    for (const Candidate& after : evaluate(patches)) {
        if (after.rank > mostGrowth * before.rank) continue;
        for (Best& each : bests)
            if (each.structure == kindsOf(after.patch)) each.candidate = after;
        break;
    }
    report("levels");
}

void Search::preferSimpler() {
    std::erase_if(bests, [&](const Best& b) {
        return b.candidate.loss < pruned.loss && b.structure != kindsOf(pruned.patch) &&
               b.candidate.loss > pruned.loss / (1.0 + 2.0 * simplerWins);
    });
}

} // namespace facet
