#include "core/match/proposals/link_proposals.h"

#include "core/base/error.h"
#include "core/match/proposals/first_layer.h"
#include "core/match/proposals/links.h"
#include "core/match/proposals/measured_modulation.h"
#include "core/parameters/relevance.h"
#include "core/performance/spread.h"

#include <algorithm>
#include <cmath>

namespace facet {

void proposeMeasuredModulation(const ProposalContext& in, std::vector<ProposalFamily>& out) {
    for (MeasuredModulation modulation : measuredModulations) {
        const Patch moved = withModulation(in.reference, in.patch, modulation);
        if (moved == in.patch || in.movesLocked(moved)) continue;
        const Facet facet = modulation == MeasuredModulation::tremolo  ? Facet::level
                            : modulation == MeasuredModulation::filter ? Facet::brightness
                                                                       : Facet::pitch;
        out.push_back({{}, static_cast<FacetSet>(facetBit(facet) | facetBit(Facet::motion)), {}, {moved}});
    }
}

void proposeVelocityResponse(const ProposalContext& in, std::vector<Patch>& out) {
    NoteSpread spread;
    for (const NoteProfile& each : in.reference.notes) spread.add(each.note);
    if (!spread.tellsVelocityResponse()) return;
    for (const auto& module : in.patch.modules()) {
        if (module.kind != ModuleKind::link || !takesPart(in.patch, module)) continue;
        const auto* from = in.patch.find(module.contents().from);
        const std::string amount = module.path + "/amount";
        const bool touched = std::any_of(in.patch.modules().begin(), in.patch.modules().end(), [&](const auto& m) {
            return m.kind == ModuleKind::link && m.contents().to == amount;
        });
        if (!from || from->kind != ModuleKind::source || touched || in.isLocked(amount)) continue;
        const double now = in.patch.value({module.path, "amount"}), middle = spread.middleVelocity() / 127.0;
        for (double by : {-2.0, -0.7, 0.7, 1.3}) {
            Patch turned = in.patch;
            turned.setNearest({module.path, "amount"}, now * (1.0 - by * middle));
            proposeLink(turned, "velocity", amount, by * now, out);
        }
    }
}

void proposeKeyResponse(const ProposalContext& in, std::vector<Patch>& out) {
    NoteSpread spread;
    for (const NoteProfile& each : in.reference.notes) spread.add(each.note);
    if (!spread.tellsKeyTracking()) return;
    for (const auto& module : in.patch.modules()) {
        const std::string level = module.path + "/level";
        if (module.kind != ModuleKind::layer || in.isMovedBy("key", level) || in.isLocked(level)) continue;
        for (double decibels : {-6.0, 6.0}) proposeLink(in.patch, "key", level, decibels, out);
    }
}

void proposeRetargeting(const ProposalContext& in, std::vector<Patch>& out) {
    struct Destination {
        std::string address;
        double amount; ///< in the destination's unit
    };
    const auto wave = static_cast<Wave>(static_cast<int>(in.patch.value({firstSource, "wave"})));
    constexpr double sameRate = 0.6; // octaves
    const PeriodicChange& heard = in.reference.motion.strongest().change;
    std::vector<Destination> destinations{
        {firstLayer + "/level", 6.0}, {firstSource + "/cents", 12.0}, {firstSource + "/semitone", 12.0}};
    if (in.patch.value({firstFilter, "on"}) >= 0.5) {
        destinations.push_back({firstFilter + "/cutoff", 14.0});
        destinations.push_back({firstFilter + "/resonance", 9.0});
    }
    if (in.patch.value({secondSource, "on"}) >= 0.5) destinations.push_back({secondSource + "/level", 12.0});
    if (wave == Wave::pulse) destinations.push_back({firstSource + "/width", 15.0});
    if (wave == Wave::wavetable) destinations.push_back({firstSource + "/position", 40.0});
    if (in.patch.value({firstSource, "sync"}) > 0.5) destinations.push_back({firstSource + "/sync_ratio", 10.0});
    for (const auto& module : in.patch.modules()) {
        if (module.kind != ModuleKind::link || !takesPart(in.patch, module)) continue;
        const auto* from = in.patch.find(module.contents().from);
        const Address amount{module.path, "amount"};
        const bool mover = from && (from->kind == ModuleKind::lfo || from->kind == ModuleKind::envelope);
        if (!mover || in.limits.locked(amount) || in.isLocked(module.contents().to)) continue;
        for (const Destination& each : destinations) {
            if (in.isMovedBy(module.contents().from, each.address) || in.isLocked(each.address)) continue;
            Patch moved = in.patch;
            ModuleData ends = module.contents();
            ends.to = each.address;
            try {
                moved.setData(module.path, ends);
            } catch (const Error&) {
                continue; // its ends do not fit each other
            }
            moved.setNearest(amount, in.patch.value(amount) < 0.0 ? -each.amount : each.amount);
            // Its rate may have drifted while it moved what it should not.
            const Address rate{from->path, "rate"};
            if (from->kind == ModuleKind::lfo && heard.found() && !in.limits.locked(rate) &&
                std::abs(std::log2(in.patch.value(rate) / heard.rateHz)) < sameRate)
                moved.setNearest(rate, heard.rateHz);
            out.push_back(std::move(moved));
        }
    }
}

void proposeChangingRates(const ProposalContext& in, std::vector<Patch>& out) {
    constexpr double decayMs = 800.0;
    for (const auto& module : in.patch.modules()) {
        const std::string rate = module.path + "/rate";
        if (module.kind != ModuleKind::lfo || !takesPart(in.patch, module) || in.isLocked(rate)) continue;
        if (std::any_of(in.patch.modules().begin(), in.patch.modules().end(),
                        [&](const auto& m) { return m.kind == ModuleKind::link && m.contents().to == rate; }))
            continue;
        for (double semitones : {-12.0, 12.0}) {
            Patch moved = in.patch;
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
            out.push_back(std::move(moved));
        }
    }
}

void proposeFadeIns(const ProposalContext& in, std::vector<Patch>& out) {
    constexpr double atOnceMs = 40.0;
    for (const auto& module : in.patch.modules()) {
        if (module.kind != ModuleKind::lfo || !takesPart(in.patch, module)) continue;
        const bool withNotes = in.patch.value({module.path, "mode"}) == static_cast<double>(LfoMode::eachNote);
        const bool atOnce = in.patch.value({module.path, "fade"}) < atOnceMs;
        if (!withNotes) continue;
        if (atOnce)
            for (double ms : {180.0, 450.0}) proposeValues(in, {{{module.path, "fade"}, ms}}, out);
        else
            proposeValues(in, {{{module.path, "fade"}, 0.0}}, out);
    }
}

void proposePitchSweeps(const ProposalContext& in, std::vector<Patch>& out) {
    for (const OnsetSweep& sweep :
         {OnsetSweep{-300.0, 0.03}, {500.0, 0.02}, {1200.0, 0.01}, {1900.0, 0.02}, {2400.0, 0.01}}) {
        Patch moved = withSweep(sweep, in.patch);
        if (moved != in.patch)
            if (!in.movesLocked(moved)) out.push_back(std::move(moved));
    }
}

} // namespace facet
