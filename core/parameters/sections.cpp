#include "core/parameters/sections.h"

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/random.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"

#include <fmt/format.h>

namespace facet {

namespace {

constexpr const char* sectionFormat = "facet-section";

const Patch::Module& sectionAt(const Patch& patch, std::string_view path) {
    const auto* found = patch.find(path);
    if (!found) throw Error(fmt::format("The patch has no “{}”.", path));
    return *found;
}

Patch withValuesOf(Patch patch, std::string_view path, const Patch::Module& from) {
    const auto parameters = parametersOf(from.kind);
    for (std::size_t i = 0; i < parameters.size(); ++i)
        patch.setNearest({std::string(path), std::string(parameters[i].field)}, from.values[i]);
    if (from.kind != ModuleKind::link) patch.setData(path, from.contents());
    return patch;
}

} // namespace

std::string sectionToText(const Patch& patch, std::string_view path) {
    sectionAt(patch, path);
    Json section;
    section["format"] = sectionFormat;
    section["module"] = path;
    section["patch"] = parseJson(patchToJson(patch));
    return jsonText(section);
}

Patch withSection(const Patch& patch, std::string_view path, const std::string& text) {
    const Patch::Module& target = sectionAt(patch, path);
    const auto section = parseJsonOrDiscard(text);
    if (!section.is_object() || section.value("format", "") != sectionFormat || !section.contains("patch") ||
        !section.contains("module") || !section["module"].is_string())
        throw Error("The clipboard holds no section of a patch; copy one first.");
    const Patch source = patchFromJson(jsonText(section["patch"]));
    const Patch::Module& from = sectionAt(source, section["module"].get<std::string>());
    if (from.kind != target.kind)
        throw Error(fmt::format("A {} cannot become a {}; choose a line of the same kind.", wordOf(from.kind),
                                wordOf(target.kind)));
    return withValuesOf(patch, path, from);
}

Patch withModuleOf(const Patch& patch, std::string_view path, const Patch& other) {
    const auto* from = other.find(path);
    if (!from || from->kind != sectionAt(patch, path).kind) return patch;
    return withValuesOf(patch, path, *from);
}

Patch withDefaults(const Patch& patch, std::string_view path) {
    const Patch empty;
    Patch reset = patch;
    for (const auto& d : parametersOf(sectionAt(patch, path).kind)) {
        const Address address{std::string(path), std::string(d.field)};
        if (d.field != "on") reset.set(address, empty.has(address) ? empty.value(address) : d.defaultValue);
    }
    return reset;
}

Patch withRandomValues(const Patch& patch, std::string_view path, const SearchLimits& limits, std::uint64_t seed) {
    Random random(seed);
    Patch drawn = patch;
    const Patch::Module& module = sectionAt(patch, path);
    for (const auto& d : parametersOf(module.kind)) {
        const Address address{std::string(path), std::string(d.field)};
        const double place = random.unit(); // drawn for each, so that a lock does not change the others
        const auto range = limits.ranges.find(address);
        const bool ranged = range != limits.ranges.end();
        if (!(d.isSearched() || ranged) || !matters(patch, module, d) || limits.locks.contains(address)) continue;
        const double low = d.toUnit(ranged ? range->second.first : d.priorLow);
        const double high = d.toUnit(ranged ? range->second.second : d.priorHigh);
        drawn.setNearest(address, d.fromUnit(low + place * (high - low)));
    }
    return drawn;
}

} // namespace facet
