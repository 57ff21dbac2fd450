#include "core/match/proposals/move_candidates.h"

#include "core/match/proposals/measured_modulation.h"
#include "core/parameters/relevance.h"
#include "core/parameters/value_text.h"

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

class Families {
public:
    Families(const Patch& patch, const SearchLimits& limits, const Profile& reference)
        : patch_(patch), limits_(limits), reference_(reference) {}

    std::vector<MoveFamily> all() {
        for (const auto& module : patch_.modules()) {
            if (!takesPart(patch_, module)) {
                switchOn(module);
                continue;
            }
            for (const auto& d : parametersOf(module.kind)) {
                const Address address{module.path, std::string(d.field)};
                if (!matters(patch_, module, d) || limits_.locks.contains(address)) continue;
                if (d.facets == 0 && d.unit != Unit::amount) continue; // nothing of it is compared
                if (!isShown(d.field)) continue;
                if (d.isDiscrete())
                    otherValues(address);
                else
                    steps(address);
            }
            if (isEffect(module.kind)) withoutModule(module.path);
        }
        addEffects();
        addMovers();
        return std::move(families_);
    }

private:
    bool allowed(const Address& address, double value) const {
        if (limits_.locks.contains(address)) return false;
        const auto range = limits_.ranges.find(address);
        return range == limits_.ranges.end() || (value >= range->second.first && value <= range->second.second);
    }

    void add(FacetSet facets, std::vector<Patch> patches) {
        if (!patches.empty()) families_.push_back({{}, facets, {}, std::move(patches)});
    }

    void steps(const Address& address) {
        const ParameterDescriptor d = patch_.shownDescriptor(address);
        const double now = patch_.value(address);
        std::vector<double> values{d.nearest(d.defaultValue)};
        const Address chance{address.module, "phase_random"};
        if (address.field == "phase" && patch_.has(chance) && patch_.value(chance) > 0.0) return; // by chance anyway
        if (address.field == "phase_random") {
            values = {d.low, d.high}; // what lies between, nobody hears in one phrase
        } else if (d.unit == Unit::amount || patch_.descriptor(address).unit == Unit::amount) {
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
        MoveFamily family{address, patch_.descriptor(address).facets, {}, {}};
        if (family.facets == 0) family.facets = facetsMovedBy(address);
        const double least = 1e-6 * std::max(1.0, std::abs(now));
        for (double value : values) {
            if (std::abs(value - now) < least || !allowed(address, value)) continue;
            if (!family.values.empty() && value - family.values.back() < least) continue;
            family.values.push_back(value);
            family.patches.push_back(patch_);
            family.patches.back().setNearest(address, value);
        }
        if (family.continuous()) families_.push_back(std::move(family));
    }

    /// Of a link: what its destination answers for.
    FacetSet facetsMovedBy(const Address& link) const {
        const auto* module = patch_.find(link.module);
        if (!module || module->contents().to.empty()) return 0;
        const Address to = Address::parse(module->contents().to);
        return patch_.has(to) ? patch_.descriptor(to).facets : FacetSet{0};
    }

    void otherValues(const Address& address) {
        const ParameterDescriptor& d = patch_.descriptor(address);
        const double now = patch_.value(address);
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
            if (value == now || value < d.low || value > d.high || !allowed(address, value)) continue;
            if (isUnheard(address, now, value)) continue;
            patches.push_back(patch_);
            patches.back().set(address, value);
        }
        add(d.facets, std::move(patches));
    }

    void set(Patch& patch, const Address& address, double value) const {
        if (patch.has(address)) patch.setNearest(address, value);
    }

    /// A module that is there and silent: as it stands, and with what it is most often used for.
    void switchOn(const Patch::Module& module) {
        const Address on{module.path, "on"};
        if (!patch_.has(on) || patch_.value(on) >= 0.5 || limits_.locks.contains(on)) return;
        Patch turned = patch_;
        turned.set(on, 1.0);
        std::vector<Patch> patches{turned};
        if (module.kind == ModuleKind::source) {
            // Another voice like the first: a little out of tune, an octave away, or noise.
            const std::string first = firstSource();
            const auto like = [&](const char* field, double value) {
                Patch patch = turned;
                for (const auto& d : parametersOf(ModuleKind::source))
                    if (d.field != "on" && !first.empty())
                        set(patch, {module.path, std::string(d.field)}, patch_.value({first, std::string(d.field)}));
                set(patch, {module.path, field}, value);
                patches.push_back(patch);
            };
            const double cents = first.empty() ? 0.0 : patch_.value({first, "cents"});
            const double octave = first.empty() ? 0.0 : patch_.value({first, "octave"});
            like("cents", cents + 8.0);
            like("octave", octave - 1.0);
            like("octave", octave + 1.0);
            Patch noisy = turned;
            set(noisy, {module.path, "wave"}, static_cast<double>(Wave::noise));
            set(noisy, {module.path, "level"}, -24.0);
            patches.push_back(noisy);
        }
        if (module.kind == ModuleKind::filter)
            for (double hz : {400.0, 1000.0, 2500.0, 6000.0}) {
                Patch patch = turned;
                set(patch, {module.path, "cutoff"}, hz);
                patches.push_back(patch);
            }
        FacetSet facets = 0;
        for (const auto& d : parametersOf(module.kind)) facets = static_cast<FacetSet>(facets | d.facets);
        add(facets, std::move(patches));
    }

    std::string firstSource() const {
        for (const auto& module : patch_.modules())
            if (module.kind == ModuleKind::source && takesPart(patch_, module)) return module.path;
        return {};
    }

    /// What no two notes of the phrase differ by, it says nothing about.
    bool isShown(std::string_view field) const {
        const auto spread = [&](auto&& value) {
            double low = 1e9, high = -1e9;
            for (const NoteProfile& each : reference_.notes) {
                low = std::min(low, value(each.note));
                high = std::max(high, value(each.note));
            }
            return high - low;
        };
        if (field.find("key") != field.npos) return spread([](const Note& note) { return 1.0 * note.key; }) >= 3.0;
        if (field.find("velocity") != field.npos) return spread([](const Note& note) { return note.velocity; }) >= 5.0;
        if (field.ends_with("_spread")) return reference_.notes.size() >= 3; // drawn anew from note to note
        return true;
    }

    /// Whether another limit, of what a layer answers to or of how many notes sound at once, is the same to all notes.
    bool isUnheard(const Address& address, double now, double other) const {
        const std::string_view field = address.field;
        if (address.module == "voicing" && field == "voices") {
            const auto notes = static_cast<double>(reference_.notes.size());
            return now >= notes && other >= notes;
        }
        const bool low = field.starts_with("low_"), high = field.starts_with("high_");
        const bool keys = field.ends_with("_key"), velocities = field.ends_with("_velocity");
        if (!(low || high) || !(keys || velocities)) return false;
        return std::none_of(reference_.notes.begin(), reference_.notes.end(), [&](const NoteProfile& each) {
            const double played = keys ? 1.0 * each.note.key : each.note.velocity;
            const auto passes = [&](double limit) { return low ? played >= limit : played <= limit; };
            return passes(now) != passes(other);
        });
    }

    bool hasSilentFilter() const {
        return std::any_of(patch_.modules().begin(), patch_.modules().end(), [&](const auto& module) {
            return module.kind == ModuleKind::filter && !takesPart(patch_, module);
        });
    }

    void withoutModule(const std::string& path) {
        for (const Address& lock : limits_.locks)
            if (lock.module == path) return;
        Patch patch = patch_;
        patch.remove(path);
        FacetSet facets = 0;
        for (const auto& d : parametersOf(patch_.find(path)->kind)) facets = static_cast<FacetSet>(facets | d.facets);
        add(facets, {patch});
    }

    void addEffects() {
        int effects = 0;
        std::vector<ModuleKind> present;
        for (const auto& module : patch_.modules())
            if (isEffect(module.kind)) {
                ++effects;
                present.push_back(module.kind);
            }
        if (effects >= mostEffects) return;
        for (int k = 0; k < moduleKindCount; ++k) {
            const auto kind = static_cast<ModuleKind>(k);
            if (kind == ModuleKind::postFilter && hasSilentFilter()) continue; // that one comes first
            if (!isEffect(kind) || std::find(present.begin(), present.end(), kind) != present.end()) continue;
            Patch patch = patch_;
            const std::string path = patch.freePath(kind);
            patch.add(path);
            set(patch, {path, "on"}, 1.0);
            const SpaceProfile& space = reference_.space;
            if (kind == ModuleKind::delay && space.echo.found()) {
                set(patch, {path, "time"}, 1000.0 * space.echo.seconds);
                if (isMeasured(space.echo.feedbackDb))
                    set(patch, {path, "feedback"}, 100.0 * std::pow(10.0, space.echo.feedbackDb / 20.0));
            }
            if (kind == ModuleKind::reduction) set(patch, {path, "bits"}, 6.0); // its default is hardly heard
            if (kind == ModuleKind::reverb && isMeasured(space.tailSeconds))
                set(patch, {path, "decay"}, 1000.0 * space.tailSeconds);
            FacetSet facets = 0;
            for (const auto& d : parametersOf(kind)) facets = static_cast<FacetSet>(facets | d.facets);
            std::vector<Patch> patches;
            for (double mix : {15.0, 35.0, 70.0}) {
                set(patch, {path, "mix"}, mix);
                patches.push_back(patch);
                if (!patch.has({path, "mix"})) break;
            }
            add(facets, std::move(patches));
        }
    }

    /// What the reference does and nothing in the patch does.
    void addMovers() {
        for (MeasuredModulation modulation : measuredModulations) {
            const Patch moved = withModulation(reference_, patch_, modulation);
            if (moved == patch_ || movesLocked(moved)) continue;
            const Facet facet = modulation == MeasuredModulation::tremolo  ? Facet::level
                                : modulation == MeasuredModulation::filter ? Facet::brightness
                                                               : Facet::pitch;
            add(static_cast<FacetSet>(facetBit(facet) | facetBit(Facet::motion)), {moved});
        }
    }

    /// Whether one of the links that are new moves what is held fast.
    bool movesLocked(const Patch& moved) const {
        return std::any_of(moved.modules().begin(), moved.modules().end(), [&](const auto& m) {
            return m.kind == ModuleKind::link && !patch_.find(m.path) &&
                   limits_.locks.contains(Address::parse(m.contents().to));
        });
    }

    const Patch& patch_;
    const SearchLimits& limits_;
    const Profile& reference_;
    std::vector<MoveFamily> families_;
};

} // namespace

std::vector<MoveFamily> moveFamilies(const Patch& patch, const SearchLimits& limits, const Profile& reference) {
    return Families(patch, limits, reference).all();
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
