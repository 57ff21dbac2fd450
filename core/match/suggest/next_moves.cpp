#include "core/match/suggest/next_moves.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/compare/loss.h"
#include "core/engine/render.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/proposals/parameter_proposals.h"
#include "core/parameters/changes.h"

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <map>
#include <optional>

namespace facet {

namespace {

constexpr double roughSeconds = 3.0; ///< seconds of the reference that the first, rough look is at
/// Seconds after which a first list shall be there, whatever has been tried by then.
constexpr double firstListWithin = 1.8;
constexpr std::size_t lookedCloser = 12; ///< families refined
constexpr std::size_t scoredFirst = 5, scoredLater = 14;
constexpr double leastGain = 1.0; ///< of likeness
constexpr int fineSteps = 15;
constexpr std::size_t pairsTried = 10, pairsScored = 4;
constexpr double derivativeStep = 0.05; ///< largest step of a scale from which a derivative is taken

/// A change with its score on the search's loss, which is quick to have.
struct Tried {
    Patch patch;
    double loss = std::numeric_limits<double>::infinity();
    std::size_t family = 0;
    std::size_t place = 0; ///< among the family's
};

std::string wordsOf(const Patch& before, const Patch& after) {
    std::string words;
    for (const PatchChange& change : changesBetween(before, after)) {
        if (change.kind == PatchChange::Kind::order || change.kind == PatchChange::Kind::ties) continue;
        std::string one;
        switch (change.kind) {
        case PatchChange::Kind::added: one = (words.empty() ? "Add " : "add ") + change.what; break;
        case PatchChange::Kind::removed: one = (words.empty() ? "Without " : "without ") + change.what; break;
        default: one = fmt::format("{} {} → {}", change.what, change.before, change.after);
        }
        words += (words.empty() ? "" : ", ") + one;
    }
    return words;
}

} // namespace

struct MoveFinder::Impl {
    struct Scoring {
        MoveTarget target;
        Performance counted; ///< without the notes that are left out
        double share;        ///< of all weights
    };
    std::vector<Scoring> scorings;
    Performance early; ///< what the rough look is at
    std::optional<Loss> loss;

    explicit Impl(const std::vector<MoveTarget>& targets) {
        double weights = 0.0;
        for (const MoveTarget& each : targets) weights += each.weight;
        for (const MoveTarget& each : targets)
            scorings.push_back({each, attendedNotes(each.performance, each.attention.leftOut), each.weight / weights});
        const MoveTarget& first = targets.front();
        const Attention& attention = first.attention;
        Recording rough = *first.reference;
        early = first.performance;
        const double begin = early.notes.empty() ? 0.0 : early.notes.front().start;
        const double seconds = std::min(early.seconds(), begin + roughSeconds);
        early.frames = static_cast<int>(std::lround(seconds * early.rateHz));
        for (auto& channel : rough.channels) channel.resize(static_cast<std::size_t>(early.frames), 0.0f);
        early.notes.erase(std::remove_if(early.notes.begin(), early.notes.end(),
                                         [&](const Note& note) { return note.start > seconds - 0.05; }),
                          early.notes.end());
        const double upper = upperCutoffHz(atRate(rough, analysisRateHz), first.reference->rateHz);
        const double low = std::max(20.0, attention.lowHz);
        const double high = attention.highHz > 0.0 ? std::min(attention.highHz, upper) : upper;
        const Recording at48k = atRate(rough, analysisRateHz);
        early.frames = at48k.frameCount();
        early.rateHz = analysisRateHz;
        loss.emplace(at48k, early, low, std::max(high, 2.0 * low), attention);
    }

    const ProfilePtr& profile() const { return scorings.front().target.profile; }

    /// How a patch compares with the first reference; its likeness is the mean over all.
    Comparison score(const Patch& patch, const FacetWeights& weights, int threads, const Task& task) const {
        Comparison toFirst;
        double likeness = 0.0;
        for (const Scoring& each : scorings) {
            const MoveTarget& target = each.target;
            const Recording sound = attended(render(patch, target.performance, task), target.attention);
            Comparison comparison = compare(
                *target.profile,
                measureProfile(sound, each.counted, {.source = &target.profile->source, .threads = threads}, task),
                weights);
            likeness += each.share * comparison.likeness;
            if (&each == &scorings.front()) toFirst = std::move(comparison);
        }
        toFirst.likeness = likeness;
        return toFirst;
    }
};

namespace {

/// One search for moves from one patch.
class Finding {
public:
    Finding(const ProfilePtr& profile, const Performance& early, const Loss& loss,
            std::function<Comparison(const Patch&, int)> score, const Patch& patch, const MoveSettings& settings,
            const Task& task)
        : profile_(profile), early_(early), loss_(loss), score_(std::move(score)), patch_(patch), settings_(settings),
          task_(task) {}

    NextMoves run(const std::function<void(const NextMoves&)>& listener) {
        begun_ = std::chrono::steady_clock::now();
        now_ = score_(patch_, settings_.threads);
        const double scoring = secondsSince(begun_);
        result_.before = now_.likeness;
        families_ = proposalFamilies({patch_, settings_.limits, *profile_});
        // The scores of a first list take their time too.
        tryAll(listener, firstListWithin - 1.2 * static_cast<double>(scoredFirst) * scoring);
        auto leading = bestOfFamilies();
        lookCloser(leading);
        scoreBest(leading, scoredLater);
        scoreBest(pairs(), pairsScored);
        settleValues();
        collect(true);
        if (listener) listener(result_);
        return result_;
    }

private:
    struct Scored {
        Patch patch;
        Comparison comparison;
        std::size_t family;
    };
    using Clock = std::chrono::steady_clock;
    static double secondsSince(Clock::time_point begin) {
        return std::chrono::duration<double>(Clock::now() - begin).count();
    }
    static constexpr std::size_t noFamily = std::numeric_limits<std::size_t>::max();

    std::vector<Eigen::VectorXf> residuals(const std::vector<Patch>& patches) {
        const auto renders = renderAt48k(patches, early_, task_, settings_.threads);
        std::vector<Eigen::VectorXf> all(patches.size());
        parallelFor(static_cast<int>(patches.size()), settings_.threads, [&](int i) {
            task_.check();
            all[static_cast<std::size_t>(i)] = loss_.residual(renders[static_cast<std::size_t>(i)]);
        });
        result_.tried += static_cast<int>(patches.size());
        return all;
    }

    std::vector<double> losses(const std::vector<Patch>& patches) {
        std::vector<double> all;
        constexpr std::size_t atOnce = 64; // so that renders do not pile up
        for (std::size_t begin = 0; begin < patches.size(); begin += atOnce) {
            const auto end = std::min(patches.size(), begin + atOnce);
            for (const auto& residual : residuals({patches.begin() + static_cast<std::ptrdiff_t>(begin),
                                                   patches.begin() + static_cast<std::ptrdiff_t>(end)}))
                all.push_back(Loss::value(residual));
        }
        return all;
    }

    /// Every change once, in lanes: middling steps of all parameters first, then other structures, then the rest. Tells
    /// a first list in between. The steps of each parameter also give its derivative.
    void tryAll(const std::function<void(const NextMoves&)>& listener, double tellAfter) {
        base_ = residuals({patch_}).front();
        std::vector<std::pair<int, Tried>> order;
        for (std::size_t f = 0; f < families_.size(); ++f)
            for (std::size_t i = 0; i < families_[f].patches.size(); ++i)
                order.push_back({urgency(families_[f], i), {families_[f].patches[i], 0.0, f, i}});
        std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        constexpr std::size_t atOnce = 32;
        bool isListed = !listener;
        const auto report = [&] {
            scoreBest(bestOfFamilies(), scoredFirst);
            collect(false);
            listener(result_);
            isListed = true;
        };
        for (std::size_t begin = 0; begin < order.size(); begin += atOnce) {
            const std::size_t end = std::min(order.size(), begin + atOnce);
            std::vector<Patch> patches;
            for (std::size_t i = begin; i < end; ++i) patches.push_back(order[i].second.patch);
            const auto found = residuals(patches);
            for (std::size_t i = begin; i < end; ++i) {
                Tried& one = order[i].second;
                one.loss = Loss::value(found[i - begin]);
                keepDerivative(one, found[i - begin]);
                tried_.push_back(std::move(one));
            }
            if (!isListed && secondsSince(begun_) > tellAfter) report();
        }
        if (!isListed) report();
    }

    /// The lower, the sooner.
    int urgency(const ProposalFamily& family, std::size_t place) const {
        if (!family.continuous()) return 1;
        const double step = std::abs(positionOf(family.address, family.values[place]) -
                                     positionOf(family.address, patch_.value(family.address)));
        return (step > 0.03 && step < 0.09) || (step > 0.18 && step < 0.3) ? 0 : 2;
    }

    double positionOf(const Address& address, double value) const {
        return patch_.shownDescriptor(address).toUnit(value);
    }

    void keepDerivative(const Tried& one, const Eigen::VectorXf& residual) {
        const ProposalFamily& family = families_[one.family];
        // Where notes begin, the loss hears to the sample and people do not.
        if (!family.continuous() || family.address.field == "offset") return;
        const double step = positionOf(family.address, family.values[one.place]) -
                            positionOf(family.address, patch_.value(family.address));
        if (std::abs(step) > derivativeStep || std::abs(step) < 1e-4) return;
        Derivative& kept = derivatives_[one.family];
        if (kept.step != 0.0 && std::abs(kept.step) >= std::abs(step)) return; // the larger step stands out of chance
        kept = {step, (residual - base_) / static_cast<float>(step)};
    }

    /// The best change of each family, the best family first.
    std::vector<Tried> bestOfFamilies() const {
        std::vector<Tried> best(families_.size());
        for (const Tried& one : tried_)
            if (one.loss < best[one.family].loss) best[one.family] = one;
        std::stable_sort(best.begin(), best.end(), [](const Tried& a, const Tried& b) { return a.loss < b.loss; });
        return best;
    }

    /// Scores those not scored yet: the best by loss, and the best of those that answer for a facet that is unlike.
    void scoreBest(const std::vector<Tried>& sorted, std::size_t most) {
        std::vector<const Tried*> chosen;
        const auto choose = [&](const Tried& one) {
            const bool known = std::any_of(scored_.begin(), scored_.end(),
                                           [&](const Scored& m) { return m.patch.soundsLike(one.patch); }) ||
                               std::any_of(chosen.begin(), chosen.end(),
                                           [&](const Tried* c) { return c->patch.soundsLike(one.patch); });
            if (!known && std::isfinite(one.loss)) chosen.push_back(&one);
        };
        std::vector<const Tried*> order;
        for (const Tried& one : sorted) order.push_back(&one);
        std::stable_sort(order.begin(), order.end(), [](const Tried* a, const Tried* b) { return a->loss < b->loss; });
        for (const Tried* one : order)
            if (chosen.size() < most) choose(*one);
        if (most > scoredFirst)
            for (const FacetComparison& facet : now_.facets) {
                if (!facet.measured || facet.likeness > 92.0) continue;
                int taken = 0;
                for (const Tried* one : order) {
                    if (one->family == noFamily || !(families_[one->family].facets & facetBit(facet.facet))) continue;
                    choose(*one);
                    if (++taken >= 4) break;
                }
            }
        std::vector<Scored> added(chosen.size());
        parallelFor(static_cast<int>(chosen.size()), settings_.threads, [&](int i) {
            task_.check();
            const Tried& one = *chosen[static_cast<std::size_t>(i)];
            added[static_cast<std::size_t>(i)] = {one.patch, score_(one.patch, 1), one.family};
        });
        for (Scored& one : added) scored_.push_back(std::move(one));
    }

    /// Values between the best one's neighbors.
    void lookCloser(std::vector<Tried>& leading) {
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

    std::vector<Patch> between(const ProposalFamily& family, std::size_t place) const {
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

    bool inRange(const Address& address, double value) const {
        const auto range = settings_.limits.ranges.find(address);
        return range == settings_.limits.ranges.end() ||
               (value >= range->second.first && value <= range->second.second);
    }

    /// Whether a parameter can go most of a step that its slope asks for.
    bool reaches(std::size_t family, double step) const {
        const Address& address = families_[family].address;
        const double position = positionOf(address, patch_.value(address));
        return std::clamp(position + 0.7 * step, 0.0, 1.0) == position + 0.7 * step;
    }

    /// Two parameters that together explain what neither explains alone: of all pairs those whose derivatives, fitted
    /// to what is missing, promise most beyond the better of the two.
    std::vector<Tried> pairs() {
        std::vector<std::size_t> names;
        const auto leastSlope = 1e-4 * static_cast<double>(base_.squaredNorm());
        for (const auto& [family, derivative] : derivatives_)
            if (static_cast<double>(derivative.slope.squaredNorm()) > leastSlope) names.push_back(family);
        const auto count = static_cast<Eigen::Index>(names.size());
        if (count < 2) return {};
        Eigen::MatrixXd normal(count, count);
        Eigen::VectorXd right(count);
        for (Eigen::Index a = 0; a < count; ++a) {
            const Eigen::VectorXf& slope = derivatives_.at(names[static_cast<std::size_t>(a)]).slope;
            right(a) = -static_cast<double>(slope.dot(base_));
            for (Eigen::Index b = 0; b <= a; ++b)
                normal(a, b) = normal(b, a) =
                    static_cast<double>(slope.dot(derivatives_.at(names[static_cast<std::size_t>(b)]).slope));
        }
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

    /// The loss is not quite deaf to phase: the best few are settled by the likeness itself.
    void settleValues() {
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
            std::vector<Scored> added(nearby.size());
            parallelFor(static_cast<int>(nearby.size()), settings_.threads, [&](int i) {
                task_.check();
                const auto at = static_cast<std::size_t>(i);
                added[at] = {nearby[at], score_(nearby[at], 1), families[at]};
            });
            for (Scored& one : added) scored_.push_back(std::move(one));
        }
    }

    /// The list: of each family the move that gains most.
    void collect(bool complete) {
        std::vector<const Scored*> order;
        for (const Scored& one : scored_) order.push_back(&one);
        std::stable_sort(order.begin(), order.end(), [](const Scored* a, const Scored* b) {
            return a->comparison.likeness > b->comparison.likeness;
        });
        result_.best.clear();
        result_.complete = complete;
        std::vector<std::size_t> seen;
        for (const Scored* one : order) {
            if (result_.best.size() >= settings_.most || one->comparison.likeness < now_.likeness + leastGain) break;
            if (one->family != noFamily) {
                if (std::find(seen.begin(), seen.end(), one->family) != seen.end()) continue;
                seen.push_back(one->family);
            }
            Move move;
            move.patch = one->patch;
            move.what = wordsOf(patch_, one->patch);
            move.likeness = one->comparison.likeness;
            double most = -1e9;
            for (const FacetComparison& after : one->comparison.facets) {
                const FacetComparison* before = now_.find(after.facet);
                if (!after.measured || !before || !before->measured) continue;
                const double gain =
                    (after.likeness - before->likeness) * settings_.weights[static_cast<std::size_t>(after.facet)];
                if (gain <= most) continue;
                most = gain;
                move.facet = after.facet;
                move.facetBefore = before->likeness;
                move.facetAfter = after.likeness;
            }
            result_.best.push_back(std::move(move));
        }
    }

    struct Derivative {
        double step = 0.0;
        Eigen::VectorXf slope;
    };

    const ProfilePtr& profile_;
    const Performance& early_;
    const Loss& loss_;
    const std::function<Comparison(const Patch&, int)> score_;
    const Patch& patch_;
    const MoveSettings& settings_;
    const Task& task_;
    Clock::time_point begun_;
    Comparison now_;
    NextMoves result_;
    std::vector<ProposalFamily> families_;
    std::vector<Tried> tried_;
    std::vector<Scored> scored_;
    Eigen::VectorXf base_;
    std::map<std::size_t, Derivative> derivatives_;
};

} // namespace

MoveFinder::MoveFinder(const std::vector<MoveTarget>& targets) : impl_(std::make_unique<Impl>(targets)) {}
MoveFinder::~MoveFinder() = default;

NextMoves MoveFinder::find(const Patch& patch, const MoveSettings& settings, const Task& task,
                           const std::function<void(const NextMoves&)>& listener) const {
    const auto score = [&](const Patch& one, int threads) {
        return impl_->score(one, settings.weights, threads, task);
    };
    return Finding(impl_->profile(), impl_->early, *impl_->loss, score, patch, settings, task).run(listener);
}

} // namespace facet
