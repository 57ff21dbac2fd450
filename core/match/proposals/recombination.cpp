#include "core/match/proposals/recombination.h"

#include "core/base/error.h"
#include "core/match/proposals/first_layer.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <optional>
#include <string>

namespace facet {

namespace {

std::vector<const Patch::Module*> effectsOf(const Patch& patch) {
    std::vector<const Patch::Module*> effects;
    for (const auto& module : patch.modules())
        if (isEffect(module.kind) && takesPart(patch, module)) effects.push_back(&module);
    return effects;
}

void copyValues(const Patch& from, const std::string& path, Patch& to) {
    for (const auto& d : parametersOf(from.find(path)->kind)) {
        const Address address{path, std::string(d.field)};
        to.setNearest(address, from.value(address));
    }
}

/// Not where there is no room for them.
std::optional<Patch> withEffects(Patch patch, const Patch& other) {
    try {
        for (const auto& module : std::vector(patch.modules()))
            if (isEffect(module.kind)) patch.remove(module.path);
        for (const Patch::Module* effect : effectsOf(other)) {
            patch.add(effect->path);
            patch.setData(effect->path, effect->contents());
            copyValues(other, effect->path, patch);
        }
    } catch (const Error&) {
        return std::nullopt;
    }
    return patch;
}

Patch withFilter(Patch patch, const Patch& other) {
    for (const std::string& path : {firstFilter, firstFilterEnvelope}) copyValues(other, path, patch);
    return patch;
}

std::string kindsOfEffects(const Patch& patch) {
    std::string kinds;
    for (const Patch::Module* effect : effectsOf(patch)) kinds += std::to_string(static_cast<int>(effect->kind)) + " ";
    return kinds;
}

std::string kindOfFilter(const Patch& patch) {
    if (patch.value({firstFilter, "on"}) < 0.5) return "none";
    return std::to_string(patch.value({firstFilter, "kind"})) + std::to_string(patch.value({firstFilter, "slope"}));
}

} // namespace

std::vector<Patch> recombined(const Patch& patch, const std::vector<Patch>& others, const SearchLimits& limits,
                              std::size_t most) {
    std::vector<Patch> all;
    const auto keep = [&](const Patch& made) {
        const bool held = std::all_of(limits.locks.begin(), limits.locks.end(), [&](const Address& lock) {
            return !patch.has(lock) || (made.has(lock) && made.value(lock) == patch.value(lock));
        });
        if (held && !made.soundsLike(patch)) all.push_back(made);
    };
    const auto colorOf = [](const Patch& p) { return kindOfFilter(p) + "/" + kindsOfEffects(p); };
    std::vector<std::string> seen{colorOf(patch)};
    for (const Patch& other : others) {
        if (seen.size() > most) break;
        if (std::find(seen.begin(), seen.end(), colorOf(other)) != seen.end()) continue;
        seen.push_back(colorOf(other));
        const bool effects = kindsOfEffects(other) != kindsOfEffects(patch);
        const bool filters = kindOfFilter(other) != kindOfFilter(patch);
        const auto affected = effects ? withEffects(patch, other) : std::nullopt;
        if (affected) keep(*affected);
        if (filters) keep(withFilter(patch, other));
        if (affected && filters) keep(withFilter(*affected, other));
    }
    return all;
}

} // namespace facet
