#include "core/parameters/part_settings.h"

#include "core/parameters/noticed.h"
#include "core/parameters/reading.h"
#include "core/parameters/relevance.h"
#include "core/parameters/rounding.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <fmt/format.h>

namespace facet {

namespace {

double rounded(const ParameterDescriptor& d, double value) { return roundedTo(d, value, 2); }

std::string labelIn(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d) {
    const auto small = [](std::string_view label) {
        std::string text(label);
        text[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(text[0])));
        return text;
    };
    const ModuleData& ends = module.contents();
    if (module.kind == ModuleKind::link && d.field == "amount" && !ends.to.empty()) {
        const Address to = Address::parse(ends.to);
        const auto *mover = patch.find(ends.from), *moved = patch.find(to.module);
        std::string end = moved ? small(patch.labelOf(*moved)) : to.module;
        const std::string field = patch.has(to) ? small(patch.descriptor(to).label) : to.field;
        end = field.starts_with(end) ? field : end + " " + field; // "layer level" of a layer
        return fmt::format("{} to {}", mover ? patch.labelOf(*mover) : ends.from, end);
    }
    const std::string name = patch.labelOf(module);
    if (d.field == "on") return name;
    if (d.label.starts_with(name)) return std::string(d.label); // "Layer pan" of a layer
    return name + " " + small(d.label);
}

/// A filter's envelope that moves no cutoff by as much as anybody would set.
bool movesNothing(const Patch& patch, const Patch::Module& module) {
    if (!module.path.ends_with("/envelope:filter")) return false;
    return std::none_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& other) {
        if (other.kind == ModuleKind::link) return other.contents().from == module.path;
        const Address amount{other.path, "envelope"};
        return other.kind == ModuleKind::filter && layerOfPath(other.path) == layerOfPath(module.path) &&
               rounded(patch.descriptor(amount), patch.value(amount)) != 0.0;
    });
}

/// A decay to where the attack leads anyway.
bool leadsNowhere(const Patch& patch, const Patch::Module& module, const ParameterDescriptor& d) {
    constexpr double hardlyLess = 97.0; // percent
    return module.kind == ModuleKind::envelope && (d.field == "decay" || d.field == "decay_curve") &&
           patch.value({module.path, "sustain"}) >= hardlyLess;
}

} // namespace

std::string settingLabel(const Patch& patch, const Address& address) {
    const ParameterDescriptor& d = patch.descriptor(address);
    return labelIn(patch, *patch.find(address.module), d);
}

std::string roundedText(const ParameterDescriptor& descriptor, double value, bool sign) {
    std::string text = textOf(descriptor, rounded(descriptor, value));
    if (!sign && text.starts_with('+')) text.erase(0, 1);
    return text;
}

std::vector<PartSetting> settingsOf(const SignalPart& part, const Patch& patch) {
    constexpr double leastNoticed = 0.5; // away from nothing nobody would set less
    static const Patch empty;
    std::vector<PartSetting> settings;
    std::set<Address> others; // values that modules of this part have for other parts
    for (const SignalPart& each : partsOf(patch))
        if (each.id != part.id) others.insert(each.values.begin(), each.values.end());
    const auto comes = [&](const Patch::Module& module) { // with this part, so that what it is known by is told
        if (!empty.find(module.path))
            return std::find(part.modules.begin(), part.modules.end(), module.path) != part.modules.end();
        return std::any_of(part.values.begin(), part.values.end(), [&](const Address& each) {
            return each.module == module.path && (each.field == "on" || module.kind == ModuleKind::envelope);
        });
    };
    const auto add = [&](const Patch::Module& module, const ParameterDescriptor& d) {
        const Address address{module.path, std::string(d.field)};
        if (others.contains(address) || !matters(patch, module, d) || movesNothing(patch, module) ||
            leadsNowhere(patch, module, d))
            return;
        const ParameterDescriptor shown = patch.shownDescriptor(address);
        const double unset = empty.has(address) ? empty.value(address) : d.defaultValue;
        const double set = patch.value(address);
        const bool isSame =
            rounded(shown, set) == rounded(shown, unset) ||
            ((unset == 0.0 || d.unit == Unit::percent) && noticedSteps(shown, set, unset) < leastNoticed);
        const bool isPart = std::find(part.values.begin(), part.values.end(), address) != part.values.end();
        const bool told =
            comes(module) ? !isSame || (set != 0.0 && isKnownBy(module.kind, d.field)) : !isSame && isPart;
        if (!told) return;
        settings.push_back({address, labelIn(patch, module, d), roundedText(shown, set)});
    };
    for (const auto& module : patch.modules())
        for (const auto& d : parametersOf(module.kind)) add(module, d);
    return settings;
}

} // namespace facet
