#include "core/match/proposals/structural_moves.h"

#include "core/base/error.h"
#include "core/match/proposals/decaying_layer.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/match/proposals/move_candidates.h"
#include "core/match/proposals/delays_and_reverbs.h"
#include "core/parameters/relevance.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

class Mover {
public:
    Mover(const Patch& of, const SearchLimits& within, const Profile& profile)
        : patch(of), limits(within), reference(profile) {}

    std::vector<Patch> all() {
        for (MoveFamily& family : moveFamilies(patch, limits, reference))
            if (!family.continuous())
                for (Patch& moved : family.patches) moves.push_back(std::move(moved));
        blends();
        widths();
        otherFilters();
        intervals();
        for (double voices : {2.0, 3.0, 5.0, 9.0}) add({{{firstSource, "voices"}, voices}, {{firstSource, "detune"}, 8.0}});
        rooms();
        secondSources();
        secondLayers();
        touch();
        keys();
        retargeted();
        changingRates();
        beginningsOff();
        postFilters();
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

    void keepUnlessLocked(Patch moved) {
        const auto keepsLock = [&](const Address& lock) { return moved.value(lock) == patch.value(lock); };
        if (std::all_of(limits.locks.begin(), limits.locks.end(),
                        [&](const Address& lock) { return !patch.has(lock) || keepsLock(lock); }))
            moves.push_back(std::move(moved));
    }

    void blends() {
        const auto now = static_cast<Wave>(static_cast<int>(patch.value({firstSource, "wave"})));
        if (patch.value({firstSource, "blend"}) != 0.0 || now == Wave::noise) return;
        for (Wave wave : {Wave::sine, Wave::triangle, Wave::saw, Wave::pulse})
            if (wave != now) add({{{firstSource, "blend_wave"}, static_cast<double>(wave)}, {{firstSource, "blend"}, 40.0}});
    }

    /// A pulse of another width, too far from this one for steps along slopes.
    void widths() {
        constexpr double same = 6.0; // percent
        const bool pulse = patch.value({firstSource, "wave"}) == static_cast<double>(Wave::pulse);
        for (double width : {8.0, 16.0, 25.0, 36.0, 50.0}) {
            if (pulse && std::abs(width - patch.value({firstSource, "width"})) < same) continue;
            add({{{firstSource, "wave"}, static_cast<double>(Wave::pulse)}, {{firstSource, "width"}, width}});
        }
    }

    /// Another kind of filter, which needs a cutoff of its own: where one ends the other begins.
    void otherFilters() {
        const double now = patch.value({firstFilter, "on"}) >= 0.5 ? patch.value({firstFilter, "kind"}) : -1.0;
        for (FilterKind kind :
             {FilterKind::lowPass, FilterKind::highPass, FilterKind::bandPass, FilterKind::notch, FilterKind::comb}) {
            if (static_cast<double>(kind) == now) continue;
            for (double hz : {200.0, 700.0, 2000.0, 6000.0})
                for (bool still : {false, true}) {
                    if (still && patch.value({firstFilter, "envelope"}) == 0.0) continue;
                    Patch moved = patch;
                    moved.set({firstFilter, "on"}, 1.0);
                    moved.set({firstFilter, "kind"}, static_cast<double>(kind));
                    moved.setNearest({firstFilter, "cutoff"}, hz);
                    if (still) moved.set({firstFilter, "envelope"}, 0.0);
                    keepUnlessLocked(std::move(moved));
                }
        }
    }

    /// The second source in tune with the first in another way.
    void intervals() {
        if (patch.value({secondSource, "on"}) < 0.5) return;
        for (double semitones : {-12.0, -7.0, -5.0, 0.0, 5.0, 7.0, 12.0})
            add({{{secondSource, "semitone"}, semitones},
                 {{secondSource, "ratio_over"}, 1.0},
                 {{secondSource, "ratio_under"}, 1.0},
                 {{secondSource, "cents"}, patch.value({secondSource, "cents"})}});
    }

    /// A reverb, and a release that does not have to stand for its tail any more.
    void rooms() {
        constexpr double shortRelease = 60.0; // ms
        const Address release{firstLevelEnvelope, "release"};
        if (limits.locks.contains(release) || !hasRoomFor(ModuleKind::reverb, patch)) return;
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
        if (patch.value({secondSource, "on"}) >= 0.5) return;
        for (double octave : {-1.0, 0.0, 1.0})
            for (Wave wave : {Wave::sine, Wave::saw, Wave::pulse, Wave::noise})
                add({{{secondSource, "on"}, 1.0},
                     {{secondSource, "wave"}, static_cast<double>(wave)},
                     {{secondSource, "octave"}, octave},
                     {{secondSource, "level"}, wave == Wave::noise ? -24.0 : -9.0},
                     {{secondSource, "cents"}, octave == 0.0 ? 5.0 : 0.0}});
    }

    void secondLayers() {
        const auto layers = std::count_if(patch.modules().begin(), patch.modules().end(),
                                          [](const auto& m) { return m.kind == ModuleKind::layer; });
        if (layers > 1) return;
        for (const DecayingLayer& second : {DecayingLayer{Wave::noise, 0.0, -12.0, 15.0},
                                         {Wave::noise, 0.0, -18.0, 300.0},
                                         {Wave::sine, 1.0, -9.0, 250.0},
                                         {Wave::sine, -1.0, -6.0, 800.0}}) {
            moves.push_back(patch);
            addDecayingLayer(moves.back(), second);
            // Where notes begin at one place of the cycle, a partial more adds to another or takes away from it.
            if (second.wave != Wave::sine || patch.value({firstSource, "phase_random"}) != 0.0) continue;
            for (double phase : {0.0, 90.0, 180.0, 270.0}) {
                DecayingLayer fixed = second;
                fixed.phase = phase;
                moves.push_back(patch);
                addDecayingLayer(moves.back(), fixed);
            }
        }
    }

    /// Sources that move others move them further, or less far, where keys are struck harder, and as far as now where
    /// they are struck neither hard nor softly.
    void touch() {
        constexpr double leastSpread = 5.0;
        double softest = 128.0, hardest = 0.0;
        for (const NoteProfile& each : reference.notes) {
            softest = std::min(softest, each.note.velocity);
            hardest = std::max(hardest, each.note.velocity);
        }
        if (hardest - softest < leastSpread) return;
        for (const auto& module : patch.modules()) {
            if (module.kind != ModuleKind::link || !takesPart(patch, module)) continue;
            const auto* from = patch.find(module.contents().from);
            const std::string amount = module.path + "/amount";
            const bool touched = std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
                return m.kind == ModuleKind::link && m.contents().to == amount;
            });
            if (!from || from->kind != ModuleKind::source || touched || isLocked(amount)) continue;
            const double now = patch.value({module.path, "amount"}), middle = 0.5 * (softest + hardest) / 127.0;
            for (double by : {-2.0, -0.7, 0.7, 1.3}) {
                Patch turned = patch;
                turned.setNearest({module.path, "amount"}, now * (1.0 - by * middle));
                linked(turned, "velocity", amount, by * now);
            }
        }
    }

    /// High notes softer than low ones, or louder.
    void keys() {
        constexpr int leastSpread = 3;
        int lowest = 128, highest = 0;
        for (const NoteProfile& each : reference.notes) {
            lowest = std::min(lowest, each.note.key);
            highest = std::max(highest, each.note.key);
        }
        if (highest - lowest < leastSpread) return;
        for (const auto& module : patch.modules()) {
            const std::string level = module.path + "/level";
            if (module.kind != ModuleKind::layer || isMovedBy("key", level) || isLocked(level)) continue;
            for (double decibels : {-6.0, 6.0}) linked(patch, "key", level, decibels);
        }
    }

    /// What moves one thing moves another instead.
    void retargeted() {
        struct Destination {
            std::string address;
            double amount; ///< in the destination's unit
        };
        const auto wave = static_cast<Wave>(static_cast<int>(patch.value({firstSource, "wave"})));
        constexpr double sameRate = 0.6; // octaves
        const PeriodicChange& heard = reference.motion.strongest().change;
        std::vector<Destination> destinations{{firstLayer + "/level", 6.0}, {firstSource + "/cents", 12.0}, {firstSource + "/semitone", 12.0}};
        if (patch.value({firstFilter, "on"}) >= 0.5) {
            destinations.push_back({firstFilter + "/cutoff", 14.0});
            destinations.push_back({firstFilter + "/resonance", 9.0});
        }
        if (patch.value({secondSource, "on"}) >= 0.5) destinations.push_back({secondSource + "/level", 12.0});
        if (wave == Wave::pulse) destinations.push_back({firstSource + "/width", 15.0});
        if (wave == Wave::wavetable) destinations.push_back({firstSource + "/position", 40.0});
        if (patch.value({firstSource, "sync"}) > 0.5) destinations.push_back({firstSource + "/sync_ratio", 10.0});
        for (const auto& module : patch.modules()) {
            if (module.kind != ModuleKind::link || !takesPart(patch, module)) continue;
            const auto* from = patch.find(module.contents().from);
            const Address amount{module.path, "amount"};
            const bool mover = from && (from->kind == ModuleKind::lfo || from->kind == ModuleKind::envelope);
            if (!mover || limits.locks.contains(amount) || isLocked(module.contents().to)) continue;
            for (const Destination& each : destinations) {
                if (isMovedBy(module.contents().from, each.address) || isLocked(each.address)) continue;
                Patch moved = patch;
                ModuleData ends = module.contents();
                ends.to = each.address;
                try {
                    moved.setData(module.path, ends);
                } catch (const Error&) {
                    continue; // its ends do not fit each other
                }
                moved.setNearest(amount, patch.value(amount) < 0.0 ? -each.amount : each.amount);
                // Its rate may have drifted while it moved what it should not.
                const Address rate{from->path, "rate"};
                if (from->kind == ModuleKind::lfo && heard.found() && !limits.locks.contains(rate) &&
                    std::abs(std::log2(patch.value(rate) / heard.rateHz)) < sameRate)
                    moved.setNearest(rate, heard.rateHz);
                moves.push_back(std::move(moved));
            }
        }
    }

    /// An LFO that slows down while a note lasts, or runs faster.
    void changingRates() {
        constexpr double decayMs = 800.0;
        for (const auto& module : patch.modules()) {
            const std::string rate = module.path + "/rate";
            if (module.kind != ModuleKind::lfo || !takesPart(patch, module) || isLocked(rate)) continue;
            if (std::any_of(patch.modules().begin(), patch.modules().end(),
                            [&](const auto& m) { return m.kind == ModuleKind::link && m.contents().to == rate; }))
                continue;
            for (double semitones : {-12.0, 12.0}) {
                Patch moved = patch;
                try {
                    const std::string envelope = moved.freePath(ModuleKind::envelope, layerOfPath(module.path));
                    moved.add(envelope);
                    moved.setNearest({envelope, "attack"}, 0.0);
                    moved.setNearest({envelope, "decay"}, decayMs);
                    moved.setNearest({envelope, "sustain"}, 0.0);
                    addLink(moved, envelope, rate, semitones);
                } catch (const Error&) {
                    continue; // there is no room for it
                }
                moves.push_back(std::move(moved));
            }
        }
    }

    /// Notes that begin off their pitch, too shortly for any measurement to follow.
    void beginningsOff() {
        for (const OnsetSweep& sweep :
             {OnsetSweep{-300.0, 0.03}, {500.0, 0.02}, {1200.0, 0.01}, {1900.0, 0.02}, {2400.0, 0.01}}) {
            Patch moved = withSweep(sweep, patch);
            if (moved != patch) keepUnlessMoved(std::move(moved));
        }
    }

    /// What takes away some of what the effects have made.
    void postFilters() {
        struct Coloring {
            FilterKind kind;
            double hz;
        };
        const bool affected =
            std::any_of(patch.modules().begin(), patch.modules().end(), [](const auto& m) { return isEffect(m.kind); });
        if (!affected || !hasRoomFor(ModuleKind::postFilter, patch)) return;
        for (const Coloring& each : {Coloring{FilterKind::lowPass, 4000.0},
                                     {FilterKind::highPass, 400.0},
                                     {FilterKind::bandPass, 600.0},
                                     {FilterKind::bandPass, 2000.0}}) {
            Patch moved = patch;
            const std::string path = moved.freePath(ModuleKind::postFilter);
            moved.add(path);
            moved.set({path, "on"}, 1.0);
            moved.set({path, "kind"}, static_cast<double>(each.kind));
            moved.setNearest({path, "cutoff"}, each.hz);
            moves.push_back(std::move(moved));
        }
    }

    /// Not where what is new moves what is locked.
    void keepUnlessMoved(Patch moved) {
        for (const auto& m : moved.modules())
            if (m.kind == ModuleKind::link && !patch.find(m.path) && isLocked(m.contents().to)) return;
        moves.push_back(std::move(moved));
    }

    bool isLocked(const std::string& address) const { return limits.locks.contains(Address::parse(address)); }

    bool isMovedBy(const std::string& from, const std::string& to) const {
        return std::any_of(patch.modules().begin(), patch.modules().end(), [&](const auto& m) {
            return m.kind == ModuleKind::link && m.contents().from == from && m.contents().to == to;
        });
    }

    /// Not where there is no room for another link.
    void linked(Patch moved, const std::string& from, const std::string& to, double amount) {
        try {
            addLink(moved, from, to, amount);
        } catch (const Error&) {
            return;
        }
        moves.push_back(std::move(moved));
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
