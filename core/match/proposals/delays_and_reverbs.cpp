#include "core/match/proposals/delays_and_reverbs.h"

#include "core/match/proposals/first_layer.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

std::string added(ModuleKind kind, Patch& patch) {
    const std::string path = patch.freePath(kind);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    return path;
}

} // namespace

bool hasRoomFor(ModuleKind kind, const Patch& patch) {
    const auto& modules = patch.modules();
    const bool has = std::any_of(modules.begin(), modules.end(), [&](const auto& m) { return m.kind == kind; });
    return !has &&
           std::count_if(modules.begin(), modules.end(), [](const auto& m) { return isEffect(m.kind); }) < mostEffects;
}

std::vector<Patch> withDelaysAndReverbs(const Patch& patch, const SearchLimits& limits, const Profile& reference) {
    std::vector<Patch> spaces;
    if (hasRoomFor(ModuleKind::delay, patch) && !reference.space.echo.found()) {
        // Steps along slopes find an echo that lies within a tenth of its time.
        constexpr double shortestMs = 45.0, longestMs = 1000.0, step = 1.12;
        for (double ms = shortestMs; ms < longestMs; ms *= step) {
            spaces.push_back(patch);
            const std::string delay = added(ModuleKind::delay, spaces.back());
            spaces.back().setNearest({delay, "time"}, ms);
        }
    }
    const Address release{firstLevelEnvelope, "release"};
    if (hasRoomFor(ModuleKind::reverb, patch) && !limits.locks.contains(release)) {
        constexpr double shortRelease = 60.0; // ms: it need not stand for the tail any more
        for (double sizeMs : {5.0, 25.0})
            for (double decayMs : {400.0, 1200.0, 4000.0}) {
                spaces.push_back(patch);
                const std::string reverb = added(ModuleKind::reverb, spaces.back());
                spaces.back().setNearest({reverb, "size"}, sizeMs);
                spaces.back().setNearest({reverb, "decay"}, decayMs);
                spaces.back().setNearest(release, std::min(shortRelease, patch.value(release)));
            }
    }
    return spaces;
}

} // namespace facet
