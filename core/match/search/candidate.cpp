#include "core/match/search/candidate.h"

#include <fmt/format.h>

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

} // namespace facet
