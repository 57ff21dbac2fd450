#include "core/parameters/note_timing.h"

#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <string_view>
#include <vector>

namespace facet {

namespace {

constexpr double tolerance = 0.015; // of the time
constexpr double longest = 4.0;     // quarter notes

/// Index of the note value that lasts so many quarter notes.
std::optional<std::size_t> noteValueOf(double quarters) {
    const auto all = noteValueQuarters();
    std::optional<std::size_t> nearest;
    double least = tolerance;
    for (std::size_t i = 0; i < all.size() && all[i] <= longest; ++i)
        if (const double off = std::abs(quarters / all[i] - 1.0); off < least) {
            least = off;
            nearest = i;
        }
    return nearest;
}

bool movesLevel(const Patch& patch, const std::string& lfo) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& module) {
        return module.kind == ModuleKind::link && module.contents().from == lfo &&
               kindOfPath(Address::parse(module.contents().to).module) == ModuleKind::layer;
    });
}

bool isMoved(const Patch& patch, const Address& address) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const Patch::Module& module) {
        return module.kind == ModuleKind::link && module.contents().to == address.text();
    });
}

} // namespace

Patch timedInNotes(Patch patch, double tempo, const std::function<bool(const Address&)>& mayChange) {
    const std::vector<Patch::Module> modules(patch.modules());
    for (const auto& module : modules) {
        const bool delay = module.kind == ModuleKind::delay;
        const bool lfo = module.kind == ModuleKind::lfo && movesLevel(patch, module.path);
        if ((!delay && !lfo) || !takesPart(patch, module)) continue;
        const Address timing{module.path, "timing"}, beats{module.path, "beats"};
        const Address free{module.path, delay ? "time" : "rate"};
        if (patch.value(timing) > 0.5 || isMoved(patch, free) || !mayChange(timing) || !mayChange(beats)) continue;
        const double seconds = delay ? 1e-3 * patch.value(free) : 1.0 / patch.value(free);
        const auto value = noteValueOf(seconds * tempo / 60.0);
        if (!value) continue;
        patch.set(timing, 1.0);
        patch.set(beats, static_cast<double>(*value));
    }
    return patch;
}

} // namespace facet
