#include "core/match/proposals/space_proposals.h"

#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/module_proposals.h"

#include <algorithm>

namespace facet {

namespace {

constexpr double shortRelease = 60.0; ///< ms: where a reverb makes the tail, the release need not

std::string added(ModuleKind kind, Patch& patch) {
    std::string path = patch.freePath(kind);
    patch.add(path);
    patch.set({path, "on"}, 1.0);
    return path;
}

} // namespace

void proposeReverbs(const ProposalContext& in, std::vector<Patch>& out) {
    const Address release{firstLevelEnvelope, "release"};
    if (in.limits.locked(release) || !hasRoomFor(ModuleKind::reverb, in.patch)) return;
    for (double mix : {15.0, 40.0}) {
        Patch moved = in.patch;
        const std::string reverb = moved.freePath(ModuleKind::reverb);
        moved.add(reverb);
        moved.setNearest(release, std::min(shortRelease, moved.value(release)));
        moved.setNearest({reverb, "mix"}, mix);
        if (isMeasured(in.reference.space.tailSeconds))
            moved.setNearest({reverb, "decay"}, 1000.0 * in.reference.space.tailSeconds);
        out.push_back(std::move(moved));
    }
}

std::vector<Patch> withDelaysAndReverbs(const ProposalContext& in) {
    std::vector<Patch> spaces;
    if (hasRoomFor(ModuleKind::delay, in.patch) && !in.reference.space.echo.found()) {
        // A refinement finds an echo that lies within a tenth of its time.
        constexpr double shortestMs = 45.0, longestMs = 1000.0, step = 1.12;
        for (double ms = shortestMs; ms < longestMs; ms *= step) {
            spaces.push_back(in.patch);
            const std::string delay = added(ModuleKind::delay, spaces.back());
            spaces.back().setNearest({delay, "time"}, ms);
        }
    }
    const Address release{firstLevelEnvelope, "release"};
    if (hasRoomFor(ModuleKind::reverb, in.patch) && !in.limits.locked(release)) {
        for (double sizeMs : {5.0, 25.0})
            for (double decayMs : {400.0, 1200.0, 4000.0}) {
                spaces.push_back(in.patch);
                const std::string reverb = added(ModuleKind::reverb, spaces.back());
                spaces.back().setNearest({reverb, "size"}, sizeMs);
                spaces.back().setNearest({reverb, "decay"}, decayMs);
                spaces.back().setNearest(release, std::min(shortRelease, in.patch.value(release)));
            }
    }
    return spaces;
}

} // namespace facet
