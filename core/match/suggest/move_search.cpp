#include "core/match/suggest/move_search.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/engine/render.h"
#include "core/instruments/played_on.h"
#include "core/match/proposals/catalogue.h"
#include "core/match/search/score.h"
#include "core/match/suggest/move_words.h"
#include "core/match/suggest/plan_steps.h"
#include "core/parameters/changes.h"
#include "core/parameters/signal_parts.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace facet {

namespace {

/// Seconds after which a first list shall be there, whatever has been tried by then.
constexpr double firstListWithin = 1.8;
constexpr std::size_t scoredFirst = 5, scoredLater = 14;
constexpr double leastGain = 1.0;       ///< of likeness
constexpr double derivativeStep = 0.05; ///< largest step of a scale from which a derivative is taken
constexpr double likenessPerDb = 5.0;   ///< of the loss, about, where much is still missing
constexpr double harmless = 2.5;        ///< of likeness that a move may cost on a plan that has it already
constexpr double leadsBy = 3.0;         ///< likeness
constexpr double nearGoal = 80.0;       ///< likeness
constexpr double unheardDb = 1e-3;      ///< of the loss
constexpr double farShare = 0.2;        ///< of the loss that a plan explains, from which the goal is far

/// Among what gains alike, what stands earlier in the signal path comes first.
double eagernessFor(PartPlace place) {
    if (place == PartPlace::sources) return 1.4;
    if (place <= PartPlace::stack) return 1.3;
    if (place <= PartPlace::level) return 1.2;
    return place < PartPlace::drive ? 1.0 : 0.9;
}

/// Two octaves and more in one go are no producer's move.
bool transposesFar(const Patch& before, const Patch& after) {
    constexpr double far = 24.0; // semitones
    const std::vector<Address> changed = changedAddresses(before, after);
    return std::any_of(changed.begin(), changed.end(), [&](const Address& each) {
        if (!before.has(each) || !after.has(each)) return false;
        const double apart = std::abs(after.value(each) - before.value(each));
        return (each.field == "transpose" || each.field == "semitone") && apart > far;
    });
}

} // namespace

NextMoves MoveSearch::run(const std::function<void(const NextMoves&)>& listener) {
    begun_ = Clock::now();
    now_ = reference_.score(patch_, settings_.threads);
    const double scoring = secondsSince(begun_);
    result_.before = now_.comparison.likeness;
    families_ = proposalFamilies({patch_, settings_.limits, reference_.profile});
    base_ = residuals({patch_}).front();
    catalogue_ = families_.size();
    follow(reference_.measured());
    if (reference_.isSearched) follow(reference_.searched());
    // The scores of a first list take their time too.
    const auto listedFirst = static_cast<std::size_t>(
        std::clamp(0.5 * firstListWithin / std::max(scoring, 1e-3) - 1.0, 2.0, static_cast<double>(scoredFirst)));
    tryAll(listener, listedFirst, firstListWithin - 1.2 * static_cast<double>(listedFirst) * scoring);
    // Near the goal single values are what is missing, which no search for a whole sound tells better.
    if (!reference_.isSearched && settings_.planSeconds > 0.0 && now_.comparison.likeness < nearGoal)
        follow(reference_.searched());
    auto leading = bestOfFamilies();
    lookCloser(leading);
    // Far from the goal the plan says more than many scores, and no value needs to be right to a hair.
    const bool far = share_ > farShare;
    scorePlanned(scoredLater);
    scoreBest(leading, far ? scoredFirst : scoredLater);
    scoreBest(pairs(), scoredFirst);
    scoreBest(parts(), scoredFirst);
    if (!far) settleValues();
    collect(true);
    if (listener) listener(result_);
    return result_;
}

std::vector<Eigen::VectorXf> MoveSearch::residuals(const std::vector<Patch>& patches) {
    const auto renders = renderAt48k(patches, reference_.early, task_, settings_.threads);
    std::vector<Eigen::VectorXf> all(patches.size());
    parallelFor(static_cast<int>(patches.size()), settings_.threads, [&](int i) {
        task_.check();
        all[static_cast<std::size_t>(i)] = reference_.loss.residual(renders[static_cast<std::size_t>(i)]);
    });
    result_.tried += static_cast<int>(patches.size());
    return all;
}

std::vector<double> MoveSearch::losses(const std::vector<Patch>& patches) {
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

/// Makes each part of a plan a family of its own, and asks what it adds once all others are there.
void MoveSearch::follow(const MovePlan& plan) {
    const ProposalContext in{patch_, settings_.limits, reference_.profile};
    const PlanSteps to = stepsOf(plan, patch_, [&](const Patch& changed) {
        return keepsLimits(changed) && in.keepsLocks(changed) && in.keepsWishes(changed) && isPlayable(changed);
    });
    std::vector<Patch> tried{to.all};
    for (const PlanStep& each : to.steps)
        for (const Patch* patch : {&each.rest, &each.all, &each.patch}) tried.push_back(*patch);
    const std::vector<double> loss = losses(tried);
    const double now = Loss::value(base_);
    // The better of two plans judges what the other proposes, as it judges everything else.
    const double cost = loss.front() + implausibilityOf(to.all, plan.odds);
    const bool leads = !plan_ || cost < allCost_;
    if (leads) {
        plan_ = &plan;
        all_ = to.all;
        allCost_ = cost;
        allLoss_ = std::min(loss.front(), now);
        share_ = now > 0.0 ? 1.0 - allLoss_ / now : 0.0;
        planned_.clear();
        for (Scored& each : scored_) each.onceAll = notMeasurable;
        reach_ = share_ > 0.0 ? reference_.score(all_, settings_.threads).comparison.likeness : 0.0;
    }
    for (std::size_t i = 0; i < to.steps.size(); ++i) {
        const PlanStep& step = to.steps[i];
        const double rest = loss[1 + 3 * i], all = loss[2 + 3 * i], alone = loss[3 + 3 * i];
        const std::size_t family = families_.size();
        families_.push_back({{}, 0, {}, {step.patch}});
        // What leads nowhere says nothing about its parts.
        const double onceAll = share_ > 0.0 ? likenessPerDb * (rest - all) : 0.0;
        // Other values for what is there already are as any others, and told as such.
        const bool adds = !elementsBeyond(step.patch, patch_).empty();
        if (adds) compounds_.insert(family);
        if (leads)
            planned_[family] = {step.part, std::max(0.0, onceAll), adds ? eagernessFor(step.place) : 1.0,
                                std::abs(alone - now) > unheardDb};
        tried_.push_back({step.patch, alone, family, 0});
    }
}

/// Every change once, in lanes: middling steps of all parameters first, then other structures, then the rest. Tells a
/// first list in between. The steps of each parameter also give its derivative.
void MoveSearch::tryAll(const std::function<void(const NextMoves&)>& listener, std::size_t listed, double tellAfter) {
    std::vector<std::pair<int, Tried>> order;
    for (std::size_t f = 0; f < catalogue_; ++f) // what plans propose has been tried with them
        for (std::size_t i = 0; i < families_[f].patches.size(); ++i)
            if (!transposesFar(patch_, families_[f].patches[i]) && isPlayable(families_[f].patches[i]))
                order.push_back({urgency(families_[f], i), {families_[f].patches[i], 0.0, f, i}});
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    constexpr std::size_t atOnce = 32;
    bool isListed = !listener;
    const auto report = [&] {
        scorePlanned(listed);
        if (scored_.size() < listed) scoreBest(bestOfFamilies(), listed - scored_.size());
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

/// Whether the instrument that is matched for plays a change of its own patch.
bool MoveSearch::isPlayable(const Patch& changed) const {
    const Instrument* instrument = settings_.instrument.get();
    return !instrument || !isOf(*instrument, patch_) || withinReachOf(*instrument, changed).soundsLike(changed);
}

/// The lower, the sooner.
int MoveSearch::urgency(const ProposalFamily& family, std::size_t place) const {
    if (!family.continuous()) return 1;
    const double step = std::abs(positionOf(family.address, family.values[place]) -
                                 positionOf(family.address, patch_.value(family.address)));
    return (step > 0.03 && step < 0.09) || (step > 0.18 && step < 0.3) ? 0 : 2;
}

double MoveSearch::positionOf(const Address& address, double value) const {
    return patch_.shownDescriptor(address).toUnit(value);
}

void MoveSearch::keepDerivative(const Tried& one, const Eigen::VectorXf& residual) {
    const ProposalFamily& family = families_[one.family];
    // Where notes begin, the loss hears to the sample and people do not.
    if (!family.continuous() || family.address.field == "offset") return;
    const double step =
        positionOf(family.address, family.values[one.place]) - positionOf(family.address, patch_.value(family.address));
    if (std::abs(step) > derivativeStep || std::abs(step) < 1e-4) return;
    Derivative& kept = derivatives_[one.family];
    if (kept.step != 0.0 && std::abs(kept.step) >= std::abs(step)) return; // the larger step stands out of chance
    kept = {step, (residual - base_) / static_cast<float>(step)};
}

/// The best change of each family, the best family first.
std::vector<MoveSearch::Tried> MoveSearch::bestOfFamilies() const {
    std::vector<Tried> best(families_.size());
    for (const Tried& one : tried_)
        if (one.loss < best[one.family].loss) best[one.family] = one;
    std::stable_sort(best.begin(), best.end(), [](const Tried& a, const Tried& b) { return a.loss < b.loss; });
    return best;
}

bool MoveSearch::isScored(const Patch& patch) const {
    return std::any_of(scored_.begin(), scored_.end(), [&](const Scored& one) { return one.patch.soundsLike(patch); });
}

void MoveSearch::scoreAll(const std::vector<std::pair<Patch, std::size_t>>& some) {
    std::vector<Scored> added(some.size());
    parallelFor(static_cast<int>(some.size()), settings_.threads, [&](int i) {
        task_.check();
        const auto& [patch, family] = some[static_cast<std::size_t>(i)];
        added[static_cast<std::size_t>(i)] = {patch, reference_.score(patch, 1).comparison, family};
    });
    for (Scored& one : added) scored_.push_back(std::move(one));
}

/// What fills a gap that the plan closes otherwise gains nothing once that is done.
void MoveSearch::judgeOnPlan() {
    if (share_ <= 0.0) return;
    std::vector<Patch> all;
    std::vector<std::size_t> owners;
    for (std::size_t i = 0; i < scored_.size(); ++i) {
        if (isMeasured(scored_[i].onceAll) || planned_.contains(scored_[i].family)) continue;
        if (auto patch = onPlan(scored_[i].patch)) {
            all.push_back(std::move(*patch));
            owners.push_back(i);
        }
    }
    const std::vector<double> loss = losses(all);
    for (std::size_t i = 0; i < all.size(); ++i) scored_[owners[i]].onceAll = likenessPerDb * (allLoss_ - loss[i]);
}

/// Scores parts of the plan, whatever they do alone.
void MoveSearch::scorePlanned(std::size_t most) {
    std::vector<std::pair<double, std::size_t>> order;
    for (const auto& [family, planned] : planned_)
        if (planned.onceAll >= leastGain && planned.heard)
            order.emplace_back(-planned.onceAll * planned.eagerness, family);
    std::sort(order.begin(), order.end());
    std::vector<std::pair<Patch, std::size_t>> some;
    for (const auto& [negative, family] : order) {
        const Patch& patch = families_[family].patches.front();
        if (some.size() < most && !isScored(patch) && isInFocus(patch)) some.emplace_back(patch, family);
    }
    scoreAll(some);
}

/// Scores those not scored yet: the best by loss, and the best of those that answer for a facet that is unlike.
void MoveSearch::scoreBest(const std::vector<Tried>& sorted, std::size_t most) {
    std::vector<const Tried*> chosen;
    const auto choose = [&](const Tried& one) {
        const bool chosenAlready =
            std::any_of(chosen.begin(), chosen.end(), [&](const Tried* c) { return c->patch.soundsLike(one.patch); });
        if (!chosenAlready && !isScored(one.patch) && std::isfinite(one.loss) && isInFocus(one.patch))
            chosen.push_back(&one);
    };
    std::vector<const Tried*> order;
    for (const Tried& one : sorted) order.push_back(&one);
    std::stable_sort(order.begin(), order.end(), [](const Tried* a, const Tried* b) { return a->loss < b->loss; });
    for (const Tried* one : order)
        if (chosen.size() < most) choose(*one);
    if (most > scoredFirst)
        for (const FacetComparison& facet : now_.comparison.facets) {
            if (!facet.measured || facet.likeness > 92.0) continue;
            int taken = 0;
            for (const Tried* one : order) {
                if (one->family == noFamily || !(families_[one->family].facets & facetBit(facet.facet))) continue;
                choose(*one);
                if (++taken >= 4) break;
            }
        }
    std::vector<std::pair<Patch, std::size_t>> some;
    for (const Tried* one : chosen) some.emplace_back(one->patch, one->family);
    scoreAll(some);
}

bool MoveSearch::keepsLimits(const Patch& changed) const {
    return std::all_of(settings_.limits.ranges.begin(), settings_.limits.ranges.end(), [&](const auto& range) {
        return !changed.has(range.first) || changed.value(range.first) == patch_.value(range.first) ||
               inRange(range.first, changed.value(range.first));
    });
}

/// Whether a change is about the module that the producer looks at: its values, or what moves it.
bool MoveSearch::isInFocus(const Patch& changed) const {
    if (settings_.module.empty()) return true;
    const std::string inside = settings_.module + "/";
    const auto within = [&](const std::string& path) { return path == settings_.module || path.starts_with(inside); };
    for (const PatchChange& each : changesBetween(patch_, changed)) {
        if (within(each.path)) return true;
        const auto* module = changed.find(each.path);
        if (module && module->kind == ModuleKind::link && module->contents().to.starts_with(inside)) return true;
    }
    return false;
}

/// 0 … 1: by what is known of the recording, how likely the elements are that a change brings and takes away. Near the
/// goal the loss is right and says enough; far from it, it prefers whatever fills a gap.
double MoveSearch::trustIn(const Patch& changed) const {
    constexpr double far = 30.0, near = 85.0, least = 0.05, most = 0.9;
    const double alone = std::clamp((now_.comparison.likeness - far) / (near - far), least, most);
    double likely = 1.0;
    if (plan_ && plan_->odds.known()) {
        for (const Element each : elementsBeyond(changed, patch_))
            likely = std::min(likely, plan_->odds.probabilityOf(each));
        for (const Element each : elementsBeyond(patch_, changed))
            likely = std::min(likely, 1.0 - plan_->odds.probabilityOf(each));
    }
    return alone + (1.0 - alone) * likely;
}

/// The patch with the whole plan, changed likewise; nothing where that is not possible.
std::optional<Patch> MoveSearch::onPlan(const Patch& changed) const {
    SignalPart part;
    for (const auto& module : changed.modules())
        if (!patch_.find(module.path)) part.modules.push_back(module.path);
    for (const Address& address : changedAddresses(patch_, changed))
        if (patch_.has(address) && changed.has(address)) part.values.push_back(address);
    try {
        Patch all = withPartOf(all_, changed, part);
        for (const auto& module : patch_.modules())
            if (!changed.find(module.path) && all.find(module.path)) all.remove(module.path);
        return all;
    } catch (const Error&) {
        return std::nullopt; // no room
    }
}

MoveSearch::Ranked MoveSearch::ranked(const Scored& one) const {
    Ranked result{&one, {}, 0.0, one.onceAll};
    const auto planned = planned_.find(one.family);
    double eagerness = 1.0;
    if (planned != planned_.end()) {
        result.onceAll = planned->second.onceAll;
        eagerness = planned->second.eagerness;
    }
    double gain = one.comparison.likeness - now_.comparison.likeness;
    // The farther the plan leads, the more what helps there counts, and the less what helps now. What the plan does as
    // well neither helps nor harms it, and counts by what it does now.
    if (isMeasured(result.onceAll)) {
        const double share = planLeads_ ? share_ : 0.0;
        const double ahead = share * result.onceAll + (1.0 - share) * gain;
        gain = result.onceAll < -harmless ? ahead : std::max(gain, ahead);
    }
    if (settings_.facet) {
        const FacetComparison *before = now_.comparison.find(*settings_.facet),
                              *after = one.comparison.find(*settings_.facet);
        gain = before && after && before->measured && after->measured ? after->likeness - before->likeness : 0.0;
    }
    result.worth = gain * eagerness * trustIn(one.patch);
    for (const Element each : elementsBeyond(one.patch, patch_)) result.worth -= priceOf(each) - priceOf(Element::saw);
    if (result.worth >= leastGain) result.idea = ideaOfMove(patch_, one.patch);
    return result;
}

Move MoveSearch::moveOf(const Ranked& one) const {
    constexpr double told = 2.0; // of a facet's likeness
    Move move;
    move.patch = one.scored->patch;
    move.what = wordsOfMove(patch_, move.patch, compounds_.contains(one.scored->family));
    move.idea = one.idea;
    move.likeness = one.scored->comparison.likeness;
    if (planLeads_ && one.onceAll >= leastGain) move.onceAll = one.onceAll;
    move.worth = one.worth;
    move.facets = gainsBetween(now_.comparison, one.scored->comparison, settings_.weights);
    if (settings_.facet) // the one that is asked for leads
        std::stable_partition(move.facets.begin(), move.facets.end(),
                              [&](const FacetGain& each) { return each.facet == *settings_.facet; });
    if (move.facets.empty()) move.facets.emplace_back();
    move.why = reasonOfMove(elementsBeyond(move.patch, patch_), move.facets.front().facet,
                            {reference_.profile, *now_.render, now_.comparison, plan_ ? plan_->odds : ElementOdds()});
    for (std::size_t i = move.facets.size(); i-- > 1;)
        if (std::abs(move.facets[i].after - move.facets[i].before) < told)
            move.facets.erase(move.facets.begin() + static_cast<std::ptrdiff_t>(i));
    return move;
}

/// The list: different ideas, of each the change that is worth most.
void MoveSearch::collect(bool complete) {
    judgeOnPlan();
    // Where one move leads as far as the plan, somebody who is on another way is nearly there.
    double best = now_.comparison.likeness;
    for (const Scored& one : scored_) best = std::max(best, one.comparison.likeness);
    planLeads_ = reach_ > best + leadsBy;
    std::vector<Ranked> order;
    for (const Scored& one : scored_) order.push_back(ranked(one));
    std::stable_sort(order.begin(), order.end(), [](const Ranked& a, const Ranked& b) { return a.worth > b.worth; });
    result_.best.clear();
    result_.complete = complete;
    std::set<std::size_t> families;
    std::set<std::string> ideas, parts;
    std::set<Element> brought;
    for (const Ranked& one : order) {
        if (result_.best.size() >= settings_.most || one.worth < leastGain) break;
        if (settings_.declined.contains(one.idea) || !isInFocus(one.scored->patch)) continue;
        if (one.scored->family != noFamily && !families.insert(one.scored->family).second) continue;
        const auto planned = planned_.find(one.scored->family);
        if (planned != planned_.end() && parts.contains(planned->second.part)) continue;
        // One value of a part that is proposed as a whole is another size of that.
        const std::vector<Address> changed = changedAddresses(patch_, one.scored->patch);
        if (planned == planned_.end() && !changed.empty() &&
            std::all_of(changed.begin(), changed.end(),
                        [&](const Address& each) { return parts.contains(partOf(patch_, each)); }))
            continue;
        if (!ideas.insert(one.idea).second) continue;
        const std::set<Element> elements = elementsBeyond(one.scored->patch, patch_);
        const bool known = std::includes(brought.begin(), brought.end(), elements.begin(), elements.end());
        if (!elements.empty() && known) continue;
        brought.insert(elements.begin(), elements.end());
        if (planned != planned_.end()) parts.insert(planned->second.part);
        result_.best.push_back(moveOf(one));
    }
}

} // namespace facet
