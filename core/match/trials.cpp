#include "core/match/trials.h"

#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/estimate.h"
#include "core/match/finalists.h"
#include "core/match/simplicity.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace facet {

namespace {

/// Two channels that differ by more than what noise of their own adds.
bool hasHeardSides(const WidthProfile& width) {
    constexpr double unheardDb = -40.0;
    return width.stereo && isMeasured(width.sideDb) && width.sideDb > unheardDb;
}

Told toldBy(const std::vector<PreparedTarget>& all) {
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

/// Puts one target's residuals after the others', each worth its share divided by how many numbers it has.
void append(Eigen::VectorXf& all, const Eigen::VectorXf& residual, double share) {
    const Eigen::Index before = all.size();
    all.conservativeResize(before + residual.size());
    all.tail(residual.size()) = static_cast<float>(share / static_cast<double>(residual.size())) * residual;
}

/// Ties what is tied in `start`, whatever `patch` was made from: the first member of each stays where it is.
void keepTies(const Patch& start, Patch& patch) {
    for (const Tie& tie : start.ties()) {
        const auto& members = tie.members;
        const bool kept = std::find(patch.ties().begin(), patch.ties().end(), tie) != patch.ties().end();
        if (kept || !std::all_of(members.begin(), members.end(), [&](const Address& a) { return patch.has(a); }))
            continue;
        const double first = patch.value(members.front());
        for (const Address& member : members) {
            patch.untie(member);
            patch.set(member, start.value(member)); // from there on they keep their distances
        }
        patch.tie(tie);
        patch.setNearest(members.front(), first);
    }
}

const Candidate& bestOf(const std::vector<Trials::Best>& some) {
    return std::min_element(
               some.begin(), some.end(),
               [](const Trials::Best& a, const Trials::Best& b) { return better(a.candidate, b.candidate); })
        ->candidate;
}

} // namespace

bool better(const Candidate& a, const Candidate& b) { return a.rank < b.rank; }

double secondsSince(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

std::string kindsOf(const Patch& patch) {
    std::string text;
    for (const Address& address : patch.addresses()) {
        const Address on{address.module, "on"};
        if (patch.descriptor(address).smoothing != Smoothing::graph) continue;
        if (address != on && patch.has(on) && patch.value(on) < 0.5) continue;
        text += fmt::format("{}={} ", address.text(), patch.value(address));
    }
    return text;
}

Trials::Trials(const std::vector<PreparedTarget>& all, const PreparedTarget& first, const MatchSettings& options,
               const Task& work, const std::function<void(const MatchProgress&)>& listener)
    : targets(all), whole(first), profile(first.profile), settings(options), task(work), told(toldBy(all)),
      progress(listener) {}

const Candidate& Trials::best() const { return bestOf(bests); }
const Candidate& Trials::bestOfAll() const {
    return earlier.empty() || bestRank < earlierRank ? best() : bestOf(earlier);
}

bool Trials::affords(std::size_t count) const {
    return settings.evaluations <= 0 || evaluations + static_cast<double>(count) <= share * settings.evaluations;
}

void Trials::requireBudget(std::size_t count) const {
    if (insists) return;
    task.check();
    if (!affords(count)) throw BudgetSpent{};
    // Marking the finalists takes a while too, and the best of them over several seeds.
    constexpr double marks = 5.0;
    const double left = settings.seconds - std::min(marks * markSeconds, 0.3 * settings.seconds);
    // Pruning is so many renders: of a long search it takes a smaller share.
    constexpr double pruningMarks = 8.0, mostPruning = 0.18;
    const double keptBack = std::min(1.0, pruningMarks * markSeconds / (mostPruning * std::max(1e-9, left)));
    const double allowed = left * (1.0 - (1.0 - share) * keptBack);
    if (settings.seconds > 0.0 && secondsSince(started) > allowed && !(bests.empty() && earlier.empty()))
        throw BudgetSpent{};
}

std::vector<Eigen::VectorXf> Trials::residuals(const std::vector<Patch>& patches) {
    auto result = differences(patches, [](const Loss& loss, const Recording& render) { return loss.residual(render); });
    if (looked == &targets) // losses of a stretch are others
        for (std::size_t i = 0; i < patches.size(); ++i) remember(patches[i], Loss::value(result[i]));
    return result;
}

std::vector<Eigen::VectorXf> Trials::differences(const std::vector<Patch>& patches, const Difference& difference) {
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

std::vector<Candidate> Trials::evaluate(const std::vector<Patch>& patches) {
    std::vector<Candidate> result;
    const auto all = residuals(patches);
    for (std::size_t i = 0; i < patches.size(); ++i) result.push_back(ranked(patches[i], Loss::value(all[i])));
    return result;
}

Candidate Trials::ranked(const Patch& patch, double loss) const {
    return {patch, loss, loss * handicapOf(patch, settings.start)};
}

void Trials::remember(const Patch& patch, double value) {
    const Candidate candidate = ranked(patch, value);
    keep({kindsOf(patch), candidate});
    if (candidate.rank >= bestRank) return;
    bestRank = candidate.rank;
    improved = improved || bestRank < earlierRank;
}

void Trials::keep(const Best& one) {
    auto found = std::find_if(bests.begin(), bests.end(), [&](const Best& b) { return b.structure == one.structure; });
    if (found == bests.end())
        bests.push_back(one);
    else if (better(one.candidate, found->candidate))
        found->candidate = one.candidate;
}

double Trials::likenessOf(const Patch& patch, std::array<double, facetCount>* facets) const {
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

std::vector<Leader> Trials::leaders() {
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

void Trials::report(const std::string& trying) {
    if (!progress) return;
    MatchProgress now;
    now.trying = trying;
    now.evaluations = evaluations;
    now.seconds = secondsSince(started);
    now.fraction =
        std::clamp(std::max(settings.seconds > 0.0 ? now.seconds / settings.seconds : 0.0,
                            settings.evaluations > 0 ? static_cast<double>(evaluations) / settings.evaluations : 0.0),
                   0.0, 1.0);
    now.best = bestOfAll().patch;
    now.loss = bestOfAll().loss;
    now.improved = improved;
    unmarked = unmarked || improved;
    constexpr double markEvery = 10.0; // times what it takes
    if (unmarked && now.seconds - markedAt > markEvery * markSeconds) show(now.best);
    now.likeness = shown.likeness;
    now.facets = shown.facets;
    now.leaders = leaders();
    improved = false;
    progress(now);
}

const Trials::Mark& Trials::markOf(const Patch& patch) {
    const std::uint64_t key = patch.hash();
    auto known = marked.find(key);
    if (known == marked.end() || !known->second.complete) {
        const auto begun = std::chrono::steady_clock::now();
        Mark mark;
        mark.likeness = likenessOf(patch, &mark.facets);
        mark.complete = true;
        markSeconds = secondsSince(begun); // the targets' own measurement took longer
        known = marked.insert_or_assign(key, mark).first;
    }
    return known->second;
}

void Trials::show(const Patch& patch) {
    shown = markOf(patch);
    unmarked = false;
    markedAt = secondsSince(started);
}

void Trials::markRound() {
    const Candidate& now = best();
    const double worth = worthOf(now.patch, markOf(now.patch).likeness, now.loss, settings.start);
    if (&now == &bestOfAll()) {
        show(now.patch);
        report("comparing the best");
    }
    if (worth <= favoriteWorth) return;
    favoriteWorth = worth;
    favorite = now.patch;
}

Patch Trials::fitting(Patch patch) const {
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

bool Trials::holdsLocked(const Patch& patch) const {
    return std::all_of(settings.limits.locks.begin(), settings.limits.locks.end(),
                       [&](const Address& lock) { return patch.has(lock); });
}

Patch Trials::constrained(Patch patch) const {
    keepTies(settings.start, patch);
    for (const auto& [address, range] : settings.limits.ranges)
        if (patch.has(address) && !locked(address))
            patch.setNearest(address, std::clamp(patch.value(address), range.first, range.second));
    for (const Address& address : settings.limits.locks) // last: what is tied to one stands with it
        if (patch.has(address)) patch.set(address, settings.start.value(address));
    return patch;
}

} // namespace facet
