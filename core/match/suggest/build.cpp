#include "core/match/suggest/build.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/match/evidence/motion_odds.h"
#include "core/match/suggest/move_words.h"
#include "core/parameters/signal_parts.h"
#include "core/prior/element_odds.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <optional>
#include <utility>

namespace facet {

namespace {

using Ids = std::set<std::string>;

constexpr double mostLost = 2.0;    ///< likeness that a step may cost
constexpr double leastChange = 1.0; ///< likeness below which a step is none of its own
constexpr std::size_t mostSteps = 12;

const SignalPart* find(const std::vector<SignalPart>& parts, const std::string& id) {
    const auto found = std::find_if(parts.begin(), parts.end(), [&](const SignalPart& each) { return each.id == id; });
    return found == parts.end() ? nullptr : &*found;
}

/// Stages that a producer finishes before the next: what sounds, how it is shaped, how it is played and moves, what
/// comes behind.
int stageOf(PartPlace place) {
    if (place <= PartPlace::stack) return 0;
    if (place <= PartPlace::level) return 1;
    if (place < PartPlace::drive) return 2;
    return 3;
}

/// "Two saws; white noise, −24 dB". What is not heard by itself is only told where there is nothing else.
std::string titleOf(const std::vector<std::string>& ids, const std::vector<SignalPart>& parts, const Patch& patch) {
    std::string title, silent;
    for (const std::string& id : ids)
        if (const SignalPart* part = find(parts, id)) {
            std::string& to = part->place >= PartPlace::macros ? silent : title;
            std::string words = wordsOf(*part, patch);
            if (!to.empty()) words[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(words[0])));
            to += (to.empty() ? "" : "; ") + words;
        }
    return title.empty() ? silent : title;
}

/// "Brightness: stays open, reference closes to 166 Hz → alike".
std::string listenTo(const std::vector<FacetGain>& gains, const Comparison& before, const Comparison& after) {
    constexpr std::size_t most = 2;
    constexpr double heard = 3.0;
    std::string words;
    std::size_t told = 0;
    for (const FacetGain& gain : gains) {
        if (told >= most || gain.after - gain.before < heard) break;
        const std::string &was = before.find(gain.facet)->words, &is = after.find(gain.facet)->words;
        if (is == was) continue;
        words += fmt::format("{}{}: {} → {}", words.empty() ? "" : "; ", labelOf(gain.facet), was, is);
        ++told;
    }
    return words;
}

} // namespace

struct BuildMaker::Impl {
    explicit Impl(const std::vector<MoveTarget>& targets) : score(targets) {
        const MoveTarget& first = score.first();
        if (!score.counted().notes.empty())
            odds = withMeasuredMotion(
                elementOdds(attended(atRate(*first.reference, analysisRateHz), first.attention), score.counted()),
                first.profile->motion);
    }

    /// Compares those that have not been compared yet, side by side.
    void compareAll(const std::vector<Patch>& patches) {
        std::vector<const Patch*> missing;
        for (const Patch& each : patches)
            if (!compared.contains(each.hash()) &&
                std::none_of(missing.begin(), missing.end(),
                             [&](const Patch* other) { return other->soundsLike(each); }))
                missing.push_back(&each);
        std::vector<ComparedPatch> found(missing.size());
        parallelFor(static_cast<int>(missing.size()), threads, [&](int i) {
            const auto at = static_cast<std::size_t>(i);
            try {
                found[at] = score.of(*missing[at], weights, missing.size() == 1 ? threads : 1, *task);
            } catch (const Error&) { // nothing is heard of it yet
                found[at].render = score.first().profile;
            }
        });
        for (std::size_t i = 0; i < missing.size(); ++i) compared[missing[i]->hash()] = std::move(found[i]);
    }
    const ComparedPatch& of(const Patch& patch) {
        compareAll({patch});
        return compared.at(patch.hash());
    }
    double likeness(const Patch& patch, const Ids& ids) { return of(withParts(patch, ids)).comparison.likeness; }

    void begin(const FacetWeights& wanted, int on, const Task& with) {
        if (wanted != weights) compared.clear();
        weights = wanted;
        threads = on;
        task = &with;
    }

    std::vector<std::string> heardOf(const std::vector<std::string>& ids, const Patch& patch);
    std::vector<std::vector<std::string>> ordered(const Patch& patch, const std::vector<SignalPart>& parts);
    void mergeSmall(const Patch& patch, const std::vector<SignalPart>& parts,
                    std::vector<std::vector<std::string>>& steps);
    Build told(const Patch& patch, const std::vector<PlannedStep>& steps);

    ReferenceScore score;
    ElementOdds odds{};
    std::map<std::uint64_t, ComparedPatch> compared;
    FacetWeights weights = equalWeights;
    int threads = 1;
    const Task* task = nullptr;
};

/// Of parts that are set together those that the whole would miss; all where it misses none.
std::vector<std::string> BuildMaker::Impl::heardOf(const std::vector<std::string>& ids, const Patch& patch) {
    constexpr double hardly = 0.5; // likeness
    if (ids.size() < 2) return ids;
    Ids all;
    for (const SignalPart& each : partsOf(patch)) all.insert(each.id);
    std::vector<Patch> without{withParts(patch, all)};
    for (const std::string& id : ids) {
        Ids rest = all;
        rest.erase(id);
        without.push_back(withParts(patch, rest));
    }
    compareAll(without);
    const double whole = of(without.front()).comparison.likeness;
    std::vector<std::string> heard;
    for (std::size_t i = 0; i < ids.size(); ++i)
        if (whole - of(without[i + 1]).comparison.likeness >= hardly) heard.push_back(ids[i]);
    return heard.empty() ? ids : heard;
}

/// Each part a step, in an order in which no step costs much.
std::vector<std::vector<std::string>> BuildMaker::Impl::ordered(const Patch& patch,
                                                                const std::vector<SignalPart>& parts) {
    std::vector<std::string> left;
    for (const SignalPart& each : parts) left.push_back(each.id);
    // As everything would be if the order of the signal path were good enough.
    std::vector<Patch> chain{withParts(patch, {})};
    Ids sofar;
    for (const std::string& id : left) {
        sofar.insert(id);
        chain.push_back(withParts(patch, sofar));
    }
    compareAll(chain);
    std::vector<std::vector<std::string>> steps;
    Ids done;
    double now = likeness(patch, done);
    const auto with = [&](const std::vector<std::string>& more) {
        Ids ids = done;
        ids.insert(more.begin(), more.end());
        return likeness(patch, ids);
    };
    const auto take = [&](const std::vector<std::string>& step) {
        now = with(step);
        done.insert(step.begin(), step.end());
        std::erase_if(left, [&](const std::string& id) { return done.contains(id); });
        steps.push_back(step);
    };
    while (!left.empty()) {
        const std::string first = left.front();
        if (with({first}) >= now - mostLost) {
            take({first});
            continue;
        }
        // What belongs to the same stage is set with it; else it waits for another; else it is set with more and more.
        const int stage = stageOf(find(parts, first)->place);
        std::vector<std::string> chosen;
        for (std::size_t i = 1; chosen.empty() && i < left.size(); ++i)
            if (stageOf(find(parts, left[i])->place) == stage && with({first, left[i]}) >= now - mostLost)
                chosen = {first, left[i]};
        for (std::size_t i = 1; chosen.empty() && i < left.size(); ++i)
            if (with({left[i]}) >= now - mostLost) chosen = {left[i]};
        for (std::size_t i = 1; chosen.empty() && i < left.size(); ++i)
            if (with({first, left[i]}) >= now - mostLost) chosen = {first, left[i]};
        if (chosen.empty()) {
            chosen = {first};
            for (std::size_t i = 1; i < left.size() && with(chosen) < now - mostLost; ++i) chosen.push_back(left[i]);
        }
        take(chosen);
    }
    return steps;
}

void BuildMaker::Impl::mergeSmall(const Patch& patch, const std::vector<SignalPart>& parts,
                                  std::vector<std::vector<std::string>>& steps) {
    Ids all;
    for (const SignalPart& each : parts) all.insert(each.id);
    const auto without = [&](const std::vector<std::string>& step) {
        Ids rest = all;
        for (const std::string& id : step) rest.erase(id);
        return withParts(patch, rest);
    };
    std::vector<Patch> lacking;
    for (const auto& step : steps) lacking.push_back(without(step));
    compareAll(lacking);
    const double whole = likeness(patch, all);
    const auto after = [&](std::size_t count) {
        Ids ids;
        for (std::size_t i = 0; i < count; ++i) ids.insert(steps[i].begin(), steps[i].end());
        return likeness(patch, ids);
    };
    const auto stage = [&](std::size_t i) { return stageOf(find(parts, steps[i].front())->place); };
    const auto join = [&](std::size_t i) { // with the neighbor that it is closer to
        const bool back = i > 0 && (i + 1 == steps.size() || stage(i - 1) == stage(i) || stage(i + 1) != stage(i));
        const std::size_t to = back ? i - 1 : i;
        steps[to].insert(steps[to].end(), steps[to + 1].begin(), steps[to + 1].end());
        steps.erase(steps.begin() + static_cast<std::ptrdiff_t>(to) + 1);
    };
    for (std::size_t i = 0; i < steps.size() && steps.size() > 1;) {
        const bool silent = std::all_of(steps[i].begin(), steps[i].end(), [&](const std::string& id) {
            return find(parts, id)->place == PartPlace::output;
        });
        const bool small = std::abs(after(i + 1) - after(i)) < leastChange &&
                           std::abs(whole - of(without(steps[i])).comparison.likeness) < leastChange;
        if (!silent && !small) {
            ++i;
            continue;
        }
        join(i);
        if (i > 0) --i;
    }
    // A peak that the whole does not keep is none to stop at.
    for (std::size_t i = 0; i < steps.size() && steps.size() > 1;) {
        if (after(i) - after(i + 1) <= mostLost) {
            ++i;
            continue;
        }
        const std::size_t to = i > 0 ? i - 1 : 0;
        steps[to].insert(steps[to].end(), steps[to + 1].begin(), steps[to + 1].end());
        steps.erase(steps.begin() + static_cast<std::ptrdiff_t>(to) + 1);
        i = to;
    }
    while (steps.size() > mostSteps) {
        std::size_t least = 0;
        double smallest = std::numeric_limits<double>::infinity();
        for (std::size_t i = 0; i < steps.size(); ++i)
            if (const double change = std::abs(after(i + 1) - after(i)); change < smallest) {
                smallest = change;
                least = i;
            }
        join(least);
    }
}

Build BuildMaker::Impl::told(const Patch& patch, const std::vector<PlannedStep>& steps) {
    constexpr double changes = 2.0; // of a facet's likeness
    const std::vector<SignalPart> parts = partsOf(patch);
    Build build;
    Ids done;
    Patch before = withParts(patch, {});
    std::vector<Patch> chain{before};
    for (const PlannedStep& each : steps) {
        done.insert(each.parts.begin(), each.parts.end());
        chain.push_back(withParts(patch, done));
    }
    compareAll(chain);
    build.empty = of(before).comparison.likeness;
    std::set<Element> whole, told; // what the empty patch has of them, the first step tells
    for (const PatchElement& each : elementsOf(patch)) whole.insert(each.element);
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const ComparedPatch &was = of(chain[i]), &is = of(chain[i + 1]);
        BuildStep step;
        step.parts = steps[i].parts;
        step.hidden = steps[i].hidden;
        step.text = steps[i].text;
        step.found = titleOf(heardOf(step.parts, patch), parts, patch);
        step.title = steps[i].title.empty() ? step.found : steps[i].title;
        step.patch = chain[i + 1];
        step.before = was.comparison.likeness;
        step.after = is.comparison.likeness;
        for (const PatchElement& each : elementsOf(chain[i + 1]))
            if (whole.contains(each.element) && told.insert(each.element).second) step.elements.insert(each.element);
        step.facets = gainsBetween(was.comparison, is.comparison, weights);
        step.listen = listenTo(step.facets, was.comparison, is.comparison);
        const Facet most = step.facets.empty() ? Facet::pitch : step.facets.front().facet;
        if (!step.elements.empty())
            step.why = reasonOfMove(step.elements, most, {*score.first().profile, *was.render, was.comparison, odds});
        std::erase_if(step.facets, [](const FacetGain& each) { return std::abs(each.after - each.before) < changes; });
        for (const std::string& id : step.parts)
            if (const SignalPart* part = find(parts, id))
                for (PartSetting& setting : settingsOf(*part, patch)) step.settings.push_back(std::move(setting));
        build.steps.push_back(std::move(step));
    }
    return build;
}

BuildMaker::BuildMaker(const std::vector<MoveTarget>& targets) : impl_(std::make_unique<Impl>(targets)) {}
BuildMaker::~BuildMaker() = default;

Build BuildMaker::make(const Patch& patch, const FacetWeights& weights, int threads, const Task& task) {
    impl_->begin(weights, threads, task);
    const std::vector<SignalPart> parts = partsOf(patch);
    auto steps = impl_->ordered(patch, parts);
    impl_->mergeSmall(patch, parts, steps);
    std::vector<PlannedStep> planned;
    for (auto& ids : steps) planned.push_back({std::move(ids)});
    return impl_->told(patch, planned);
}

Build BuildMaker::follow(const Patch& patch, const BuildPlan& plan, const FacetWeights& weights, int threads,
                         const Task& task) {
    impl_->begin(weights, threads, task);
    const std::vector<SignalPart> parts = partsOf(patch);
    std::vector<PlannedStep> steps;
    Ids named;
    for (PlannedStep each : plan.steps) {
        std::erase_if(each.parts, [&](const std::string& id) { return !find(parts, id) || !named.insert(id).second; });
        if (!each.parts.empty()) steps.push_back(std::move(each));
    }
    for (const SignalPart& each : parts)
        if (!named.contains(each.id)) {
            if (steps.empty()) steps.emplace_back();
            steps.back().parts.push_back(each.id);
        }
    return impl_->told(patch, steps);
}

BuildPlan planOf(const Build& build) {
    BuildPlan plan;
    for (const BuildStep& each : build.steps) {
        PlannedStep step{each.parts, {}, each.text, each.hidden};
        if (each.title != each.found) step.title = each.title;
        plan.steps.push_back(std::move(step));
    }
    return plan;
}

} // namespace facet
