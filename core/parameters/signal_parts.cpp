#include "core/parameters/signal_parts.h"

#include "core/parameters/relevance.h"

#include <algorithm>
#include <map>

namespace facet {

namespace {

constexpr std::string_view firstLayer = "layer:a";

template <typename Enum> bool hasChoice(const Patch& patch, const Address& address, Enum value) {
    return patch.value(address) == static_cast<double>(value);
}

/// Place and id of a part.
struct PartName {
    PartPlace place;
    std::string id;
};

/// Says to which part each module and each value of a patch belongs.
class PartReader {
public:
    explicit PartReader(const Patch& patch) : patch_(patch) {
        for (const auto& module : patch.modules())
            if (module.kind == ModuleKind::source && layerOfPath(module.path) == firstLayer) {
                const bool noise = hasChoice(patch, {module.path, "wave"}, Wave::noise);
                onlyNoise_ = onlyNoise_ && (noise || !takesPart(patch, module));
            }
    }

    /// Of a module as a whole: that part without which it is not there.
    PartName of(const Patch::Module& module) const {
        const std::string layer(module.kind == ModuleKind::layer ? std::string_view(module.path)
                                                                 : layerOfPath(module.path));
        if (!layer.empty() && layer != firstLayer) return {PartPlace::layer, layer};
        switch (module.kind) {
        case ModuleKind::voicing: return {PartPlace::glide, "glide"};
        case ModuleKind::layer: return {PartPlace::sources, "sources"};
        case ModuleKind::source: return ofSource(module);
        case ModuleKind::filter: return ofFilter(module.path);
        case ModuleKind::envelope: return ofEnvelope(module);
        case ModuleKind::lfo: return ofMover(module.path);
        case ModuleKind::link: return ofLink(module, 0);
        case ModuleKind::macro: return {PartPlace::macros, "macros"};
        case ModuleKind::output: return {PartPlace::output, "output"};
        default: return {PartPlace::effect, module.path};
        }
    }

    /// Of one of its values.
    PartName of(const Patch::Module& module, std::string_view field) const {
        const PartName whole = of(module);
        if (whole.place == PartPlace::layer) return whole;
        switch (module.kind) {
        case ModuleKind::voicing:
            if (field.ends_with("_spread")) return {PartPlace::drift, "drift"};
            break;
        case ModuleKind::layer:
            if (field == "velocity" || field == "velocity_scale") return {PartPlace::touch, "touch"};
            if (field == "drive" || field == "drive_curve") return {PartPlace::drive, "drive"};
            if (field == "routing" || field == "feedback") return {PartPlace::filter, "filter"};
            if (field == "send") return ofSend();
            break;
        case ModuleKind::source:
            if (whole.place != PartPlace::sources) break;
            if (field == "voices" || field == "detune" || field == "spread") return {PartPlace::stack, "stack"};
            if (field == "sync" || field == "sync_ratio") return {PartPlace::sync, "sync"};
            if (field == "amplitude") return ofAmplitude(module.path);
            break;
        case ModuleKind::filter:
            if (field == "velocity" || field == "key_tracking") return {PartPlace::touch, "touch"};
            break;
        case ModuleKind::output:
            if (field == "send") return ofSend();
            break;
        default: break;
        }
        return whole;
    }

private:
    template <typename Chosen> const Patch::Module* findLink(Chosen&& chosen) const {
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::link && !module.contents().to.empty() && chosen(module.contents()))
                return &module;
        return nullptr;
    }

    /// A source that is heard in what it does to others alone moves them; noise beside other sources is a part of its
    /// own.
    PartName ofSource(const Patch::Module& module) const {
        const bool moves = findLink([&](const ModuleData& link) { return link.from == module.path; }) != nullptr;
        if (moves && patch_.value({module.path, "level"}) <= silentSourceDb)
            return {PartPlace::modulation, "modulation"};
        const bool noise = hasChoice(patch_, {module.path, "wave"}, Wave::noise);
        if (noise && !onlyNoise_ && takesPart(patch_, module)) return {PartPlace::noise, "noise"};
        return {PartPlace::sources, "sources"};
    }

    PartName ofFilter(const std::string& path) const {
        const bool parallel = hasChoice(patch_, {std::string(firstLayer), "routing"}, FilterRouting::parallel);
        // What stands behind another filter does something else than that.
        if (!parallel && path != "layer:a/filter:a") return {PartPlace::filter, path};
        return {PartPlace::filter, "filter"};
    }

    PartName ofEnvelope(const Patch::Module& module) const {
        if (module.path.ends_with("/envelope:level")) return {PartPlace::level, "level"};
        if (module.path.ends_with("/envelope:filter")) {
            for (const auto& filter : patch_.modules())
                if (filter.kind == ModuleKind::filter && layerOfPath(filter.path) == firstLayer &&
                    patch_.value({filter.path, "envelope"}) != 0.0)
                    return ofFilter(filter.path);
            return {PartPlace::filter, "filter"};
        }
        return ofMover(module.path);
    }

    /// An LFO or an envelope goes with what it moves first. `depth`: of links that move links; those of two movers may
    /// lead to each other.
    PartName ofMover(const std::string& path, int depth = 0) const {
        if (depth > mostLinks) return {PartPlace::output, "output"};
        if (const auto* link = findLink([&](const ModuleData& data) { return data.from == path; }))
            return ofDestination(link->contents().to, path, depth);
        if (const auto* link = findLink([&](const ModuleData& data) { return data.by == path; }))
            return ofLink(*link, depth + 1);
        return {PartPlace::output, "output"};
    }

    /// Of what leads from a mover to a destination.
    PartName ofDestination(const std::string& address, const std::string& mover, int depth) const {
        const Address to = Address::parse(address);
        const auto* moved = patch_.find(to.module);
        if (!moved) return {PartPlace::output, "output"};
        const bool envelope = kindOfPath(mover) == ModuleKind::envelope;
        switch (moved->kind) {
        case ModuleKind::link: return ofLink(*moved, depth + 1);
        case ModuleKind::source:
            if (of(*moved).place == PartPlace::modulation) return of(*moved);
            if (to.field == "cents" || to.field == "semitone" || to.field == "octave" || to.field == "fixed")
                return {PartPlace::pitchMotion, "pitch " + mover};
            if (to.field == "sync_ratio" && envelope) return {PartPlace::sync, "sync"};
            if (to.field == "level" || to.field == "amplitude" || to.field == "pan")
                return {PartPlace::levelMotion, "level " + mover};
            return {PartPlace::shapeMotion, "shape " + mover};
        case ModuleKind::filter:
            if (envelope) return ofFilter(to.module);
            return {PartPlace::filterMotion, "filter " + mover};
        case ModuleKind::layer: return {PartPlace::levelMotion, "level " + mover};
        default:
            if (isEffect(moved->kind)) return {PartPlace::effectMotion, "effect " + mover};
            return {PartPlace::levelMotion, "level " + mover};
        }
    }

    PartName ofLink(const Patch::Module& link, int depth) const {
        const ModuleData& ends = link.contents();
        if (ends.from.empty() || ends.to.empty() || depth > mostLinks) return {PartPlace::output, "output"};
        const auto kind = kindOfPath(ends.from);
        for (const std::string& end : {ends.from, ends.to}) // within a further layer it is part of that
            if (const std::string_view layer = layerOfPath(end); layer.starts_with("layer:") && layer != firstLayer)
                return {PartPlace::layer, std::string(layer)};
        if (kind == ModuleKind::macro) return {PartPlace::macros, "macros"};
        if (kind == ModuleKind::source) return {PartPlace::modulation, "modulation"};
        if (ends.from == "random" || ends.from == "noise") return {PartPlace::drift, "drift"};
        if (!kind) { // velocity and what else is played; how much of a modulation it gives belongs to that
            const PartName moved = ofDestination(ends.to, ends.from, depth);
            return moved.place == PartPlace::modulation ? moved : PartName{PartPlace::touch, "touch"};
        }
        const auto* mover = patch_.find(ends.from);
        if (!mover) return {PartPlace::output, "output"};
        return mover->path.ends_with("/envelope:level") || mover->path.ends_with("/envelope:filter")
                   ? ofDestination(ends.to, ends.from, depth) // these are there for something else
                   : ofMover(mover->path, depth + 1);
    }

    /// A source that stands still goes with what switches it or multiplies it.
    PartName ofAmplitude(const std::string& source) const {
        const auto* link = findLink([&](const ModuleData& data) { return data.to == source + "/amplitude"; });
        return link ? ofLink(*link, 0) : PartName{PartPlace::sources, "sources"};
    }

    PartName ofSend() const {
        for (const auto& module : patch_.modules())
            if (isEffect(module.kind) && hasChoice(patch_, {module.path, "chain"}, Chain::send))
                return {PartPlace::effect, module.path};
        return {PartPlace::output, "output"};
    }

    const Patch& patch_;
    bool onlyNoise_ = true;
};

/// What a value is in the empty patch, or by default in what that has not.
double emptyValue(const Patch& empty, const Address& address, const ParameterDescriptor& d) {
    return empty.has(address) ? empty.value(address) : d.defaultValue;
}

} // namespace

std::vector<SignalPart> partsOf(const Patch& patch) {
    static const Patch empty;
    const PartReader reader(patch);
    std::vector<SignalPart> parts;
    const auto part = [&](const PartName& name) -> SignalPart& {
        const auto found =
            std::find_if(parts.begin(), parts.end(), [&](const SignalPart& each) { return each.id == name.id; });
        if (found != parts.end()) return *found;
        parts.push_back({name.place, name.id, {}, {}});
        return parts.back();
    };
    for (const auto& module : patch.modules()) {
        const bool fixed = empty.find(module.path) != nullptr;
        if (!fixed)
            part(reader.of(module)).modules.push_back(module.path);
        else if (!module.contents().empty())
            part(reader.of(module)).modules.push_back(module.path);
        for (const auto& d : parametersOf(module.kind)) {
            const Address address{module.path, std::string(d.field)};
            const PartName own = reader.of(module, d.field);
            const bool apart = patch.value(address) != emptyValue(empty, address, d);
            if (apart && (fixed || own.id != reader.of(module).id)) part(own).values.push_back(address);
        }
    }
    std::stable_sort(parts.begin(), parts.end(),
                     [](const SignalPart& a, const SignalPart& b) { return a.place < b.place; });
    return parts;
}

std::string partOf(const Patch& patch, const Address& address) {
    const auto* module = patch.find(address.module);
    return module ? PartReader(patch).of(*module, address.field).id : std::string();
}

Patch withParts(const Patch& patch, const std::set<std::string>& ids) {
    static const Patch empty;
    const std::vector<SignalPart> all = partsOf(patch);
    if (std::all_of(all.begin(), all.end(), [&](const SignalPart& each) { return ids.contains(each.id); }))
        return patch;
    Patch some = patch;
    while (!some.ties().empty()) some.untie(some.ties().front().members.front());
    for (const SignalPart& each : all) {
        if (ids.contains(each.id)) continue;
        for (const Address& address : each.values)
            if (some.has(address)) some.set(address, emptyValue(empty, address, some.descriptor(address)));
        for (const std::string& path : each.modules) {
            if (!some.find(path)) continue; // it went with what it belongs to
            if (empty.find(path))
                some.setData(path, {});
            else if (Patch::isFixed(path))
                continue; // goes with its layer
            else
                some.remove(path);
        }
    }
    return some;
}

Patch withPartOf(const Patch& patch, const Patch& other, const SignalPart& part) {
    static const Patch empty;
    Patch changed = patch;
    for (const SignalPart& own : partsOf(patch)) // what this patch has set there and the other leaves alone
        if (own.id == part.id)
            for (const Address& address : own.values)
                if (other.has(address)) changed.setNearest(address, other.value(address));
    std::map<std::string, std::string> pathOf; // there → here
    const auto here = [&](const std::string& path) {
        const auto found = pathOf.find(path);
        return found == pathOf.end() ? path : found->second;
    };
    for (const std::string& path : part.modules) {
        const auto& module = *other.find(path);
        const std::string_view layer = layerOfPath(path);
        if (empty.find(path) || module.kind == ModuleKind::link) continue;
        if (const auto in = pathOf.find(std::string(layer)); in != pathOf.end()) // a layer brings what it holds
            pathOf[path] = in->second + path.substr(layer.size());
        else
            pathOf[path] = changed.freePath(module.kind, layer);
        if (!changed.find(pathOf[path])) changed.add(pathOf[path]);
        for (const auto& d : parametersOf(module.kind)) {
            const std::string field(d.field);
            changed.setNearest({pathOf[path], field}, other.value({path, field}));
        }
    }
    for (const std::string& path : part.modules) {
        const auto& module = *other.find(path);
        ModuleData data = module.contents();
        std::string to = here(path);
        if (module.kind == ModuleKind::link) {
            for (std::string* end : {&data.from, &data.by}) *end = here(*end);
            const Address moved = Address::parse(data.to);
            data.to = here(moved.module) + "/" + moved.field;
            to = changed.freePath(ModuleKind::link);
            changed.add(to);
        }
        changed.setData(to, data);
        if (module.kind == ModuleKind::link)
            for (const auto& d : parametersOf(module.kind))
                changed.setNearest({to, std::string(d.field)}, other.value({path, std::string(d.field)}));
    }
    for (const Address& address : part.values)
        if (changed.has({here(address.module), address.field}))
            changed.setNearest({here(address.module), address.field}, other.value(address));
    return changed;
}

} // namespace facet
