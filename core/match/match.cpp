#include "core/match/match.h"

#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/compare/loss.h"
#include "core/dsp/evolution.h"
#include "core/engine/render.h"
#include "core/match/curves.h"
#include "core/match/finalists.h"
#include "core/match/estimate.h"
#include "core/match/hypotheses.h"
#include "core/match/level_finish.h"
#include "core/match/motion.h"
#include "core/match/prepared_target.h"
#include "core/match/recombination.h"
#include "core/match/refinement.h"
#include "core/match/simplicity.h"
#include "core/match/stretch.h"
#include "core/match/structural_moves.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <map>
#include <set>

namespace facet {

namespace {

constexpr double simplerWins = 0.08; ///< all that is pruned may cost this share of the loss
constexpr double oneEarns = 0.03;    ///< a module must earn this share of it
constexpr double heardLoss = 1.0;    ///< of likeness that pruning may cost
constexpr double sameLoss = 2e-3;    ///< two this near to each other sound the same
constexpr int variantsOfEach = 4;    ///< of a hypothesis, near its estimate
constexpr double restGain = 0.01;    ///< a round that gains less is the last
constexpr double quickGain = 0.05;   ///< the same of a quick one
constexpr int scoredSeeds = 4;

/// Thrown inside the search when it may not evaluate any more; never leaves match().
struct BudgetSpent {};

double secondsSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

struct Candidate {
    Patch patch{};
    double loss = std::numeric_limits<double>::infinity();
    double rank = std::numeric_limits<double>::infinity(); ///< the loss with what the patch is handicapped by
};

bool better(const Candidate& a, const Candidate& b) { return a.rank < b.rank; }

class Search {
public:
    /// `first` is what the first of them is a stretch of.
    Search(const std::vector<PreparedTarget>& all, const PreparedTarget& first, const MatchSettings& options,
           const Task& work, const std::function<void(const MatchProgress&)>& listener)
        : targets(all), whole(first), profile(first.profile), settings(options), task(work), progress(listener),
          told(toldBy(all)),
          random(options.goOnWith.empty() ? options.seed
                                          : combineSeeds(options.seed, options.goOnWith.front().hash())) {}

    /// Leaves the best of each structure in `bests`, best first.
    void run() {
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

    /// Of a patch that was found; neither limit counts.
    std::vector<KnownRange> rangesOf(const Patch& patch) {
        insists = true;
        return certaintyOf(patch, SearchSpace(patch, settings.limits, told),
                           [this](const std::vector<Patch>& patches) { return residuals(patches); });
    }

    struct Best {
        std::string structure;
        Candidate candidate;
    };
    std::vector<Best> bests;
    std::vector<Patch> goneOnWith; ///< what an earlier search had found, within the limits
    std::optional<Patch> favorite; ///< see markRound()
    int evaluations = 0;
    bool complete = true;
    std::chrono::steady_clock::time_point started = std::chrono::steady_clock::now();
    double markSeconds = 0.1; ///< what it takes to measure and mark one patch, about

private:
    /// Two channels that differ by more than what noise of their own adds.
    static bool hasHeardSides(const WidthProfile& width) {
        constexpr double unheardDb = -40.0;
        return width.stereo && isMeasured(width.sideDb) && width.sideDb > unheardDb;
    }

    static Told toldBy(const std::vector<PreparedTarget>& all) {
        Told told{false, false, false};
        double lowKey = 128.0, highKey = 0.0, softest = 128.0, hardest = 0.0;
        for (const PreparedTarget& target : all) {
            told.width = told.width || hasHeardSides(target.profile.width);
            for (const Note& note : target.performance.notes) {
                lowKey = std::min(lowKey, 1.0 * note.key);
                highKey = std::max(highKey, 1.0 * note.key);
                softest = std::min(softest, note.velocity);
                hardest = std::max(hardest, note.velocity);
            }
        }
        told.keys = highKey - lowKey >= 3.0;
        told.velocities = hardest - softest >= 5.0;
        return told;
    }

    // ---- evaluation ----

    /// So many renders.
    bool affords(std::size_t count) const {
        return settings.evaluations <= 0 || evaluations + static_cast<double>(count) <= share * settings.evaluations;
    }
    void requireBudget(std::size_t count) const {
        if (insists) return;
        task.check();
        if (!affords(count)) throw BudgetSpent{};
        // Marking the finalists takes a while too, and the best of them over several seeds.
        constexpr double marks = 5.0;
        const double allowed = share * (settings.seconds - std::min(marks * markSeconds, 0.3 * settings.seconds));
        if (settings.seconds > 0.0 && secondsSince(started) > allowed && !(bests.empty() && earlier.empty()))
            throw BudgetSpent{};
    }

    /// Puts one target's residuals after the others', each worth its share divided by how many numbers it has.
    static void append(Eigen::VectorXf& all, const Eigen::VectorXf& residual, double share) {
        const Eigen::Index before = all.size();
        all.conservativeResize(before + residual.size());
        all.tail(residual.size()) = static_cast<float>(share / static_cast<double>(residual.size())) * residual;
    }

    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches) {
        auto result =
            differences(patches, [](const Loss& loss, const Recording& render) { return loss.residual(render); });
        if (looked == &targets) // losses of a stretch are others
            for (std::size_t i = 0; i < patches.size(); ++i) remember(patches[i], Loss::value(result[i]));
        return result;
    }

    /// What a loss finds between the targets and each patch.
    std::vector<Eigen::VectorXf> differences(const std::vector<Patch>& patches, const Difference& difference) {
        requireBudget(patches.size());
        std::vector<Eigen::VectorXf> result(patches.size());
        for (const PreparedTarget& target : *looked) {
            renderEachAt48k(
                patches, target.performance,
                [&](std::size_t i, Recording&& render) {
                    append(result[i], difference(*target.loss, render), target.share);
                },
                insists ? Task{} : task, settings.threads);
        }
        // The mean magnitude of all residuals together is the weighted mean of the targets' losses.
        for (Eigen::VectorXf& all : result) all *= static_cast<float>(all.size());
        evaluations += static_cast<int>(patches.size());
        return result;
    }

    std::vector<Candidate> evaluate(const std::vector<Patch>& patches) {
        std::vector<Candidate> result;
        const auto all = residuals(patches);
        for (std::size_t i = 0; i < patches.size(); ++i) result.push_back(ranked(patches[i], Loss::value(all[i])));
        return result;
    }

    Candidate ranked(const Patch& patch, double loss) const {
        return {patch, loss, loss * handicapOf(patch, settings.start)};
    }

    void remember(const Patch& patch, double value) {
        const Candidate candidate = ranked(patch, value);
        keep({kindsOf(patch), candidate});
        if (candidate.rank >= bestRank) return;
        bestRank = candidate.rank;
        improved = improved || bestRank < earlierRank;
    }

    void keep(const Best& one) {
        auto found =
            std::find_if(bests.begin(), bests.end(), [&](const Best& b) { return b.structure == one.structure; });
        if (found == bests.end())
            bests.push_back(one);
        else if (better(one.candidate, found->candidate))
            found->candidate = one.candidate;
    }

    /// Tells structures apart by the kinds of what sounds, not by values.
    static std::string kindsOf(const Patch& patch) {
        std::string text;
        for (const Address& address : patch.addresses()) {
            const Address on{address.module, "on"};
            if (patch.descriptor(address).smoothing != Smoothing::graph) continue;
            if (address != on && patch.has(on) && patch.value(on) < 0.5) continue;
            text += fmt::format("{}={} ", address.text(), patch.value(address));
        }
        return text;
    }

    const Candidate& best() const { return bestOf(bests); }
    static const Candidate& bestOf(const std::vector<Best>& some) {
        return std::min_element(some.begin(), some.end(),
                                [](const Best& a, const Best& b) { return better(a.candidate, b.candidate); })
            ->candidate;
    }
    /// Of all beginnings.
    const Candidate& bestOfAll() const { return earlier.empty() || bestRank < earlierRank ? best() : bestOf(earlier); }

    /// With the search's own seed; the facets are those of the first target.
    double likenessOf(const Patch& patch, std::array<double, facetCount>* facets = nullptr) const {
        double likeness = 0.0;
        for (const PreparedTarget& target : targets) {
            const Recording render = std::move(renderAt48k({&patch, 1}, target.performance, task).front());
            const Comparison comparison = target.compareWith(render, settings.threads, settings.weights, task);
            likeness += target.share * comparison.likeness;
            if (!facets || &target != &targets.front()) continue;
            facets->fill(notMeasurable);
            for (const auto& each : comparison.facets)
                if (each.measured) (*facets)[static_cast<std::size_t>(each.facet)] = each.likeness;
        }
        return likeness;
    }

    /// The best of each leading structure. One of them is compared now and then: that takes as long as many renders.
    std::vector<Leader> leaders() {
        constexpr std::size_t most = 4;
        constexpr double compareEvery = 1.5; // seconds
        std::vector<const Best*> order;
        for (const auto* some : {&bests, &earlier})
            for (const Best& each : *some) order.push_back(&each);
        std::stable_sort(order.begin(), order.end(),
                         [](const Best* a, const Best* b) { return better(a->candidate, b->candidate); });
        std::vector<Leader> leading;
        std::set<std::string> texts;
        double last = -1.0;
        for (const Best* each : order) {
            if (leading.size() == most) break;
            if (std::abs(each->candidate.loss - last) < sameLoss * last) continue; // with something that is not heard
            last = each->candidate.loss;
            Leader leader{each->candidate.patch, each->candidate.loss};
            if (!texts.insert(structureText(leader.patch)).second) continue; // people see no difference
            const std::uint64_t key = leader.patch.hash();
            if (!marked.contains(key) && secondsSince(lastMarked) > compareEvery) {
                marked[key] = {likenessOf(leader.patch)};
                lastMarked = std::chrono::steady_clock::now();
            }
            if (const auto known = marked.find(key); known != marked.end()) leader.likeness = known->second.likeness;
            leading.push_back(std::move(leader));
        }
        return leading;
    }

    void report(const std::string& trying) {
        if (!progress) return;
        MatchProgress now;
        now.trying = trying;
        now.evaluations = evaluations;
        now.seconds = secondsSince(started);
        now.fraction = std::clamp(
            std::max(settings.seconds > 0.0 ? now.seconds / settings.seconds : 0.0,
                     settings.evaluations > 0 ? static_cast<double>(evaluations) / settings.evaluations : 0.0),
            0.0, 1.0);
        now.best = bestOfAll().patch;
        now.loss = bestOfAll().loss;
        now.improved = improved;
        unmarked = unmarked || improved;
        constexpr double markEvery = 10.0; // times what it takes
        if (unmarked && now.seconds - markedAt > markEvery * markSeconds) {
            show(now.best);
            unmarked = false;
            markedAt = now.seconds;
        }
        now.likeness = shown.likeness;
        now.facets = shown.facets;
        now.leaders = leaders();
        improved = false;
        progress(now);
    }

    /// What people see of it from now on.
    void show(const Patch& patch) {
        Mark& mark = marked[patch.hash()];
        if (!mark.complete) {
            mark.likeness = likenessOf(patch, &mark.facets);
            mark.complete = true;
        }
        shown = mark;
    }

    /// Loss and likeness do not fall and rise together: of the best ones after each round, the one that is worth most
    /// stands at the end beside those that follow it.
    void markRound() {
        const Candidate now = best();
        show(now.patch);
        const double worth = worthOf(now.patch, shown.likeness, now.loss, settings.start);
        if (worth <= favoriteWorth) return;
        favoriteWorth = worth;
        favorite = now.patch;
    }

    /// In the middle, where the references have no sides: what differs between them is not searched there.
    Patch fitting(Patch patch) const {
        if (told.width) return patch;
        for (const Address& address : patch.addresses()) {
            const ParameterDescriptor& d = patch.descriptor(address);
            const FacetSet others = FacetSet(~(facetBit(Facet::width) | facetBit(Facet::space)));
            const bool widens = (d.facets & facetBit(Facet::width)) && !(d.facets & others) && d.low <= 0.0 &&
                                d.smoothing != Smoothing::graph;
            const bool given = settings.start.has(address) && settings.start.value(address) == patch.value(address);
            if (widens && !given) patch.set(address, 0.0);
        }
        return patch;
    }

    // ---- limits ----

    bool locked(const Address& address) const { return settings.limits.locks.contains(address); }

    /// Whether a patch that was not made from the start has all that is locked.
    bool holdsLocked(const Patch& patch) const {
        return std::all_of(settings.limits.locks.begin(), settings.limits.locks.end(),
                           [&](const Address& lock) { return patch.has(lock); });
    }

    /// Puts back everything that is locked and clips into the given ranges.
    Patch constrained(Patch patch) const {
        for (const Address& address : settings.limits.locks)
            if (patch.has(address)) patch.set(address, settings.start.value(address));
        for (const auto& [address, range] : settings.limits.ranges)
            if (patch.has(address) && !locked(address))
                patch.setNearest(address, std::clamp(patch.value(address), range.first, range.second));
        return patch;
    }

    // ---- refinement ----

    Candidate refine(const Candidate& from, int iterations) {
        std::vector<Candidate> one{from};
        refineEach(one, {settings.limits}, iterations);
        return one.front();
    }

    /// Improves each where it stands, within limits of its own or the one that is given for all.
    void refineEach(std::vector<Candidate>& candidates, const std::vector<SearchLimits>& limits, int iterations) {
        constexpr std::size_t together = 2;
        for (std::size_t i = 0; i < candidates.size(); i += together) {
            const std::size_t end = std::min(candidates.size(), i + together);
            std::vector<Refinement> some;
            for (std::size_t k = i; k < end; ++k)
                some.emplace_back(candidates[k].patch, limits.size() == 1 ? limits.front() : limits[k], told,
                                  iterations);
            refineTogether(
                some, [this](const std::vector<Patch>& patches) { return residuals(patches); },
                [this](std::size_t count) { return affords(count); }, settings.threads);
            for (std::size_t k = i; k < end; ++k) {
                const Candidate refined = ranked(some[k - i].patch(), some[k - i].loss());
                if (looked == &targets && limits.size() == 1 && refined.rank <= bestRank) {
                    slopes = some[k - i].slopes();
                    slopesRank = refined.rank;
                }
                if (better(refined, candidates[k])) candidates[k] = refined;
            }
            report("refining " + structureText(candidates[i].patch));
        }
    }

    /// Keeps the best so many, of each kind at most so many: what is alike gets stuck alike.
    static void keepDifferent(std::vector<Candidate>& candidates, std::size_t most, int ofEach) {
        std::stable_sort(candidates.begin(), candidates.end(), better);
        std::map<std::string, int> taken;
        std::vector<Candidate> kept;
        for (Candidate& each : candidates)
            if (kept.size() < most && ++taken[structureText(each.patch)] <= ofEach) kept.push_back(std::move(each));
        candidates = std::move(kept);
    }

    /// Keeps the best so many, and improves each of them where it stands.
    void refineAll(std::vector<Candidate>& candidates, std::size_t keep, int iterations) {
        std::stable_sort(candidates.begin(), candidates.end(), better);
        if (candidates.size() > keep) candidates.resize(keep);
        refineEach(candidates, {settings.limits}, iterations);
    }

    /// Nearby patches: every continuous parameter moved by a normal deviate.
    std::vector<Patch> scattered(const Patch& patch, double deviation, int count) {
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

    // ---- the stages ----

    /// Every hypothesis from its estimate, fewer and fewer of them, longer and longer: at first the longest note alone.
    void race() {
        std::vector<PreparedTarget> early;
        constexpr double atFirst = 1.5; // seconds
        if (auto part = targets.front().telling(atFirst, settings)) {
            part->share = 1.0;
            early.push_back(std::move(*part));
            looked = &early;
        }
        std::vector<Candidate> entrants;
        std::vector<Patch> starts;
        bool stopped = false;
        try {
            const auto enter = [&](const Hypothesis& hypothesis) {
                const Patch start = constrained(fitting(hypothesis.patch));
                if (kindsOf(start) != kindsOf(hypothesis.patch)) return; // a lock forbids it
                if (std::none_of(starts.begin(), starts.end(), [&](const Patch& p) { return p.soundsLike(start); }))
                    starts.push_back(start);
            };
            for (const Hypothesis& each : hypothesesFor(profile, whole.reference, settings.start)) enter(each);
            constexpr int ofTheBank = 48; // others each time
            if (settings.bank)
                for (const Hypothesis& each :
                     hypothesesFrom(*settings.bank, profile, whole.reference, whole.upperHz, ofTheBank, attempt))
                    if (holdsLocked(each.patch)) enter(each);
            entered = starts.size();
            if (starts.empty()) starts.push_back(constrained(withMotion(profile, estimate(profile, settings.start))));
            entrants = evaluate(starts);
            std::stable_sort(entrants.begin(), entrants.end(), better);
            donors.clear();
            for (const Candidate& each : entrants) donors.push_back(each.patch);
            std::erase_if(entrants, [&](const Candidate& e) { return followed.contains(kindsOf(e.patch)); });
            keepDifferent(entrants, 20, 3);
            varyEach(entrants);
            keepDifferent(entrants, 6, 2);
            refineAll(entrants, 6, 1);
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
        refineAll(entrants, 3, 1);
        for (const Candidate& entrant : entrants) followed.insert(kindsOf(entrant.patch));
        refineAll(entrants, 1, 2);
    }

    /// Until no change gains any more.
    void settle() {
        const auto gains = [this](Depth depth) {
            const bool gained = round(depth);
            markRound();
            return gained;
        };
        markRound();
        while (gains(Depth::quick)) {}
        do {
            while (gains(Depth::usual)) {}
        } while (gains(Depth::thorough) || polish());
    }

    /// Whether what is left of the limits may find something better from other beginnings.
    bool mayBeginAnew() const {
        constexpr int mostAttempts = 8;
        constexpr std::size_t free = 20; // ways to begin, where locks leave some choice
        constexpr double alike = 97.0;
        const bool limited = settings.seconds > 0.0 || settings.evaluations > 0;
        return limited && attempt < mostAttempts && (entered == 0 || entered >= free) &&
               likenessOf(bestOfAll().patch) < alike;
    }

    /// The same from the hypotheses that came next and other patches of the bank. What it comes to lies apart from what
    /// is there already, which would win every comparison, and goes on only while it is not far behind.
    void beginAnew() {
        constexpr double promising = 1.4; // times the rank of the best
        earlier.swap(bests);
        slopes.reset();
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
    void joinEarlier() {
        for (const Best& each : earlier) keep(each);
        slopes.reset();
        bestRank = std::min(bestRank, earlierRank);
        earlier.clear();
        earlierRank = std::numeric_limits<double>::infinity();
    }

    /// From where an earlier search was.
    void goOn() {
        for (const Patch& patch : settings.goOnWith) goneOnWith.push_back(constrained(patch));
        insists = true;
        std::vector<Candidate> entrants = evaluate(goneOnWith);
        insists = false;
        report("going on");
        refineAll(entrants, 4, 2);
    }

    /// Each replaced by the best of what lies near it.
    void varyEach(std::vector<Candidate>& entrants) {
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

    /// The same with every LFO beginning at other places of its cycle, which a search finds no way to.
    std::vector<Patch> otherPhases(const Patch& patch) const {
        std::vector<Patch> turned;
        for (const auto& module : patch.modules()) {
            const Address phase{module.path, "phase"};
            if (module.kind != ModuleKind::lfo || !takesPart(patch, module) || locked(phase)) continue;
            for (double by : {90.0, 180.0, 270.0}) {
                turned.push_back(patch);
                turned.back().setNearest(phase, std::fmod(patch.value(phase) + by, 360.0));
            }
        }
        return turned;
    }

    /// Whether notes of the best start at one place of the cycle, which a bass shows and an onset lets hear.
    void fixPhases() {
        const Patch from = best().patch;
        const Address randomness{"layer:a/source:a", "phase_random"};
        if (locked(randomness) || from.value(randomness) == 0.0) return;
        std::vector<Patch> fixed;
        for (int i = 0; i < 16; ++i) {
            Patch patch = from;
            patch.set(randomness, 0.0);
            if (!locked({"layer:a/source:a", "phase"})) patch.set({"layer:a/source:a", "phase"}, 22.5 * i);
            fixed.push_back(std::move(patch));
        }
        auto phased = evaluate(fixed);
        refineAll(phased, 2, 2);
    }

    /// A module that has come into a patch, as it comes, seldom does what it could: the best of each kind is first
    /// fitted by itself, which costs little, and competes as that.
    void fitNewcomers(std::vector<Candidate>& moved, const Candidate& before) {
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

    /// So that slopes at the best are known, or at what is as good.
    void measureSlopes() {
        constexpr double same = 1e-6;
        if (!slopes || slopesRank > (1.0 + same) * bestRank) refine(best(), 1);
        if (slopes && slopesRank > (1.0 + same) * bestRank) slopes.reset();
    }

    /// Each as it comes, and those that promise most with everything else having given way.
    std::vector<Candidate> evaluateGivingWay(const std::vector<Patch>& patches) {
        constexpr std::size_t most = 24;
        const auto all = residuals(patches);
        std::vector<Candidate> result, promised;
        for (std::size_t i = 0; i < patches.size(); ++i) result.push_back(ranked(patches[i], Loss::value(all[i])));
        if (!slopes) return result;
        promised.resize(patches.size());
        parallelFor(static_cast<int>(patches.size()), settings.threads, [&](int i) {
            const auto at = static_cast<std::size_t>(i);
            const LinearRefit::Estimate estimate = slopes->of(patches[at], all[at]);
            promised[at] = ranked(constrained(estimate.patch), estimate.loss);
        });
        std::stable_sort(promised.begin(), promised.end(), better);
        std::vector<Patch> fitted;
        for (const Candidate& each : promised)
            if (fitted.size() < most) fitted.push_back(each.patch);
        for (Candidate& each : evaluate(fitted)) result.push_back(std::move(each));
        return result;
    }

    /// Structural moves around the best, and restarts near it. True while it is worth going on. Quick: what gains most
    /// comes first, and restarts wait. Thorough: what comes in is fitted by itself first, for when nothing gains as it
    /// comes.
    enum class Depth { quick, usual, thorough };
    bool round(Depth depth) {
        const Candidate before = best();
        measureSlopes();
        std::vector<Patch> others;
        const Patch from = slopes ? slopes->at() : before.patch;
        for (Patch& other : structuralMoves(from, settings.limits, profile)) {
            other = constrained(fitting(std::move(other)));
            if (!other.soundsLike(from)) others.push_back(std::move(other));
        }
        constexpr std::size_t ways = 8;
        for (Patch& other : recombined(from, donors, settings.limits, ways))
            others.push_back(constrained(std::move(other)));
        auto moved = evaluateGivingWay(others);
        report("other structures");
        if (depth == Depth::quick) {
            keepDifferent(moved, 4, 1);
            refineAll(moved, 4, 1);
            refine(best(), 2);
            return bestRank < (1.0 - quickGain) * before.rank;
        }
        if (depth == Depth::thorough) fitNewcomers(moved, before);
        refineAll(moved, 6, 1);
        auto restarts = evaluate(scattered(best().patch, 0.06, 24));
        refineAll(restarts, 2, 2);
        refine(best(), 4);
        return bestRank < (1.0 - restGain) * before.rank;
    }

    /// Where steps along slopes find nothing more, a cloud of patches about the best still may. True when it gained
    /// enough to go on from there.
    bool polish() {
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

    /// Switches off what does not earn its place: what costs least first, until nothing more may go.
    void prune() {
        pruned = best();
        try {
            pruneFurther();
        } catch (...) {
            preferSimpler();
            throw;
        }
        preferSimpler();
    }

    void pruneFurther() {
        const double most = (1.0 + simplerWins) * pruned.loss;
        double likenessBefore = likenessOf(pruned.patch);
        bool went = true;
        while (went) {
            std::vector<Candidate> simpler = evaluate(simplerThan(pruned.patch, settings.limits));
            std::stable_sort(simpler.begin(), simpler.end(), better);
            went = false;
            for (std::size_t i = 0; i < std::min<std::size_t>(simpler.size(), 3) && !went; ++i) {
                const Candidate without = refine(simpler[i], 1);
                report("without what makes no difference");
                if (without.loss > std::min(most, (1.0 + oneEarns) * pruned.loss)) continue;
                requireBudget(1);
                const double likeness = likenessOf(without.patch);
                if (likeness < likenessBefore - heardLoss) continue;
                likenessBefore = std::max(likenessBefore, likeness);
                pruned = without;
                went = true;
            }
        }
    }

    /// The levels of the notes to the decibel, as far as the loss hardly grows.
    void finishLevels() {
        constexpr double mostGrowth = 1.04;
        const Candidate before = best();
        const auto patches = towardsItsLevels(
            before.patch, settings.limits, told,
            [this](const std::vector<Patch>& some, const Difference& difference) {
                return differences(some, difference);
            },
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

    /// Structures that the pruned one replaces go: they are no better and more complicated.
    void preferSimpler() {
        std::erase_if(bests, [&](const Best& b) {
            return b.candidate.loss < pruned.loss && b.structure != kindsOf(pruned.patch) &&
                   b.candidate.loss > pruned.loss / (1.0 + 2.0 * simplerWins);
        });
    }

    const std::vector<PreparedTarget>& targets;
    const std::vector<PreparedTarget>* looked = &targets; ///< what candidates are compared with now
    const PreparedTarget& whole;
    const Profile& profile; ///< of the whole of the first target
    const MatchSettings& settings;
    const Task& task;
    const std::function<void(const MatchProgress&)>& progress;
    const Told told;
    Random random;
    bool insists = false; ///< neither a limit nor a stop counts
    double share = 0.82;  ///< of the budget that may be spent now
    double bestRank = std::numeric_limits<double>::infinity();
    std::optional<LinearRefit> slopes{}; ///< at what was the best when they were measured
    double slopesRank = std::numeric_limits<double>::infinity();
    int attempt = 0;                ///< how often the search has begun anew
    std::size_t entered = 0;        ///< ways to begin that the last one had
    std::set<std::string> followed; ///< structures that a beginning was made with
    std::vector<Patch> donors;      ///< all that raced, best first
    std::vector<Best> earlier;      ///< the best of each structure from earlier beginnings
    double earlierRank = std::numeric_limits<double>::infinity();
    struct Mark {
        double likeness = 0.0;
        std::array<double, facetCount> facets{};
        bool complete = false; ///< with its facets
    };
    Mark shown;
    std::map<std::uint64_t, Mark> marked; ///< patches by hash
    double favoriteWorth = -std::numeric_limits<double>::infinity();
    std::chrono::steady_clock::time_point lastMarked = std::chrono::steady_clock::now();
    bool improved = false; ///< the best, since the last report
    bool unmarked = false; ///< the best, as it is now
    double markedAt = -std::numeric_limits<double>::infinity();
    Candidate pruned;
};

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
        if (attendedNotes(target.performance, target.leftOut).notes.empty())
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
    constexpr std::size_t finalists = 5;
    const double forCurves = 0.06 * std::max(0.0, settings.seconds); // kept for what moves over the phrase
    const auto late = [&](double more) {
        return settings.seconds > 0.0 && secondsSince(search.started) + more > settings.seconds;
    };
    std::vector<Patch> marking{settings.start};
    std::set<std::string> kinds;
    double last = -1.0;
    for (const Search::Best& each : search.bests) {
        if (marking.size() == (hurried ? 2 : 1 + finalists)) break;
        if (std::abs(each.candidate.loss - last) < sameLoss * last) continue;
        if (!kinds.insert(structureText(each.candidate.patch)).second) continue;
        last = each.candidate.loss;
        marking.push_back(each.candidate.patch);
    }
    // A smaller loss is not always a greater likeness: what was gone on with stays unless something is better, and what
    // was worth more on the way.
    std::size_t least = std::min<std::size_t>(2, marking.size());
    const auto alsoMark = [&](const Patch& patch) {
        const auto same =
            std::find_if(marking.begin() + 1, marking.end(), [&](const Patch& each) { return each.soundsLike(patch); });
        if (same != marking.end() && same < marking.begin() + static_cast<std::ptrdiff_t>(least)) return;
        if (same != marking.end()) marking.erase(same);
        marking.insert(marking.begin() + static_cast<std::ptrdiff_t>(least++), patch);
    };
    if (!search.goneOnWith.empty()) alsoMark(search.goneOnWith.front());
    if (search.favorite && !hurried) alsoMark(*search.favorite);
    std::vector<ScoredPatch> scored;
    while (scored.size() < marking.size()) {
        if (scored.size() >= least && late(search.markSeconds + forCurves)) break;
        const auto beside = static_cast<std::size_t>(std::max(2, settings.threads));
        const std::size_t first = scored.size(), count = std::min(beside, marking.size() - first);
        scored.resize(first + count);
        parallelFor(static_cast<int>(count), settings.threads, [&](int i) {
            const std::size_t at = first + static_cast<std::size_t>(i);
            scored[at] = scoreAll(marking[at], prepared, 1, settings.weights);
        });
    }
    result.before = scored.front();
    scored.erase(scored.begin());
    // The ranking looks at what people see, and of two that are as good at which is simpler.
    std::stable_sort(scored.begin(), scored.end(), [&](const ScoredPatch& a, const ScoredPatch& b) {
        return worthOf(a.patch, a.likeness, a.loss, settings.start) >
               worthOf(b.patch, b.likeness, b.loss, settings.start);
    });
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
        scored.front() = scoreAll(scored.front().patch, prepared, inTime ? scoredSeeds : 1, settings.weights);
    if (scored.empty()) scored.push_back(result.before);
    for (const Curve& curve : result.curves.front()) result.performance.setCurve(curve);
    result.best = scored.front();
    result.evaluations = search.evaluations; // what follows is compared with nothing
    if (!hurried) result.ranges = search.rangesOf(result.best.patch);
    result.shortfalls = shortfallsOf(result.best.comparison, result.best.facetFloors, prepared.front().profile,
                                     measureQuality(targets.front().reference));
    result.best.patch.name = "Match";
    result.runnersUp.assign(scored.begin() + 1, scored.end());
    result.seconds = secondsSince(search.started);
    result.complete = search.complete;
    return result;
}

} // namespace facet
