#include "core/match/suggest/plan_steps.h"

#include "core/base/error.h"
#include "core/match/suggest/move_words.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace facet {

namespace {

/// Whether two patches differ by nothing that a producer would set: where cycles begin, cents that nobody notices.
bool differsUnheard(const Patch& before, const Patch& after) {
    constexpr double leastCents = 2.0;
    constexpr std::array phases{"phase", "phase_random", "retrigger"};
    const bool adds = std::any_of(after.modules().begin(), after.modules().end(),
                                  [&](const auto& m) { return before.find(m.path) == nullptr; });
    const std::vector<Address> changed = changedAddresses(before, after);
    return !adds && std::all_of(changed.begin(), changed.end(), [&](const Address& a) {
        return std::find(phases.begin(), phases.end(), a.field) != phases.end() ||
               (a.field == "cents" && std::abs(after.value(a) - before.value(a)) < leastCents);
    });
}

/// A patch with a part of the plan; nothing where there is no room for it, or where it is there already: a second of it
/// would be another idea than the plan's.
std::optional<Patch> taken(const Patch& onto, const Patch& plan, const SignalPart& part) {
    try {
        Patch changed = withPartOf(onto, plan, part);
        const bool adds = std::any_of(changed.modules().begin(), changed.modules().end(),
                                      [&](const auto& m) { return !onto.find(m.path); });
        if (adds && elementsBeyond(changed, onto).empty()) return std::nullopt;
        return changed;
    } catch (const Error&) {
        return std::nullopt;
    }
}

/// Nothing that does nothing stays behind: links that are off, and movers that move nothing, unless `kept` has them.
Patch tidied(Patch patch, const Patch& kept) {
    const std::vector<Patch::Module> modules(patch.modules());
    for (const bool links : {true, false})
        for (const auto& module : modules) {
            const bool mover = module.kind == ModuleKind::lfo || module.kind == ModuleKind::envelope;
            if ((links ? module.kind != ModuleKind::link : !mover) || Patch::isFixed(module.path) ||
                kept.find(module.path) || !patch.find(module.path) || takesPart(patch, *patch.find(module.path)))
                continue;
            patch.remove(module.path);
        }
    return patch;
}

std::optional<Patch> withoutElement(const Patch& patch, Element element, const Patch& kept) {
    for (const PatchElement& each : elementsOf(patch))
        if (each.element == element && each.without) return tidied(*each.without, kept);
    return std::nullopt;
}

} // namespace

PlanSteps stepsOf(const MovePlan& plan, const Patch& patch, const std::function<bool(const Patch&)>& allows) {
    constexpr double unlikely = 0.6; // below, the plainer form is proposed too
    const std::vector<SignalPart> parts = partsOf(plan.patch);
    std::vector<const SignalPart*> missing;
    PlanSteps found;
    for (const SignalPart& part : parts) {
        if (part.place >= PartPlace::macros) continue;
        auto changed = taken(patch, plan.patch, part);
        if (!changed || differsUnheard(patch, *changed) || !allows(*changed)) continue;
        missing.push_back(&part);
        found.steps.push_back({part.id, part.place, std::move(*changed)});
    }
    const auto allBut = [&](const SignalPart* left) {
        Patch all = patch;
        for (const SignalPart* each : missing)
            if (each != left)
                if (auto more = taken(all, plan.patch, *each)) all = std::move(*more);
        return all;
    };
    found.all = allBut(nullptr);
    for (std::size_t i = 0; i < missing.size(); ++i) {
        found.steps[i].all = found.all;
        found.steps[i].rest = allBut(missing[i]);
    }
    for (std::size_t i = 0; plan.odds.known() && i < missing.size(); ++i) {
        const PlanStep whole = found.steps[i];
        for (const Element each : elementsBeyond(whole.patch, patch)) {
            if (plan.odds.probabilityOf(each) >= unlikely) continue;
            auto plain = withoutElement(whole.patch, each, patch), all = withoutElement(whole.all, each, patch);
            if (!plain || !all || differsUnheard(patch, *plain) || !allows(*plain)) continue;
            found.steps.push_back({whole.part, whole.place, std::move(*plain), std::move(*all), whole.rest});
        }
    }
    return found;
}

} // namespace facet
