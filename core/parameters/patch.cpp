#include "core/parameters/patch.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace facet {

Address Address::parse(std::string_view text) {
    const auto slash = text.rfind('/');
    if (slash == std::string_view::npos || slash == 0 || slash + 1 == text.size())
        throw Error(fmt::format("“{}” is not a parameter's address; `facet-cli params` lists them.", text));
    return {std::string(text.substr(0, slash)), std::string(text.substr(slash + 1))};
}

Patch::Patch() : name("Empty") {
    const auto add = [this](std::string path, ModuleKind kind) {
        Module module{std::move(path), kind, {}};
        for (const auto& descriptor : parametersOf(kind)) module.values.push_back(descriptor.defaultValue);
        modules_.push_back(std::move(module));
    };
    add("voicing", ModuleKind::voicing);
    add("layer:a", ModuleKind::layer);
    add("layer:a/source:a", ModuleKind::source);
    add("layer:a/source:b", ModuleKind::source);
    add("layer:a/filter:a", ModuleKind::filter);
    add("layer:a/envelope:level", ModuleKind::envelope);
    add("layer:a/envelope:filter", ModuleKind::envelope);
    add("output", ModuleKind::output);
    set({"layer:a/source:a", "on"}, 1.0);
    set({"layer:a/envelope:filter", "sustain"}, 0.0);
}

const Patch::Module* Patch::find(std::string_view path) const {
    const auto found = std::find_if(modules_.begin(), modules_.end(), [&](const Module& m) { return m.path == path; });
    return found == modules_.end() ? nullptr : &*found;
}

Patch::Module& Patch::module(std::string_view path) {
    const auto* found = find(path);
    if (!found) throw Error(fmt::format("The patch has no “{}”; `facet-cli params` lists what it has.", path));
    return const_cast<Module&>(*found);
}

std::string Patch::labelOf(const Module& module) const {
    if (module.kind == ModuleKind::envelope)
        return module.path.ends_with(":level") ? "Level envelope" : "Filter envelope";
    int number = 0;
    int count = 0;
    for (const auto& other : modules_)
        if (other.kind == module.kind) {
            ++count;
            if (other.path == module.path) number = count;
        }
    const auto label = facet::labelOf(module.kind);
    return count > 1 ? fmt::format("{} {}", label, number) : std::string(label);
}

bool Patch::has(const Address& address) const {
    const auto* found = find(address.module);
    return found && fieldIndex(found->kind, address.field) >= 0;
}

const ParameterDescriptor& Patch::descriptor(const Address& address) const {
    const auto* found = find(address.module);
    const int index = found ? fieldIndex(found->kind, address.field) : -1;
    if (index < 0)
        throw Error(fmt::format("The patch has no “{}”; `facet-cli params` lists what it has.", address.text()));
    return parametersOf(found->kind)[static_cast<std::size_t>(index)];
}

double Patch::value(const Address& address) const {
    const auto& d = descriptor(address);
    return find(address.module)->values[static_cast<std::size_t>(fieldIndex(d.module, d.field))];
}

void Patch::set(const Address& address, double value) {
    const auto& d = descriptor(address);
    if (!(value >= d.low && value <= d.high) || (d.isDiscrete() && value != std::round(value)))
        throw Error(fmt::format("“{}” cannot be {}; it takes {}.", address.text(), value, rangeText(d)));
    module(address.module).values[static_cast<std::size_t>(fieldIndex(d.module, d.field))] = value;
}

void Patch::setNearest(const Address& address, double value) {
    const auto& d = descriptor(address);
    set(address, std::isnan(value) ? d.defaultValue : d.nearest(value));
}

std::vector<Address> Patch::addresses() const {
    std::vector<Address> all;
    for (const auto& module : modules_)
        for (const auto& descriptor : parametersOf(module.kind))
            all.push_back({module.path, std::string(descriptor.field)});
    return all;
}

std::uint64_t Patch::hash() const {
    Hasher hasher;
    for (const auto& module : modules_) {
        hasher.text(module.path);
        for (double value : module.values) hasher.number(value);
    }
    return hasher.value();
}

std::vector<Address> changedAddresses(const Patch& before, const Patch& after) {
    std::vector<Address> changed;
    for (const Address& address : after.addresses())
        if (!before.has(address) || before.value(address) != after.value(address)) changed.push_back(address);
    return changed;
}

} // namespace facet
