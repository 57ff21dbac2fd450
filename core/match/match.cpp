#include "core/match/match.h"

#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/compare/loss.h"
#include "core/dsp/least_squares.h"
#include "core/dsp/loudness.h"
#include "core/engine/render.h"
#include "core/match/estimate.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr double differenceStep = 0.015; ///< of a parameter's range
constexpr double simplerWins = 0.06;     ///< a module must earn this share of the loss
constexpr double restGain = 0.01;        ///< a round that gains less is the last
constexpr int scoredSeeds = 4;

/// Thrown inside the search when it may not evaluate any more; never leaves match().
struct BudgetSpent {};

double secondsSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

struct Candidate {
    Patch patch{};
    double loss = std::numeric_limits<double>::infinity();
};

bool better(const Candidate& a, const Candidate& b) { return a.loss < b.loss; }

/// A target made ready: at 48 kHz, measured, with its loss.
struct PreparedTarget {
    Recording reference;
    Performance performance; ///< at 48 kHz, with the search's seed
    std::vector<TimeSpan> leftOut;
    double share; ///< of all weights
    Profile profile;
    Loss loss;

    static PreparedTarget prepare(const MatchTarget& target, double weights, const MatchSettings& settings,
                                  const Task& task) {
        Recording at48k = atRate(target.reference, analysisRateHz);
        const double upper = std::min(
            settings.focusHighHz, std::max(2.0 * settings.focusLowHz, upperCutoffHz(at48k, target.reference.rateHz)));
        Performance performance = target.performance;
        performance.rateHz = analysisRateHz;
        performance.frames = at48k.frameCount();
        performance.channelCount = at48k.channelCount();
        performance.seed = settings.seed;
        Profile profile = measure(at48k, performance, target.leftOut, nullptr, settings.threads, task);
        Loss loss(at48k, performance, settings.focusLowHz, upper, target.leftOut);
        return {std::move(at48k),        std::move(performance), target.leftOut,
                target.weight / weights, std::move(profile),     std::move(loss)};
    }

    static Profile measure(const Recording& recording, const Performance& performance,
                           const std::vector<TimeSpan>& leftOut, const SourceFit* source, int threads,
                           const Task& task) {
        const Recording audible = leftOut.empty() ? recording : withoutSpans(recording, leftOut);
        return measureProfile(audible, attendedNotes(performance, leftOut), {.source = source, .threads = threads},
                              task);
    }
    Comparison compareWith(const Recording& render, int threads, const FacetWeights& weights, const Task& task) const {
        return compare(profile, measure(render, performance, leftOut, &profile.source, threads, task), weights);
    }
};

class Search {
public:
    Search(const std::vector<PreparedTarget>& all, const MatchSettings& options, const Task& work,
           const std::function<void(const MatchProgress&)>& listener)
        : targets(all), profile(all.front().profile), settings(options), task(work), progress(listener),
          stereo(std::any_of(all.begin(), all.end(),
                             [](const PreparedTarget& t) { return t.reference.channelCount() == 2; })),
          random(options.seed) {}

    /// Leaves the best of each structure in `bests`, best first.
    void run() {
        try {
            evaluate({constrained(settings.start)});
            try {
                race();
                fixPhases();
                while (round()) {}
            } catch (const BudgetSpent&) {
                complete = false;
            }
            share = 1.0; // what was kept back is for pruning
            prune();
        } catch (const BudgetSpent&) {
            complete = false;
        } catch (const Cancelled&) {
            complete = false;
        }
        std::stable_sort(bests.begin(), bests.end(),
                         [](const auto& a, const auto& b) { return better(a.candidate, b.candidate); });
    }

    struct Best {
        std::string structure;
        Candidate candidate;
    };
    std::vector<Best> bests;
    int evaluations = 0;
    bool complete = true;
    const std::chrono::steady_clock::time_point started = std::chrono::steady_clock::now();

private:
    // ---- evaluation ----

    void requireBudget(std::size_t count) const {
        task.check();
        if (settings.evaluations > 0 && evaluations + static_cast<double>(count) > share * settings.evaluations)
            throw BudgetSpent{};
        // Marking the finalists takes a while too.
        const double allowed = share * (0.95 * settings.seconds - 0.5);
        if (settings.seconds > 0.0 && secondsSince(started) > allowed && !bests.empty()) throw BudgetSpent{};
    }

    /// Puts one target's residuals after the others', each worth its share divided by how many numbers it has.
    static void append(Eigen::VectorXf& all, const Eigen::VectorXf& residual, double share) {
        const Eigen::Index before = all.size();
        all.conservativeResize(before + residual.size());
        all.tail(residual.size()) = static_cast<float>(share / static_cast<double>(residual.size())) * residual;
    }

    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches) {
        requireBudget(patches.size());
        std::vector<Eigen::VectorXf> result(patches.size());
        for (const PreparedTarget& target : targets) {
            const auto renders = renderAt48k(patches, target.performance, task, settings.threads);
            parallelFor(static_cast<int>(patches.size()), settings.threads, [&](int i) {
                task.check();
                const auto at = static_cast<std::size_t>(i);
                append(result[at], target.loss.residual(renders[at]), target.share);
            });
        }
        // The mean magnitude of all residuals together is the weighted mean of the targets' losses.
        for (Eigen::VectorXf& all : result) all *= static_cast<float>(all.size());
        evaluations += static_cast<int>(patches.size());
        for (std::size_t i = 0; i < patches.size(); ++i) remember(patches[i], Loss::value(result[i]));
        return result;
    }

    std::vector<Candidate> evaluate(const std::vector<Patch>& patches) {
        std::vector<Candidate> result;
        const auto all = residuals(patches);
        for (std::size_t i = 0; i < patches.size(); ++i) result.push_back({patches[i], Loss::value(all[i])});
        return result;
    }

    void remember(const Patch& patch, double value) {
        const std::string structure = kindsOf(patch);
        auto found = std::find_if(bests.begin(), bests.end(), [&](const Best& b) { return b.structure == structure; });
        if (found == bests.end()) found = bests.insert(bests.end(), {structure, {}});
        if (value < found->candidate.loss) found->candidate = {patch, value};
        if (value >= bestLoss) return;
        bestLoss = value;
        improved = true;
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

    const Candidate& best() const {
        return std::min_element(bests.begin(), bests.end(),
                                [](const Best& a, const Best& b) { return better(a.candidate, b.candidate); })
            ->candidate;
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
        now.best = best().patch;
        now.loss = bestLoss;
        now.improved = improved;
        if (improved) {
            shownLikeness = 0.0;
            for (const PreparedTarget& target : targets) {
                const Recording render = std::move(renderAt48k({&now.best, 1}, target.performance, task).front());
                shownLikeness +=
                    target.share * target.compareWith(render, settings.threads, settings.weights, task).likeness;
            }
        }
        now.likeness = shownLikeness;
        improved = false;
        progress(now);
    }

    // ---- limits ----

    bool locked(const Address& address) const { return settings.limits.locks.contains(address); }

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
        const SearchSpace space(from.patch, settings.limits, stereo);
        if (space.size() == 0) return from;
        LeastSquaresProblem problem{space.lower(), space.upper(), [&](const std::vector<Eigen::VectorXd>& points) {
                                        std::vector<Patch> patches;
                                        for (const auto& point : points)
                                            patches.push_back(space.patchAt(from.patch, point));
                                        return residuals(patches);
                                    }};
        LeastSquaresSettings lm;
        lm.iterations = iterations;
        lm.differenceStep = differenceStep;
        lm.absoluteValues = true;
        lm.absoluteFloor = 0.5;
        lm.tolerance = 2e-3;
        const auto result = minimizeLeastSquares(problem, space.positionOf(from.patch), lm, task);
        const Candidate refined{space.patchAt(from.patch, result.point), result.cost};
        return better(refined, from) ? refined : from;
    }

    std::vector<Candidate> refineAll(std::vector<Candidate> candidates, std::size_t keep, int iterations) {
        std::stable_sort(candidates.begin(), candidates.end(), better);
        if (candidates.size() > keep) candidates.resize(keep);
        for (Candidate& candidate : candidates) {
            candidate = refine(candidate, iterations);
            report("refining " + structureText(candidate.patch));
        }
        return candidates;
    }

    /// Nearby patches: every continuous parameter moved by a normal deviate.
    std::vector<Patch> scattered(const Patch& patch, double deviation, int count) {
        const SearchSpace space(patch, settings.limits, stereo);
        std::vector<Patch> patches;
        for (int i = 0; i < count; ++i) {
            Eigen::VectorXd position = space.positionOf(patch);
            for (int k = 0; k < space.size(); ++k) {
                double sum = -6.0; // twelve uniform numbers make a near-normal one
                for (int u = 0; u < 12; ++u) sum += random.unit();
                position(k) += deviation * sum;
            }
            patches.push_back(space.patchAt(patch, position.cwiseMax(space.lower()).cwiseMin(space.upper())));
        }
        return patches;
    }

    // ---- the stages ----

    /// Every structure from its estimate, fewer and fewer of them, longer and longer.
    void race() {
        std::vector<Candidate> entrants;
        for (const Structure& structure : structuresFor(profile)) {
            const Patch start = constrained(estimate(profile, structure, settings.start));
            if (std::any_of(entrants.begin(), entrants.end(),
                            [&](const Candidate& c) { return c.patch.soundsLike(start); }))
                continue;
            std::vector<Patch> variants = scattered(start, 0.08, 15);
            variants.push_back(start);
            auto tried = evaluate(variants);
            entrants.push_back(*std::min_element(tried.begin(), tried.end(), better));
            report("trying " + structureText(start));
        }
        entrants = refineAll(std::move(entrants), 6, 2);
        entrants = refineAll(std::move(entrants), 3, 5);
        refineAll(std::move(entrants), 2, 12);
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
        refineAll(evaluate(fixed), 3, 6);
    }

    /// Structural moves around the best and restarts near it. True while it is worth going on.
    bool round() {
        const Candidate before = best();
        auto moved = evaluate(structuralMoves(before.patch));
        report("other structures");
        refineAll(std::move(moved), 5, 4);
        auto restarts = evaluate(scattered(before.patch, 0.06, 32));
        refineAll(std::move(restarts), 2, 5);
        refine(best(), 10);
        report("refining " + structureText(best().patch));
        return bestLoss < (1.0 - restGain) * before.loss;
    }

    std::vector<Patch> structuralMoves(const Patch& patch) const {
        std::vector<Patch> moves;
        const auto add = [&](std::initializer_list<std::pair<Address, double>> changes) {
            Patch moved = patch;
            for (const auto& [address, value] : changes) {
                if (locked(address)) return;
                moved.setNearest(address, value);
            }
            moved = constrained(moved);
            if (!moved.soundsLike(patch)) moves.push_back(std::move(moved));
        };
        const std::string a = "layer:a/source:a";
        const std::string b = "layer:a/source:b";
        const std::string filter = "layer:a/filter:a";
        for (double wave : {0.0, 1.0, 2.0, 3.0}) add({{{a, "wave"}, wave}});
        for (double slope : {0.0, 1.0}) add({{{filter, "slope"}, slope}});
        add({{{filter, "on"}, 0.0}});
        for (double octave : {-1.0, 1.0}) add({{{a, "octave"}, patch.value({a, "octave"}) + octave}});
        for (double voices : {2.0, 3.0, 5.0}) add({{{a, "voices"}, voices}, {{a, "detune"}, 8.0}});
        if (patch.value({b, "on"}) >= 0.5) {
            for (double wave : {0.0, 1.0, 2.0, 3.0}) add({{{b, "wave"}, wave}});
        } else {
            for (double octave : {-1.0, 0.0, 1.0})
                for (double wave : {0.0, 2.0, 3.0})
                    add({{{b, "on"}, 1.0},
                         {{b, "wave"}, wave},
                         {{b, "octave"}, octave},
                         {{b, "level"}, -9.0},
                         {{b, "cents"}, octave == 0.0 ? 5.0 : 0.0}});
        }
        return moves;
    }

    /// Switches off what does not earn its place.
    void prune() {
        const std::vector<std::vector<std::pair<Address, double>>> simpler{
            {{{"layer:a/source:b", "on"}, 0.0}},
            {{{"layer:a/source:a", "voices"}, 1.0}},
            {{{"layer:a/source:b", "voices"}, 1.0}},
            {{{"layer:a/filter:a", "on"}, 0.0}},
        };
        for (const auto& changes : simpler) {
            const Candidate before = pruned.patch.soundsLike(Patch{}) ? best() : pruned;
            Patch patch = before.patch;
            for (const auto& [address, value] : changes)
                if (!locked(address)) patch.setNearest(address, value);
            if (patch.soundsLike(before.patch)) continue;
            const Candidate without = refine(evaluate({patch}).front(), 6);
            report("without " + changes.front().first.module);
            if (without.loss > (1.0 + simplerWins) * before.loss) continue;
            pruned = without;
        }
        if (std::isfinite(pruned.loss)) preferSimpler();
    }

    /// Structures that the pruned one replaces go: they are no better and more complicated.
    void preferSimpler() {
        std::erase_if(bests, [&](const Best& b) {
            return b.candidate.loss < pruned.loss && b.structure != kindsOf(pruned.patch) &&
                   b.candidate.loss > pruned.loss / (1.0 + 2.0 * simplerWins);
        });
    }

    const std::vector<PreparedTarget>& targets;
    const Profile& profile; ///< of the first target
    const MatchSettings& settings;
    const Task& task;
    const std::function<void(const MatchProgress&)>& progress;
    const bool stereo;
    Random random;
    double share = 0.85; ///< of the budget that may be spent now
    double bestLoss = std::numeric_limits<double>::infinity();
    double shownLikeness = 0.0;
    bool improved = false;
    Candidate pruned;
};

} // namespace

Patch withSolvedGain(const Patch& patch, const Recording& reference48k, const Performance& performance) {
    Performance at48k = performance;
    at48k.rateHz = analysisRateHz;
    at48k.frames = reference48k.frameCount();
    at48k.channelCount = reference48k.channelCount();
    const Recording rendered = std::move(renderAt48k({&patch, 1}, at48k).front());
    const double difference = activeLoudness(reference48k.channels) - activeLoudness(rendered.channels);
    const Address level{"output", "level"};
    Patch solved = patch;
    if (peakOf(rendered) > 0.0f) solved.setNearest(level, patch.value(level) + difference);
    return solved;
}

ScoredPatch score(const Patch& patch, const Recording& reference48k, const Profile& profile,
                  const Performance& performance, int seeds, const Task& task, const std::vector<TimeSpan>& leftOut,
                  const FacetWeights& weights) {
    ScoredPatch scored;
    scored.patch = patch;
    Performance played = performance;
    played.rateHz = analysisRateHz;
    played.frames = reference48k.frameCount();
    played.channelCount = reference48k.channelCount();
    const Loss loss(reference48k, played, 20.0, 20000.0, leftOut);
    std::vector<Profile> profiles(static_cast<std::size_t>(seeds));
    std::vector<double> losses(profiles.size());
    std::vector<Comparison> comparisons(profiles.size());
    parallelFor(seeds, hardwareThreads(), [&](int s) {
        const auto at = static_cast<std::size_t>(s);
        Performance seeded = played;
        seeded.seed += static_cast<std::uint64_t>(s);
        const Recording rendered = std::move(renderAt48k({&patch, 1}, seeded, task).front());
        losses[at] = Loss::value(loss.residual(rendered));
        profiles[at] = PreparedTarget::measure(rendered, seeded, leftOut, &profile.source, 1, task);
        comparisons[at] = compare(profile, profiles[at], weights);
    });
    for (std::size_t s = 0; s < profiles.size(); ++s) { // in order, so that sums are the same on any machine
        scored.loss += losses[s] / seeds;
        scored.likeness += comparisons[s].likeness / seeds;
    }
    scored.comparison = comparisons.front();
    scored.facetFloors.assign(scored.comparison.facets.size(), 100.0);
    if (seeds < 2) return scored;
    scored.floor = 0.0;
    std::fill(scored.facetFloors.begin(), scored.facetFloors.end(), 0.0);
    for (int s = 1; s < seeds; ++s) {
        const Comparison between = compare(profiles.front(), profiles[static_cast<std::size_t>(s)], weights);
        scored.floor += between.likeness / (seeds - 1);
        for (std::size_t f = 0; f < between.facets.size(); ++f)
            scored.facetFloors[f] += between.facets[f].likeness / (seeds - 1);
    }
    return scored;
}

namespace {

/// Marks over all targets: loss, likeness and floors are weighted means, the comparison is with the first.
ScoredPatch scoreAll(const Patch& patch, const std::vector<PreparedTarget>& targets, int seeds,
                     const FacetWeights& weights) {
    const Patch leveled = withSolvedGain(patch, targets.front().reference, targets.front().performance);
    ScoredPatch all;
    for (const PreparedTarget& target : targets) {
        const ScoredPatch one =
            score(leveled, target.reference, target.profile, target.performance, seeds, {}, target.leftOut, weights);
        if (&target == &targets.front()) {
            all.patch = leveled;
            all.comparison = one.comparison;
            all.floor = 0.0;
            all.facetFloors.assign(one.facetFloors.size(), 0.0);
        }
        all.loss += target.share * one.loss;
        all.likeness += target.share * one.likeness;
        all.floor += target.share * one.floor;
        for (std::size_t f = 0; f < all.facetFloors.size(); ++f)
            all.facetFloors[f] += target.share * one.facetFloors[f];
    }
    return all;
}

} // namespace

MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task, const std::function<void(const MatchProgress&)>& progress) {
    return match({MatchTarget{reference, performance}}, settings, task, progress);
}

MatchResult match(const std::vector<MatchTarget>& targets, const MatchSettings& settings, const Task& task,
                  const std::function<void(const MatchProgress&)>& progress) {
    if (targets.empty()) throw Error("There is nothing to match; open a reference first.");
    double weights = 0.0;
    for (const MatchTarget& target : targets) {
        requireUsable(target.reference, "The reference");
        if (attendedNotes(target.performance, target.leftOut).notes.empty())
            throw Error("There are no notes to play: import a MIDI file or draw the notes of this recording first.");
        weights += target.weight;
    }
    std::vector<PreparedTarget> prepared;
    for (const MatchTarget& target : targets)
        prepared.push_back(PreparedTarget::prepare(target, weights, settings, task));
    Search search(prepared, settings, task, progress);
    search.run();

    // A stop asks for the best so far, which still needs its marks: these few renders are not stopped again.
    MatchResult result;
    result.performance = targets.front().performance;
    result.performance.seed = settings.seed;
    const bool hurried =
        task.stop.stop_requested() || (settings.seconds > 0.0 && secondsSince(search.started) > settings.seconds);
    const int seeds = hurried ? 1 : scoredSeeds;
    result.before = scoreAll(settings.start, prepared, 1, settings.weights);
    constexpr std::size_t finalists = 3;
    std::vector<ScoredPatch> scored;
    for (std::size_t i = 0; i < std::min(search.bests.size(), hurried ? 1 : finalists); ++i)
        scored.push_back(scoreAll(search.bests[i].candidate.patch, prepared, seeds, settings.weights));
    // The search has overfitted its own seed a little; the ranking looks at what people see.
    std::stable_sort(scored.begin(), scored.end(), [](const ScoredPatch& a, const ScoredPatch& b) {
        return a.likeness - 4.0 * a.loss > b.likeness - 4.0 * b.loss;
    });
    if (scored.empty()) scored.push_back(result.before);
    result.best = scored.front();
    result.best.patch.name = "Match";
    result.runnersUp.assign(scored.begin() + 1, scored.end());
    result.evaluations = search.evaluations;
    result.seconds = secondsSince(search.started);
    result.complete = search.complete;
    return result;
}

} // namespace facet
