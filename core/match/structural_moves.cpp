#include "core/match/structural_moves.h"

#include "core/match/first_layer.h"
#include "core/match/move_candidates.h"
#include "core/parameters/relevance.h"

#include <algorithm>

namespace facet {

namespace {

using namespace first_layer;

class Mover {
public:
    Mover(const Patch& of, const SearchLimits& within, const Profile& profile)
        : patch(of), limits(within), reference(profile) {}

    std::vector<Patch> all() {
        for (MoveFamily& family : moveFamilies(patch, limits, reference))
            if (!family.continuous())
                for (Patch& moved : family.patches) moves.push_back(std::move(moved));
        blends();
        for (double voices : {2.0, 3.0, 5.0}) add({{{a, "voices"}, voices}, {{a, "detune"}, 8.0}});
        rooms();
        secondSources();
        return std::move(moves);
    }

private:
    void add(std::initializer_list<std::pair<Address, double>> changes) {
        Patch moved = patch;
        for (const auto& [address, value] : changes) {
            if (limits.locks.contains(address)) return;
            moved.setNearest(address, value);
        }
        moves.push_back(std::move(moved));
    }

    void blends() {
        if (patch.value({a, "blend"}) != 0.0) return;
        for (Wave wave : {Wave::sine, Wave::triangle, Wave::saw, Wave::pulse})
            add({{{a, "blend_wave"}, static_cast<double>(wave)}, {{a, "blend"}, 40.0}});
    }

    /// A reverb, and a release that does not have to stand for its tail any more.
    void rooms() {
        constexpr double shortRelease = 60.0; // ms
        const Address release{levelEnvelope, "release"};
        const auto effects = std::count_if(patch.modules().begin(), patch.modules().end(),
                                           [](const auto& m) { return isEffect(m.kind); });
        const bool has = std::any_of(patch.modules().begin(), patch.modules().end(),
                                     [](const auto& m) { return m.kind == ModuleKind::reverb; });
        if (limits.locks.contains(release) || has || effects >= mostEffects) return;
        for (double mix : {15.0, 40.0}) {
            Patch moved = patch;
            const std::string reverb = moved.freePath(ModuleKind::reverb);
            moved.add(reverb);
            moved.setNearest(release, std::min(shortRelease, moved.value(release)));
            moved.setNearest({reverb, "mix"}, mix);
            if (isMeasured(reference.space.tailSeconds))
                moved.setNearest({reverb, "decay"}, 1000.0 * reference.space.tailSeconds);
            moves.push_back(std::move(moved));
        }
    }

    void secondSources() {
        if (patch.value({b, "on"}) >= 0.5) return;
        for (double octave : {-1.0, 0.0, 1.0})
            for (Wave wave : {Wave::sine, Wave::saw, Wave::pulse, Wave::noise})
                add({{{b, "on"}, 1.0},
                     {{b, "wave"}, static_cast<double>(wave)},
                     {{b, "octave"}, octave},
                     {{b, "level"}, wave == Wave::noise ? -24.0 : -9.0},
                     {{b, "cents"}, octave == 0.0 ? 5.0 : 0.0}});
    }

    const Patch& patch;
    const SearchLimits& limits;
    const Profile& reference;
    std::vector<Patch> moves;
};

} // namespace

std::vector<Patch> structuralMoves(const Patch& patch, const SearchLimits& limits, const Profile& reference) {
    return Mover(patch, limits, reference).all();
}

const Patch::Module* newcomerIn(const Patch& patch, const Patch& before) {
    for (const auto& module : patch.modules()) {
        if ((!isEffect(module.kind) && module.kind != ModuleKind::source) || !takesPart(patch, module)) continue;
        const auto* earlier = before.find(module.path);
        if (!earlier || !takesPart(before, *earlier)) return &module;
    }
    return nullptr;
}

} // namespace facet
