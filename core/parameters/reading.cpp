#include "core/parameters/reading.h"

#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <span>

namespace facet {

namespace {

using Fields = std::span<const std::string_view>;

/// What a kind is known by, wherever it stands.
Fields knownBy(ModuleKind kind) {
    static constexpr std::array<std::string_view, 2> source{"wave", "level"};
    static constexpr std::array<std::string_view, 3> filter{"kind", "cutoff", "resonance"};
    static constexpr std::array<std::string_view, 4> envelope{"attack", "decay", "sustain", "release"};
    static constexpr std::array<std::string_view, 3> lfo{"shape", "rate", "beats"};
    static constexpr std::array<std::string_view, 1> layer{"level"};
    static constexpr std::array<std::string_view, 1> output{"level"};
    static constexpr std::array<std::string_view, 2> voicing{"mode", "voices"};
    static constexpr std::array<std::string_view, 1> link{"amount"};
    static constexpr std::array<std::string_view, 1> macro{"value"};
    static constexpr std::array<std::string_view, 3> compressor{"threshold", "ratio", "mix"};
    static constexpr std::array<std::string_view, 4> delay{"time", "beats", "feedback", "mix"};
    static constexpr std::array<std::string_view, 3> reverb{"size", "decay", "mix"};
    static constexpr std::array<std::string_view, 3> drive{"curve", "drive", "mix"};
    static constexpr std::array<std::string_view, 3> moving{"rate", "depth", "mix"};
    static constexpr std::array<std::string_view, 2> reduction{"bits", "rate"};
    static constexpr std::array<std::string_view, 2> postFilter{"kind", "cutoff"};
    static constexpr std::array<std::string_view, 1> ceiling{"ceiling"};
    static constexpr std::array<std::string_view, 1> mix{"mix"};
    switch (kind) {
    case ModuleKind::source: return source;
    case ModuleKind::filter: return filter;
    case ModuleKind::envelope: return envelope;
    case ModuleKind::lfo: return lfo;
    case ModuleKind::layer: return layer;
    case ModuleKind::output: return output;
    case ModuleKind::voicing: return voicing;
    case ModuleKind::link: return link;
    case ModuleKind::macro: return macro;
    case ModuleKind::compressor: return compressor;
    case ModuleKind::delay: return delay;
    case ModuleKind::reverb: return reverb;
    case ModuleKind::saturation:
    case ModuleKind::folding: return drive;
    case ModuleKind::chorus:
    case ModuleKind::flanger:
    case ModuleKind::phaser: return moving;
    case ModuleKind::reduction: return reduction;
    case ModuleKind::postFilter: return postFilter;
    case ModuleKind::limiter: return ceiling;
    default: return mix;
    }
}

std::string lower(std::string_view text) {
    std::string word(text);
    if (!word.empty()) word[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(word[0])));
    return word;
}

std::string upper(std::string_view text) {
    std::string word(text);
    if (!word.empty()) word[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(word[0])));
    return word;
}

bool isOn(const Patch& patch, const Patch::Module& module) {
    return !patch.has({module.path, "on"}) || patch.value({module.path, "on"}) >= 0.5;
}

} // namespace

bool isKnownBy(ModuleKind kind, std::string_view field) {
    const Fields fields = knownBy(kind);
    return std::find(fields.begin(), fields.end(), field) != fields.end();
}

std::vector<ImportantValue> importantValues(const Patch& patch, const Patch::Module& module, std::size_t most) {
    struct Found {
        const ParameterDescriptor* descriptor;
        bool known;
    };
    std::vector<Found> found;
    const Fields known = knownBy(module.kind);
    for (const auto& d : parametersOf(module.kind)) {
        // What stands in words elsewhere: whether it works, where it goes.
        if (d.field == "on" || d.field == "route" || d.field == "chain" || d.field == "timing") continue;
        if (!matters(patch, module, d)) continue;
        const bool isKnown = std::find(known.begin(), known.end(), d.field) != known.end();
        if (isKnown || patch.value({module.path, std::string(d.field)}) != d.defaultValue)
            found.push_back({&d, isKnown});
    }
    // What the kind is known by has room first.
    std::size_t room = most - std::min(most, static_cast<std::size_t>(std::count_if(
                                                 found.begin(), found.end(), [](const Found& f) { return f.known; })));
    std::vector<ImportantValue> important;
    for (const Found& f : found) {
        if (important.size() == most || (!f.known && room == 0)) continue;
        if (!f.known) --room;
        const Address address{module.path, std::string(f.descriptor->field)};
        important.push_back(
            {address, lower(f.descriptor->label), textOf(patch.shownDescriptor(address), patch.value(address))});
    }
    return important;
}

std::string destinationOf(const Patch& patch, const Patch::Module& module) {
    if (module.kind != ModuleKind::source) return {};
    const std::string layer(layerOfPath(module.path));
    const auto* first = patch.find(layer + "/filter:a");
    const auto* second = patch.find(layer + "/filter:b");
    const bool one = first && isOn(patch, *first), two = second && isOn(patch, *second);
    switch (static_cast<Route>(patch.value({module.path, "route"}))) {
    case Route::pastFilters: return one || two ? "past the filters" : "to the effects";
    case Route::pastEffects: return "past filters and effects";
    case Route::filter2: return two ? "to " + lower(patch.labelOf(*second)) : "past the filters";
    case Route::both: return one && two ? "to both filters" : one || two ? "to the filter" : "to the effects";
    case Route::filter1: break;
    }
    if (one) return "to " + lower(patch.labelOf(*first));
    return two ? "to " + lower(patch.labelOf(*second)) : "to the effects";
}

std::vector<Modulation> modulationsOf(const Patch& patch) {
    std::vector<Modulation> all;
    for (const auto& module : patch.modules()) {
        const std::string layer(layerOfPath(module.path));
        const auto fixed = [&](const std::string& mover, const char* target, const char* amount) {
            if (patch.value({module.path, amount}) != 0.0)
                all.push_back({mover, {module.path, target}, {module.path, amount}, {}, false});
        };
        switch (module.kind) {
        case ModuleKind::layer:
            all.push_back({module.path + "/envelope:level", {module.path, "level"}, {}, {}, false});
            fixed("velocity", "level", "velocity");
            break;
        case ModuleKind::filter:
            if (!isOn(patch, module)) break;
            fixed(layer + "/envelope:filter", "cutoff", "envelope");
            fixed("key", "cutoff", "key_tracking");
            fixed("velocity", "cutoff", "velocity");
            break;
        case ModuleKind::link: {
            const ModuleData& link = module.contents();
            if (link.from.empty() || link.to.empty() || !patch.has(Address::parse(link.to))) break;
            all.push_back(
                {link.from, Address::parse(link.to), {module.path, "amount"}, module.path, !isOn(patch, module)});
            break;
        }
        default: break;
        }
    }
    return all;
}

std::vector<Mover> moversFor(const Patch& patch, const Address& target) {
    std::vector<Mover> movers;
    for (std::string_view word : performanceSources()) movers.push_back({std::string(word), upper(word)});
    const std::string_view layer = layerOfPath(target.module);
    const bool bySample = target.module.empty() || (patch.has(target) && movesBySample(patch.descriptor(target)));
    for (const auto& module : patch.modules()) {
        const std::string_view home = layerOfPath(module.path);
        if (!home.empty() && !layer.empty() && home != layer) continue;
        if (module.kind == ModuleKind::envelope || module.kind == ModuleKind::lfo || module.kind == ModuleKind::macro ||
            (bySample && module.kind == ModuleKind::source))
            movers.push_back({module.path, patch.labelOf(module)});
    }
    return movers;
}

std::string moverLabel(const Patch& patch, const Modulation& movement) {
    if (const auto* module = patch.find(movement.mover)) return patch.labelOf(*module);
    return upper(movement.mover);
}

std::string targetLabel(const Patch& patch, const Modulation& movement, std::string_view home) {
    std::string parameter = lower(patch.descriptor(movement.target).label);
    if (movement.target.module == home) return parameter;
    const std::string module = patch.labelOf(*patch.find(movement.target.module));
    // "Layer level" of a layer says it already.
    if (lower(module) == parameter.substr(0, module.size())) return parameter;
    return module + " " + parameter;
}

std::string amountLabel(const Patch& patch, const Modulation& movement) {
    if (movement.amount.field.empty()) return {};
    return textOf(patch.shownDescriptor(movement.amount), patch.value(movement.amount));
}

} // namespace facet
