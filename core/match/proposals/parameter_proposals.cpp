#include "core/match/proposals/parameter_proposals.h"

#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"
#include "core/performance/spread.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

/// Steps along a parameter's scale, from hardly heard to all of it.
constexpr double scaleSteps[] = {0.015, 0.035, 0.07, 0.13, 0.22, 0.36, 0.6};
/// Shares of an amount by which something moves.
constexpr double amountShares[] = {-1.0, 0.0, 0.25, 0.5, 0.7, 0.85, 0.93, 1.08, 1.2, 1.45, 2.0, 3.0, 5.0};
/// Intervals in semitones that sources are put apart by.
constexpr double intervals[] = {-12.0, -7.0, -5.0, 5.0, 7.0, 12.0};

/// Of a link: what its destination answers for.
FacetSet facetsMovedBy(const Patch& patch, const Address& link) {
    const auto* module = patch.find(link.module);
    if (!module || module->contents().to.empty()) return 0;
    const Address to = Address::parse(module->contents().to);
    return patch.has(to) ? patch.descriptor(to).facets : FacetSet{0};
}

void proposeSteps(const ProposalContext& in, const Address& address, std::vector<ProposalFamily>& out) {
    const ParameterDescriptor d = in.patch.shownDescriptor(address);
    const double now = in.patch.value(address);
    std::vector<double> values{d.nearest(d.defaultValue)};
    const Address chance{address.module, "phase_random"};
    if (address.field == "phase" && in.patch.has(chance) && in.patch.value(chance) > 0.0) return; // by chance anyway
    if (address.field == "phase_random") {
        values = {d.low, d.high}; // what lies between, nobody hears in one phrase
    } else if (d.unit == Unit::amount || in.patch.descriptor(address).unit == Unit::amount) {
        for (double share : amountShares) values.push_back(d.nearest(share * now));
    } else {
        const double position = d.toUnit(now);
        for (double step : scaleSteps)
            for (double to : {position - step, position + step}) {
                const double value = d.fromUnit(std::clamp(to, 0.0, 1.0));
                // Nobody sets a source a tenth of a semitone off: that is what cents are for.
                values.push_back(d.unit == Unit::semitones ? d.nearest(std::round(value)) : value);
            }
        if (d.unit == Unit::semitones)
            for (double by : intervals) values.push_back(d.nearest(now + by));
    }
    std::sort(values.begin(), values.end());
    ProposalFamily family{address, in.patch.descriptor(address).facets, {}, {}};
    if (family.facets == 0) family.facets = facetsMovedBy(in.patch, address);
    const double least = 1e-6 * std::max(1.0, std::abs(now));
    for (double value : values) {
        if (std::abs(value - now) < least || !in.limits.allows(address, value)) continue;
        if (!family.values.empty() && value - family.values.back() < least) continue;
        family.values.push_back(value);
        family.patches.push_back(in.patch);
        family.patches.back().setNearest(address, value);
    }
    if (family.continuous()) out.push_back(std::move(family));
}

/// What no two notes of the phrase differ by, it says nothing about.
bool isShown(const Profile& reference, std::string_view field) {
    NoteSpread spread;
    for (const NoteProfile& each : reference.notes) spread.add(each.note);
    if (field.find("key") != field.npos) return spread.tellsKeyTracking();
    if (field.find("velocity") != field.npos) return spread.tellsVelocityResponse();
    if (field.ends_with("_spread")) return reference.notes.size() >= 3; // drawn anew from note to note
    return true;
}

/// Whether another limit, of what a layer answers to or of how many notes sound at once, is the same to all notes.
bool isUnheard(const Profile& reference, const Address& address, double now, double other) {
    const std::string_view field = address.field;
    if (address.module == "voicing" && field == "voices") {
        const auto notes = static_cast<double>(reference.notes.size());
        return now >= notes && other >= notes;
    }
    const bool low = field.starts_with("low_"), high = field.starts_with("high_");
    const bool keys = field.ends_with("_key"), velocities = field.ends_with("_velocity");
    if (!(low || high) || !(keys || velocities)) return false;
    return std::none_of(reference.notes.begin(), reference.notes.end(), [&](const NoteProfile& each) {
        const double played = keys ? 1.0 * each.note.key : each.note.velocity;
        const auto passes = [&](double limit) { return low ? played >= limit : played <= limit; };
        return passes(now) != passes(other);
    });
}

void proposeChoices(const ProposalContext& in, const Address& address, std::vector<ProposalFamily>& out) {
    const ParameterDescriptor& d = in.patch.descriptor(address);
    const double now = in.patch.value(address);
    std::vector<double> values;
    if (d.unit == Unit::count)
        values = {d.low, now - 2, now - 1, now + 1, now + 2, 2 * now, std::floor(now / 2)};
    else if (d.unit == Unit::octaves)
        values = {now - 2, now - 1, now + 1, now + 2};
    else
        for (double v = d.low; v <= d.high; v += 1.0) values.push_back(v);
    std::sort(values.begin(), values.end());
    values.erase(std::unique(values.begin(), values.end()), values.end());
    std::vector<Patch> patches;
    for (double value : values) {
        if (value == now || value < d.low || value > d.high || !in.limits.allows(address, value)) continue;
        if (isUnheard(in.reference, address, now, value)) continue;
        patches.push_back(in.patch);
        patches.back().set(address, value);
    }
    if (!patches.empty()) out.push_back({{}, d.facets, {}, std::move(patches)});
}

} // namespace

void proposeParameters(const ProposalContext& in, const Patch::Module& module, std::vector<ProposalFamily>& out) {
    for (const auto& d : parametersOf(module.kind)) {
        const Address address{module.path, std::string(d.field)};
        if (!matters(in.patch, module, d) || in.limits.locked(address)) continue;
        if (d.facets == 0 && d.unit != Unit::amount) continue; // nothing of it is compared
        if (!isShown(in.reference, d.field)) continue;
        if (d.isDiscrete())
            proposeChoices(in, address, out);
        else
            proposeSteps(in, address, out);
    }
}

Patch withTypedValue(const Patch& patch, const Address& address, double value) {
    Patch changed = patch;
    const ParameterDescriptor d = patch.shownDescriptor(address);
    if (d.unit == Unit::semitones) value = std::round(value);
    const auto typed = parseValue(d, textOf(d, value));
    changed.setNearest(address, typed ? *typed : value);
    return changed;
}

} // namespace facet
