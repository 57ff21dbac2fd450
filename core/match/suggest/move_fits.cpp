#include "core/base/parallel.h"
#include "core/match/optimize/refinement.h"
#include "core/match/proposals/parameter_proposals.h"
#include "core/match/suggest/move_search.h"
#include "core/parameters/signal_parts.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

constexpr std::size_t lookedCloser = 12; ///< families refined
constexpr int fineSteps = 15;
constexpr std::size_t pairsTried = 10, pairsScored = 4;
constexpr std::size_t partsRefined = 3;

} // namespace

/// Values between the best one's neighbors.
void MoveSearch::lookCloser(std::vector<Tried>& leading) {
    std::size_t looked = 0;
    for (Tried& one : leading) {
        if (looked >= lookedCloser) break;
        if (one.family == noFamily) continue;
        const ProposalFamily& family = families_[one.family];
        if (!family.continuous()) continue;
        ++looked;
        const auto fine = between(family, one.place);
        const auto scores = losses(fine);
        for (std::size_t i = 0; i < fine.size(); ++i)
            if (scores[i] < one.loss) {
                one.loss = scores[i];
                one.patch = fine[i];
            }
    }
}

std::vector<Patch> MoveSearch::between(const ProposalFamily& family, std::size_t place) const {
    const Address& address = family.address;
    std::vector<double> values = family.values;
    const double now = patch_.value(address), chosen = values[place];
    values.insert(std::lower_bound(values.begin(), values.end(), now), now);
    const auto at = std::find(values.begin(), values.end(), chosen) - values.begin();
    const auto last = static_cast<std::ptrdiff_t>(values.size()) - 1;
    const double low = positionOf(address, values[static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, at - 1))]);
    const double high = positionOf(address, values[static_cast<std::size_t>(std::min(last, at + 1))]);
    std::vector<Patch> patches;
    for (int i = 1; i <= fineSteps; ++i) {
        const double position = low + (high - low) * i / (fineSteps + 1);
        Patch patch = withTypedValue(patch_, address, patch_.shownDescriptor(address).fromUnit(position));
        if (inRange(address, patch.value(address)) && (patches.empty() || !(patches.back() == patch)))
            patches.push_back(std::move(patch));
    }
    return patches;
}

bool MoveSearch::inRange(const Address& address, double value) const {
    const auto range = settings_.limits.ranges.find(address);
    return range == settings_.limits.ranges.end() || (value >= range->second.first && value <= range->second.second);
}

/// Whether a parameter can go most of a step that its slope asks for.
bool MoveSearch::reaches(std::size_t family, double step) const {
    const Address& address = families_[family].address;
    const double position = positionOf(address, patch_.value(address));
    return std::clamp(position + 0.7 * step, 0.0, 1.0) == position + 0.7 * step;
}

/// Of the least squares that fit what is missing by the derivatives of some families.
std::pair<Eigen::MatrixXd, Eigen::VectorXd> MoveSearch::normalEquations(const std::vector<std::size_t>& names) const {
    const auto count = static_cast<Eigen::Index>(names.size());
    std::pair<Eigen::MatrixXd, Eigen::VectorXd> equations{Eigen::MatrixXd(count, count), Eigen::VectorXd(count)};
    auto& [normal, right] = equations;
    for (Eigen::Index a = 0; a < count; ++a) {
        const Eigen::VectorXf& slope = derivatives_.at(names[static_cast<std::size_t>(a)]).slope;
        right(a) = -static_cast<double>(slope.dot(base_));
        for (Eigen::Index b = 0; b <= a; ++b)
            normal(a, b) = normal(b, a) =
                static_cast<double>(slope.dot(derivatives_.at(names[static_cast<std::size_t>(b)]).slope));
    }
    return equations;
}

/// Two parameters that together explain what neither explains alone: of all pairs those whose derivatives, fitted to
/// what is missing, promise most beyond the better of the two.
std::vector<MoveSearch::Tried> MoveSearch::pairs() {
    std::vector<std::size_t> names;
    const auto leastSlope = 1e-4 * static_cast<double>(base_.squaredNorm());
    for (const auto& [family, derivative] : derivatives_)
        if (static_cast<double>(derivative.slope.squaredNorm()) > leastSlope) names.push_back(family);
    if (names.size() < 2) return {};
    const auto [normal, right] = normalEquations(names);
    const Eigen::Index count = right.size();
    struct Pair {
        Eigen::Index a, b;
        double x, y, promise;
    };
    std::vector<Pair> found;
    for (Eigen::Index a = 0; a < count; ++a)
        for (Eigen::Index b = 0; b < a; ++b) {
            const double det = normal(a, a) * normal(b, b) - normal(a, b) * normal(a, b);
            if (det < 1e-3 * normal(a, a) * normal(b, b)) continue; // they do the same
            const double x = (right(a) * normal(b, b) - right(b) * normal(a, b)) / det;
            const double y = (right(b) * normal(a, a) - right(a) * normal(a, b)) / det;
            if (!reaches(names[static_cast<std::size_t>(a)], x) || !reaches(names[static_cast<std::size_t>(b)], y))
                continue;
            const double both = x * right(a) + y * right(b);
            const double alone = std::max(right(a) * right(a) / normal(a, a), right(b) * right(b) / normal(b, b));
            found.push_back({a, b, x, y, both - alone});
        }
    std::sort(found.begin(), found.end(), [](const Pair& a, const Pair& b) { return a.promise > b.promise; });
    if (found.size() > pairsTried) found.resize(pairsTried);
    std::vector<Patch> patches;
    std::vector<std::size_t> owners;
    for (const Pair& pair : found)
        for (double share : {0.5, 1.0, 1.6}) {
            Patch patch = patch_;
            bool fine = true;
            for (const auto& [which, step] : {std::pair{pair.a, pair.x}, std::pair{pair.b, pair.y}}) {
                const Address& address = families_[names[static_cast<std::size_t>(which)]].address;
                const double position = std::clamp(
                    positionOf(address, patch_.value(address)) + share * std::clamp(step, -0.35, 0.35), 0.0, 1.0);
                patch = withTypedValue(patch, address, patch.shownDescriptor(address).fromUnit(position));
                fine = fine && inRange(address, patch.value(address));
            }
            if (!fine) continue;
            patches.push_back(std::move(patch));
            owners.push_back(static_cast<std::size_t>(&pair - found.data()));
        }
    const auto scores = losses(patches);
    std::vector<Tried> all;
    for (std::size_t i = 0; i < patches.size(); ++i) {
        // Of one pair's steps the best.
        if (!all.empty() && owners[i] == all.back().place) {
            if (scores[i] < all.back().loss) all.back() = {patches[i], scores[i], noFamily, owners[i]};
        } else {
            all.push_back({patches[i], scores[i], noFamily, owners[i]});
        }
    }
    std::stable_sort(all.begin(), all.end(), [](const Tried& a, const Tried& b) { return a.loss < b.loss; });
    if (all.size() > pairsScored) all.resize(pairsScored);
    return all;
}

/// All values of one part of the signal path together, where their derivatives promise more than the best of them
/// alone: an envelope is set as a whole.
std::vector<MoveSearch::Tried> MoveSearch::parts() {
    constexpr int iterations = 2;
    constexpr double ridge = 0.02; // of each slope's own power: the others may do the same
    std::map<std::string, std::vector<std::size_t>> familiesOf;
    for (const auto& [family, derivative] : derivatives_)
        if (derivative.step != 0.0) familiesOf[partOf(patch_, families_[family].address)].push_back(family);
    struct Promise {
        std::string part;
        double more;
    };
    std::vector<Promise> promises;
    for (const auto& [part, names] : familiesOf) {
        if (part.empty() || part == "output" || names.size() < 2) continue;
        auto [normal, right] = normalEquations(names);
        double alone = 0.0;
        for (Eigen::Index a = 0; a < right.size(); ++a) {
            if (normal(a, a) > 0.0) alone = std::max(alone, right(a) * right(a) / normal(a, a));
            normal(a, a) = (1.0 + ridge) * normal(a, a) + 1e-9;
        }
        const Eigen::VectorXd step = normal.ldlt().solve(right);
        promises.push_back({part, step.dot(right) - alone});
    }
    std::sort(promises.begin(), promises.end(), [](const Promise& a, const Promise& b) { return a.more > b.more; });
    if (promises.size() > partsRefined) promises.resize(partsRefined);
    std::vector<Refinement> refinements;
    for (const Promise& each : promises) {
        if (each.more <= 0.0) continue;
        SearchLimits limits = settings_.limits;
        for (const Address& address : patch_.addresses())
            if (partOf(patch_, address) != each.part) limits.locks.insert(address);
        refinements.emplace_back(patch_, limits, Identifiable{}, iterations);
    }
    if (refinements.empty()) return {};
    refineTogether(
        refinements, [&](const std::vector<Patch>& some) { return residuals(some); }, [](std::size_t) { return true; },
        settings_.threads);
    std::vector<Tried> all;
    for (const Refinement& each : refinements) {
        Patch typed = patch_;
        const Patch found = each.patch();
        for (const Address& address : changedAddresses(patch_, found))
            typed = withTypedValue(typed, address, found.value(address));
        if (!typed.soundsLike(patch_) && keepsLimits(typed))
            all.push_back({std::move(typed), each.loss(), noFamily, 0});
    }
    return all;
}

/// The loss is not quite deaf to phase: the best few are settled by the likeness itself.
void MoveSearch::settleValues() {
    for (int round = 0; round < 2; ++round) {
        std::stable_sort(scored_.begin(), scored_.end(), [](const Scored& a, const Scored& b) {
            return a.comparison.likeness > b.comparison.likeness;
        });
        std::vector<Patch> nearby;
        std::vector<std::size_t> families;
        std::vector<std::size_t> seen;
        for (std::size_t i = 0; i < scored_.size() && seen.size() < 3; ++i) {
            const Scored& one = scored_[i];
            if (one.family == noFamily || !families_[one.family].continuous()) continue;
            if (std::find(seen.begin(), seen.end(), one.family) != seen.end()) continue;
            seen.push_back(one.family);
            const Address& address = families_[one.family].address;
            const double from = positionOf(address, patch_.value(address));
            const double to = positionOf(address, one.patch.value(address));
            for (double share : round == 0 ? std::array{0.5, 0.8, 1.25, 1.7} : std::array{0.87, 0.94, 1.06, 1.13}) {
                const double position = std::clamp(from + share * (to - from), 0.0, 1.0);
                Patch patch = withTypedValue(patch_, address, patch_.shownDescriptor(address).fromUnit(position));
                if (!inRange(address, patch.value(address))) continue;
                nearby.push_back(std::move(patch));
                families.push_back(one.family);
            }
        }
        std::vector<std::pair<Patch, std::size_t>> some;
        for (std::size_t i = 0; i < nearby.size(); ++i) some.emplace_back(std::move(nearby[i]), families[i]);
        scoreAll(some);
    }
}

} // namespace facet
