#include "core/parameters/changes.h"

#include "core/base/error.h"
#include "core/parameters/sections.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace {

using Kind = PatchChange::Kind;

std::string inSmallLetters(std::string_view text) {
    std::string result(text);
    std::transform(result.begin(), result.end(), result.begin(),
                   [](unsigned char c) { return c < 128 ? static_cast<char>(std::tolower(c)) : static_cast<char>(c); });
    return result;
}

/// The effects of a patch that the other has too, in the order in which they are passed.
std::vector<std::string> commonEffects(const Patch& patch, const Patch& other) {
    std::vector<std::string> paths;
    for (const auto& module : patch.modules())
        if (isEffect(module.kind) && other.find(module.path)) paths.push_back(module.path);
    return paths;
}

std::string namesOf(const Patch& patch, const std::vector<std::string>& paths) {
    std::string names;
    for (const std::string& path : paths)
        names += (names.empty() ? "" : ", ") + inSmallLetters(patch.labelOf(*patch.find(path)));
    return names;
}

std::string wordsOf(const Patch& patch, const Patch::Module& module) {
    const ModuleData& held = module.contents();
    const auto name = [&](const std::string& path) {
        const auto* other = patch.find(path);
        return other ? patch.labelOf(*other) : path;
    };
    if (module.kind == ModuleKind::link) {
        if (held.from.empty() || held.to.empty()) return "nothing";
        const Address to = Address::parse(held.to);
        const std::string field = patch.has(to) ? inSmallLetters(patch.descriptor(to).label) : to.field;
        return fmt::format("{} to {} {}", name(held.from), name(to.module), field);
    }
    if (module.kind == ModuleKind::macro)
        return held.controller == 0 ? held.label : fmt::format("{} on controller {}", held.label, held.controller);
    if (!held.shape.empty()) return fmt::format("{} breakpoints", held.shape.size());
    if (!held.partialsDb.empty()) return fmt::format("{} partials", held.partialsDb.size());
    if (!held.frames.empty()) return fmt::format("{} cycles", held.frames.size() / tableFrameSamples);
    if (!held.sample.empty()) return "a recording";
    return "nothing";
}

} // namespace

std::vector<PatchChange> changesBetween(const Patch& before, const Patch& after) {
    std::vector<PatchChange> changes;
    for (const auto& module : before.modules())
        if (!after.find(module.path))
            changes.push_back({Kind::removed, module.path, {}, before.labelOf(module), "there", "removed"});
    for (const auto& module : after.modules()) {
        const auto* was = before.find(module.path);
        const std::string name = after.labelOf(module);
        if (!was) {
            changes.push_back({Kind::added, module.path, {}, name, "", "added"});
            continue;
        }
        const auto fields = parametersOf(module.kind);
        for (std::size_t i = 0; i < fields.size(); ++i) {
            if (module.values[i] == was->values[i]) continue;
            const Address address{module.path, std::string(fields[i].field)};
            const std::string label(fields[i].label);
            const bool named = label.starts_with(name); // "Layer pan" of a layer
            changes.push_back({Kind::value, module.path, address.field,
                               named ? label : name + " " + inSmallLetters(label),
                               textOf(before.shownDescriptor(address), was->values[i]),
                               textOf(after.shownDescriptor(address), module.values[i])});
        }
        if (module.contents() != was->contents())
            changes.push_back({Kind::contents, module.path, {}, name, wordsOf(before, *was), wordsOf(after, module)});
    }
    const auto order = commonEffects(after, before), orderBefore = commonEffects(before, after);
    if (order != orderBefore)
        changes.push_back(
            {Kind::order, {}, {}, "Order of the effects", namesOf(before, orderBefore), namesOf(after, order)});
    if (before.ties() != after.ties())
        changes.push_back({Kind::ties,
                           {},
                           {},
                           "Ties",
                           fmt::format("{} groups", before.ties().size()),
                           fmt::format("{} groups", after.ties().size())});
    return changes;
}

Patch withoutChange(const Patch& after, const Patch& before, const PatchChange& change) {
    Patch result = after;
    switch (change.kind) {
    case Kind::value: result.set({change.path, change.field}, before.value({change.path, change.field})); break;
    case Kind::contents: result.setData(change.path, before.find(change.path)->contents()); break;
    case Kind::added: result.remove(change.path); break;
    case Kind::removed: {
        const auto* was = before.find(change.path);
        if (!was) throw Error("That take does not have it; choose another take.");
        result.add(change.path);
        if (was->data) result.setData(change.path, *was->data);
        result = withModuleOf(result, change.path, before);
        break;
    }
    case Kind::order: {
        const auto wanted = commonEffects(before, after);
        for (std::size_t place = 0; place < wanted.size(); ++place)
            result.moveEffect(wanted[place], static_cast<int>(place));
        break;
    }
    case Kind::ties:
        for (const Tie& tie : after.ties()) result.untie(tie.members.front());
        for (const Tie& tie : after.ties())
            for (const Address& member : tie.members) result.untie(member);
        for (const Tie& tie : before.ties())
            if (std::all_of(tie.members.begin(), tie.members.end(), [&](const Address& a) { return result.has(a); }))
                result.tie(tie);
        break;
    }
    return result;
}

} // namespace facet
