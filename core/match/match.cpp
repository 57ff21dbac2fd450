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

class Search {
public:
    Search(const Recording& reference48k, int originalRate, const Profile& measured, const Performance& notes,
           const MatchSettings& options, const Task& work, const std::function<void(const MatchProgress&)>& listener)
        : reference(reference48k), profile(measured), performance(notes), settings(options), task(work),
          progress(listener), loss(reference48k, notes, options.focusLowHz,
                                   std::min(options.focusHighHz, std::max(2.0 * options.focusLowHz,
                                                                          upperCutoffHz(reference48k, originalRate)))),
          stereo(reference48k.channelCount() == 2), random(options.seed) {
        performance.rateHz = analysisRateHz;
        performance.frames = reference48k.frameCount();
        performance.seed = options.seed;
    }

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

    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches) {
        requireBudget(patches.size());
        std::vector<Eigen::VectorXf> result(patches.size());
        const auto renders = renderAt48k(patches, performance, task, settings.threads);
        parallelFor(static_cast<int>(patches.size()), settings.threads, [&](int i) {
            task.check();
            const auto at = static_cast<std::size_t>(i);
            result[at] = loss.residual(renders[at]);
        });
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
            const Recording render = std::move(renderAt48k({&now.best, 1}, performance, task).front());
            shownLikeness =
                compare(profile, measureProfile(render, performance,
                                                {.source = &profile.source, .threads = settings.threads}, task))
                    .likeness;
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

    const Recording& reference;
    const Profile& profile;
    Performance performance;
    const MatchSettings& settings;
    const Task& task;
    const std::function<void(const MatchProgress&)>& progress;
    const Loss loss;
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
                  const Performance& performance, int seeds, const Task& task) {
    ScoredPatch scored;
    scored.patch = patch;
    Performance played = performance;
    played.rateHz = analysisRateHz;
    played.frames = reference48k.frameCount();
    played.channelCount = reference48k.channelCount();
    const Loss loss(reference48k, played);
    std::vector<Profile> profiles(static_cast<std::size_t>(seeds));
    std::vector<double> losses(profiles.size());
    std::vector<Comparison> comparisons(profiles.size());
    parallelFor(seeds, hardwareThreads(), [&](int s) {
        const auto at = static_cast<std::size_t>(s);
        Performance seeded = played;
        seeded.seed += static_cast<std::uint64_t>(s);
        const Recording rendered = std::move(renderAt48k({&patch, 1}, seeded, task).front());
        losses[at] = Loss::value(loss.residual(rendered));
        profiles[at] = measureProfile(rendered, seeded, {.source = &profile.source, .threads = 1}, task);
        comparisons[at] = compare(profile, profiles[at]);
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
        const Comparison between = compare(profiles.front(), profiles[static_cast<std::size_t>(s)]);
        scored.floor += between.likeness / (seeds - 1);
        for (std::size_t f = 0; f < between.facets.size(); ++f)
            scored.facetFloors[f] += between.facets[f].likeness / (seeds - 1);
    }
    return scored;
}

MatchResult match(const Recording& reference, const Performance& performance, const MatchSettings& settings,
                  const Task& task, const std::function<void(const MatchProgress&)>& progress) {
    requireUsable(reference, "The reference");
    if (performance.notes.empty())
        throw Error("There are no notes to play: import a MIDI file or draw the notes of this recording first.");
    const Recording at48k = atRate(reference, analysisRateHz);
    const Profile profile = measureProfile(at48k, performance, {.source = nullptr, .threads = settings.threads}, task);
    Search search(at48k, reference.rateHz, profile, performance, settings, task, progress);
    search.run();

    // A stop asks for the best so far, which still needs its marks: these few renders are not stopped again.
    MatchResult result;
    result.performance = performance;
    result.performance.seed = settings.seed;
    const bool hurried =
        task.stop.stop_requested() || (settings.seconds > 0.0 && secondsSince(search.started) > settings.seconds);
    const int seeds = hurried ? 1 : scoredSeeds;
    result.before =
        score(withSolvedGain(settings.start, at48k, result.performance), at48k, profile, result.performance, 1);
    constexpr std::size_t finalists = 3;
    std::vector<ScoredPatch> scored;
    for (std::size_t i = 0; i < std::min(search.bests.size(), hurried ? 1 : finalists); ++i)
        scored.push_back(score(withSolvedGain(search.bests[i].candidate.patch, at48k, result.performance), at48k,
                               profile, result.performance, seeds));
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
