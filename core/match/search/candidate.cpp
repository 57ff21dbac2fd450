#include "core/match/search/candidate.h"

#include "core/instruments/played_on.h"
#include "core/parameters/elements.h"
#include "core/parameters/relevance.h"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <set>

namespace facet {

std::string structureKeyOf(const Patch& patch) {
    std::string text;
    for (const Address& address : patch.addresses()) {
        const Address on{address.module, "on"};
        if (patch.descriptor(address).smoothing != Smoothing::graph) continue;
        if (address != on && patch.has(on) && patch.value(on) < 0.5) continue;
        text += fmt::format("{}={} ", address.text(), patch.value(address));
    }
    return text;
}

std::string constructionOf(const Patch& whole) {
    const Patch patch = withoutSilent(whole);
    std::set<std::string> parts;
    for (const PatchElement& each : elementsOf(patch)) parts.emplace(wordOf(each.element));
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::filter && takesPart(patch, module))
            parts.insert(fmt::format("{} {}", patch.value({module.path, "kind"}), patch.value({module.path, "slope"})));
    return fmt::format("{}", fmt::join(parts, ", "));
}

} // namespace facet
