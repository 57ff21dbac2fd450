#include "core/parameters/audition.h"

#include "core/base/error.h"

#include <fmt/format.h>

namespace facet {

namespace {

const Patch::Module& moduleOf(const Patch& patch, std::string_view path) {
    const auto* module = patch.find(path);
    if (!module) throw Error(fmt::format("The patch has no “{}”; `facet-cli params` lists what it has.", path));
    return *module;
}

void switchOff(Patch& patch, const std::string& path) { patch.set({path, "on"}, 0.0); }

/// Switches off what `which` says of the modules.
template <typename F> void switchOffWhere(Patch& patch, F&& which) {
    std::vector<std::string> paths;
    for (const auto& module : patch.modules())
        if (patch.has({module.path, "on"}) && which(module)) paths.push_back(module.path);
    for (const std::string& path : paths) switchOff(patch, path);
}

/// Place of an effect among the effects.
int placeOfEffect(const Patch& patch, std::string_view path) {
    int place = 0;
    for (const auto& module : patch.modules()) {
        if (module.path == path) return isEffect(module.kind) ? place : -1;
        place += isEffect(module.kind);
    }
    return -1;
}

void switchOffEffectsFrom(Patch& patch, int first) {
    int place = 0;
    switchOffWhere(patch, [&](const Patch::Module& m) { return isEffect(m.kind) && place++ >= first; });
}

} // namespace

Patch without(const Patch& patch, std::string_view path) {
    const auto& module = moduleOf(patch, path);
    Patch result = patch;
    switch (module.kind) {
    case ModuleKind::voicing:
    case ModuleKind::output: throw Error(fmt::format("“{}” is part of every sound; leave out something else.", path));
    case ModuleKind::layer:
        switchOffWhere(result, [&](const Patch::Module& m) {
            return m.kind == ModuleKind::source && layerOfPath(m.path) == module.path;
        });
        return result;
    case ModuleKind::envelope:
    case ModuleKind::lfo:
    case ModuleKind::macro:
        switchOffWhere(result, [&](const Patch::Module& m) {
            return m.kind == ModuleKind::link && (m.contents().from == module.path || m.contents().by == module.path);
        });
        if (module.path.ends_with("/envelope:filter"))
            for (const auto& filter : patch.modules())
                if (filter.kind == ModuleKind::filter && layerOfPath(filter.path) == layerOfPath(module.path))
                    result.set({filter.path, "envelope"}, 0.0);
        if (module.path.ends_with("/envelope:level"))
            for (const auto& [field, value] :
                 {std::pair("delay", 0.0), {"attack", 0.0}, {"hold", 0.0}, {"sustain", 100.0}})
                result.set({module.path, field}, value);
        return result;
    default: switchOff(result, module.path); return result;
    }
}

Patch alone(const Patch& patch, std::string_view path) {
    const auto& module = moduleOf(patch, path);
    if (module.kind != ModuleKind::source && module.kind != ModuleKind::layer)
        throw Error(fmt::format("“{}” makes no sound by itself; choose a source or a layer.", path));
    Patch result = patch;
    switchOffWhere(result, [&](const Patch::Module& m) {
        if (m.kind != ModuleKind::source) return false;
        return module.kind == ModuleKind::layer ? layerOfPath(m.path) != module.path : m.path != module.path;
    });
    if (module.kind == ModuleKind::source) result.set({module.path, "on"}, 1.0);
    return result;
}

Patch upTo(const Patch& patch, std::string_view path) {
    const auto& module = moduleOf(patch, path);
    Patch result = patch;
    if (isEffect(module.kind)) {
        switchOffEffectsFrom(result, placeOfEffect(patch, path) + 1);
        return result;
    }
    if (module.kind == ModuleKind::layer) {
        switchOffEffectsFrom(result, 0);
        return result;
    }
    if (module.kind != ModuleKind::source && module.kind != ModuleKind::filter)
        throw Error(
            fmt::format("“{}” has no place in the signal's way; choose a source, filter, layer or effect.", path));
    switchOffEffectsFrom(result, 0);
    bool after = module.kind == ModuleKind::source; // filters come after every source
    switchOffWhere(result, [&](const Patch::Module& m) {
        if (m.path == module.path) {
            after = true;
            return false;
        }
        return after && m.kind == ModuleKind::filter && layerOfPath(m.path) == layerOfPath(module.path);
    });
    return result;
}

Patch withoutEffectsFrom(const Patch& patch, std::string_view path) {
    moduleOf(patch, path);
    const int place = placeOfEffect(patch, path);
    if (place < 0) throw Error(fmt::format("“{}” is not an effect of the patch.", path));
    Patch result = patch;
    switchOffEffectsFrom(result, place);
    return result;
}

} // namespace facet
