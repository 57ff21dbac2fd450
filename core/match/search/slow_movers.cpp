#include "core/match/search/slow_movers.h"

#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace facet {

namespace {

/// The links that one LFO moves something with; nothing where any of them is of another kind than a curve can be.
std::optional<std::vector<Patch::Module>> curvesIn(const Patch& patch, const std::string& lfo,
                                                   const Performance& performance) {
    std::vector<Patch::Module> links;
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::link || module.contents().from != lfo) continue;
        const std::string& to = module.contents().to;
        if (!module.contents().by.empty() || !patch.has(Address::parse(to))) return std::nullopt;
        const ParameterDescriptor& d = patch.descriptor(Address::parse(to));
        if (d.isDiscrete() || d.smoothing != Smoothing::block || performance.curveOf(to)) return std::nullopt;
        links.push_back(module);
    }
    if (links.empty()) return std::nullopt;
    return links;
}

/// The way of a parameter that an LFO moves by `amount` to either side, from where its cycle begins to where it ends.
Curve curveOf(const Patch& patch, const std::string& to, double amount, double rateHz, double phase, bool rises,
              double seconds) {
    const Address address = Address::parse(to);
    const ParameterDescriptor& d = patch.descriptor(address);
    const double rest = toMovement(d, patch.value(address));
    const auto placeAt = [&](double share) {
        return d.toUnit(fromMovement(d, rest + amount * (rises ? 2.0 * share - 1.0 : 1.0 - 2.0 * share)));
    };
    // Most of it is the cycle that runs at the beginning, or the one after it.
    const double cycleBegins = (phase < 0.5 ? -phase : 1.0 - phase) / rateHz;
    const double begin = std::max(0.0, cycleBegins), end = std::min(seconds, cycleBegins + 1.0 / rateHz);
    // A straight way, but for where it comes to the end of the parameter's range.
    constexpr int points = 33;
    constexpr double tolerance = 0.002;
    std::vector<CurvePoint> way;
    for (int i = 0; i < points; ++i) {
        const double at = begin + (end - begin) * i / (points - 1);
        way.push_back({at, placeAt((at - cycleBegins) * rateHz)});
    }
    return {to, simplified(way, tolerance)};
}

} // namespace

Unwound unwound(const Patch& patch, const Performance& performance) {
    constexpr double slow = 1.15; // cycles in the time of all notes
    Unwound result{patch, {}};
    if (performance.notes.empty()) return result;
    double end = 0.0;
    for (const Note& note : performance.notes) end = std::max(end, note.end);
    const double playing = std::max(0.1, end - performance.notes.front().start);
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::lfo || !takesPart(patch, module)) continue;
        const auto value = [&](const char* field) { return patch.value({module.path, field}); };
        const auto shape = static_cast<LfoShape>(value("shape"));
        const bool rises = shape == LfoShape::risingSaw;
        if ((!rises && shape != LfoShape::fallingSaw) || value("mode") != static_cast<double>(LfoMode::free)) continue;
        if (value("timing") > 0.5 || value("rate") * playing > slow) continue;
        const auto links = curvesIn(patch, module.path, performance);
        if (!links) continue;
        for (const Patch::Module& link : *links) {
            result.curves.push_back(curveOf(patch, link.contents().to, patch.value({link.path, "amount"}),
                                            value("rate"), value("phase") / 360.0, rises, performance.seconds()));
            result.patch.remove(link.path);
        }
        result.patch.remove(module.path);
    }
    return result;
}

} // namespace facet
