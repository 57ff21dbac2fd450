#include "core/match/proposals/simplifications.h"

#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

/// How many of the sources that are heard play a wave.
int countOf(Wave wave, const Patch& patch) {
    return static_cast<int>(std::count_if(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
        return m.kind == ModuleKind::source && takesPart(patch, m) &&
               static_cast<Wave>(patch.value({m.path, "wave"})) == wave;
    }));
}

/// Sources, links and effects that are heard. A synced or blended source is rarer than two of its kind.
int thingsIn(const Patch& patch) {
    int count = 0;
    for (const auto& m : patch.modules()) {
        if (!takesPart(patch, m)) continue;
        if (m.kind == ModuleKind::source || m.kind == ModuleKind::link || isEffect(m.kind)) ++count;
        if (m.kind != ModuleKind::source) continue;
        if (patch.value({m.path, "sync"}) != 0.0) count += 2;
        if (patch.value({m.path, "blend"}) != 0.0) count += 2;
    }
    return count;
}

} // namespace

double handicapOf(const Patch& patch, const Patch& start) {
    constexpr double ofCycles = 1.35, ofPartials = 1.08, ofEach = 0.02;
    double handicap = 1.0 + ofEach * std::max(0, thingsIn(patch) - thingsIn(start));
    if (countOf(Wave::wavetable, patch) > countOf(Wave::wavetable, start)) handicap *= ofCycles;
    if (countOf(Wave::harmonics, patch) > countOf(Wave::harmonics, start)) handicap *= ofPartials;
    return handicap;
}

std::vector<Patch> simplerThan(const Patch& patch, const SearchLimits& limits) {
    std::vector<Patch> simpler;
    const auto with = [&](const Address& address, double value) {
        if (limits.locked(address) || patch.value(address) == value) return;
        simpler.push_back(patch);
        simpler.back().setNearest(address, value);
    };
    const auto sounding = std::count_if(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
        return m.kind == ModuleKind::source && takesPart(patch, m);
    });
    for (const auto& module : patch.modules()) {
        if (!takesPart(patch, module)) continue;
        if (isEffect(module.kind) || module.kind == ModuleKind::link) {
            if (limits.locksAnyOf(module.path)) continue;
            simpler.push_back(patch);
            simpler.back().remove(module.path);
        } else if (module.kind == ModuleKind::source) {
            if (sounding > 1) with({module.path, "on"}, 0.0);
            with({module.path, "voices"}, 1.0);
            with({module.path, "blend"}, 0.0);
            with({module.path, "sync"}, 0.0);
        } else if (module.kind == ModuleKind::filter) {
            with({module.path, "on"}, 0.0);
        }
    }
    return simpler;
}

} // namespace facet
