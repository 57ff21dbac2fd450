#include "core/match/proposals/module_proposals.h"

#include "core/match/proposals/decaying_layer.h"
#include "core/match/proposals/first_layer.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// Sets a value where the module has it and it is not locked.
void set(Patch& patch, const SearchLimits& limits, const Address& address, double value) {
    if (patch.has(address) && !limits.locked(address)) patch.setNearest(address, value);
}

bool hasSilentFilter(const Patch& patch) {
    return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& module) {
        return module.kind == ModuleKind::filter && !takesPart(patch, module);
    });
}

} // namespace

bool hasRoomFor(ModuleKind kind, const Patch& patch) {
    const auto& modules = patch.modules();
    const bool has = std::any_of(modules.begin(), modules.end(), [&](const auto& m) { return m.kind == kind; });
    return !has &&
           std::count_if(modules.begin(), modules.end(), [](const auto& m) { return isEffect(m.kind); }) < mostEffects;
}

void proposeSwitchingOn(const ProposalContext& in, const Patch::Module& module, std::vector<ProposalFamily>& out) {
    const Address on{module.path, "on"};
    if (!in.patch.has(on) || in.patch.value(on) >= 0.5 || in.limits.locked(on)) return;
    Patch turned = in.patch;
    turned.set(on, 1.0);
    std::vector<Patch> patches{turned};
    if (module.kind == ModuleKind::source) {
        // Another voice like the first: a little out of tune, an octave away, or noise.
        const std::string first = in.firstSoundingSource();
        const auto like = [&](const char* field, double value) {
            Patch patch = turned;
            for (const auto& d : parametersOf(ModuleKind::source))
                if (d.field != "on" && !first.empty())
                    set(patch, in.limits, {module.path, std::string(d.field)},
                        in.patch.value({first, std::string(d.field)}));
            set(patch, in.limits, {module.path, field}, value);
            patches.push_back(patch);
        };
        const double cents = first.empty() ? 0.0 : in.patch.value({first, "cents"});
        const double octave = first.empty() ? 0.0 : in.patch.value({first, "octave"});
        like("cents", cents + 8.0);
        like("octave", octave - 1.0);
        like("octave", octave + 1.0);
        Patch noisy = turned;
        set(noisy, in.limits, {module.path, "wave"}, static_cast<double>(Wave::noise));
        set(noisy, in.limits, {module.path, "level"}, -24.0);
        patches.push_back(noisy);
    }
    if (module.kind == ModuleKind::filter)
        for (double hz : {400.0, 1000.0, 2500.0, 6000.0}) {
            Patch patch = turned;
            set(patch, in.limits, {module.path, "cutoff"}, hz);
            patches.push_back(patch);
        }
    out.push_back({{}, facetsOf(module.kind), {}, std::move(patches)});
}

void proposeWithout(const ProposalContext& in, const std::string& path, std::vector<ProposalFamily>& out) {
    if (in.limits.locksAnyOf(path)) return;
    Patch patch = in.patch;
    patch.remove(path);
    out.push_back({{}, facetsOf(in.patch.find(path)->kind), {}, {std::move(patch)}});
}

void proposeEffects(const ProposalContext& in, std::vector<ProposalFamily>& out) {
    int effects = 0;
    std::vector<ModuleKind> present;
    for (const auto& module : in.patch.modules())
        if (isEffect(module.kind)) {
            ++effects;
            present.push_back(module.kind);
        }
    if (effects >= mostEffects) return;
    for (int k = 0; k < moduleKindCount; ++k) {
        const auto kind = static_cast<ModuleKind>(k);
        if (kind == ModuleKind::postFilter && hasSilentFilter(in.patch)) continue; // that one comes first
        if (!isEffect(kind) || std::find(present.begin(), present.end(), kind) != present.end()) continue;
        Patch patch = in.patch;
        const std::string path = patch.freePath(kind);
        patch.add(path);
        set(patch, in.limits, {path, "on"}, 1.0);
        const SpaceProfile& space = in.reference.space;
        if (kind == ModuleKind::delay && space.echo.found()) {
            set(patch, in.limits, {path, "time"}, 1000.0 * space.echo.seconds);
            if (isMeasured(space.echo.feedbackDb))
                set(patch, in.limits, {path, "feedback"}, 100.0 * std::pow(10.0, space.echo.feedbackDb / 20.0));
        }
        if (kind == ModuleKind::reduction) set(patch, in.limits, {path, "bits"}, 6.0); // its default is hardly heard
        if (kind == ModuleKind::reverb && isMeasured(space.tailSeconds))
            set(patch, in.limits, {path, "decay"}, 1000.0 * space.tailSeconds);
        std::vector<Patch> patches;
        for (double mix : {15.0, 35.0, 70.0}) {
            set(patch, in.limits, {path, "mix"}, mix);
            patches.push_back(patch);
            if (!patch.has({path, "mix"})) break;
        }
        out.push_back({{}, facetsOf(kind), {}, std::move(patches)});
    }
}

void proposeSecondSources(const ProposalContext& in, std::vector<Patch>& out) {
    if (in.patch.value({secondSource, "on"}) >= 0.5) return;
    for (double octave : {-1.0, 0.0, 1.0})
        for (Wave wave : {Wave::sine, Wave::saw, Wave::pulse, Wave::noise})
            proposeValues(in,
                          {{{secondSource, "on"}, 1.0},
                           {{secondSource, "wave"}, static_cast<double>(wave)},
                           {{secondSource, "octave"}, octave},
                           {{secondSource, "level"}, wave == Wave::noise ? -24.0 : -9.0},
                           {{secondSource, "cents"}, octave == 0.0 ? 5.0 : 0.0}},
                          out);
}

void proposeSecondLayers(const ProposalContext& in, std::vector<Patch>& out) {
    const auto layers = std::count_if(in.patch.modules().begin(), in.patch.modules().end(),
                                      [](const auto& m) { return m.kind == ModuleKind::layer; });
    if (layers > 1) return;
    for (const DecayingLayer& second : {DecayingLayer{Wave::noise, 0.0, -12.0, 15.0},
                                        {Wave::noise, 0.0, -18.0, 300.0},
                                        {Wave::sine, 1.0, -9.0, 250.0},
                                        {Wave::sine, -1.0, -6.0, 800.0}}) {
        out.push_back(in.patch);
        addDecayingLayer(out.back(), second);
        // Where notes begin at one place of the cycle, a partial more adds to another or takes away from it.
        if (second.wave != Wave::sine || in.patch.value({firstSource, "phase_random"}) != 0.0) continue;
        for (double phase : {0.0, 90.0, 180.0, 270.0}) {
            DecayingLayer fixed = second;
            fixed.phase = phase;
            out.push_back(in.patch);
            addDecayingLayer(out.back(), fixed);
        }
    }
}

void proposeOtherFilters(const ProposalContext& in, std::vector<Patch>& out) {
    const double now = in.patch.value({firstFilter, "on"}) >= 0.5 ? in.patch.value({firstFilter, "kind"}) : -1.0;
    for (FilterKind kind :
         {FilterKind::lowPass, FilterKind::highPass, FilterKind::bandPass, FilterKind::notch, FilterKind::comb}) {
        if (static_cast<double>(kind) == now) continue;
        for (double hz : {200.0, 700.0, 2000.0, 6000.0})
            for (bool still : {false, true}) {
                if (still && in.patch.value({firstFilter, "envelope"}) == 0.0) continue;
                Patch moved = in.patch;
                moved.set({firstFilter, "on"}, 1.0);
                moved.set({firstFilter, "kind"}, static_cast<double>(kind));
                moved.setNearest({firstFilter, "cutoff"}, hz);
                if (still) moved.set({firstFilter, "envelope"}, 0.0);
                if (in.keepsLocks(moved)) out.push_back(std::move(moved));
            }
    }
}

void proposePostFilters(const ProposalContext& in, std::vector<Patch>& out) {
    struct Coloring {
        FilterKind kind;
        double hz;
    };
    const bool affected = std::any_of(in.patch.modules().begin(), in.patch.modules().end(),
                                      [](const auto& m) { return isEffect(m.kind); });
    if (!affected || !hasRoomFor(ModuleKind::postFilter, in.patch)) return;
    for (const Coloring& each : {Coloring{FilterKind::lowPass, 4000.0},
                                 {FilterKind::highPass, 400.0},
                                 {FilterKind::bandPass, 600.0},
                                 {FilterKind::bandPass, 2000.0}}) {
        Patch moved = in.patch;
        const std::string path = moved.freePath(ModuleKind::postFilter);
        moved.add(path);
        moved.set({path, "on"}, 1.0);
        moved.set({path, "kind"}, static_cast<double>(each.kind));
        moved.setNearest({path, "cutoff"}, each.hz);
        out.push_back(std::move(moved));
    }
}

const Patch::Module* addedModule(const Patch& patch, const Patch& before) {
    for (const auto& module : patch.modules()) {
        const bool filters = module.kind == ModuleKind::filter;
        if ((!isEffect(module.kind) && module.kind != ModuleKind::source && !filters) || !takesPart(patch, module))
            continue;
        const auto* earlier = before.find(module.path);
        const Address kind{module.path, "kind"};
        if (filters && earlier && patch.value(kind) != before.value(kind)) return &module;
        if (!earlier || !takesPart(before, *earlier)) return &module;
    }
    return nullptr;
}

} // namespace facet
