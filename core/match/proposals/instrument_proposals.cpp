#include "core/match/proposals/instrument_proposals.h"

#include "core/parameters/signal_parts.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <string>

namespace facet {

namespace {

constexpr std::size_t fewPositions = 17;

/// All values of a choice, and of a scale with few positions; of others none.
std::vector<double> fewValues(const InstrumentControl& control) {
    std::vector<double> values;
    for (const auto& [called, value] : control.choices) values.push_back(value);
    if (!control.scale || control.scale->step <= 0.0) return values;
    const auto [first, last] = control.scale->positions();
    if ((last - first) / control.scale->step >= static_cast<double>(fewPositions)) return values;
    for (double at = first; at <= last + 1e-9; at += control.scale->step) values.push_back(control.scale->valueAt(at));
    return values;
}

double valueAlong(const InstrumentControl& control, double share) {
    const auto [first, last] = control.scale->positions();
    return control.scale->valueAt(first + share * (last - first));
}

std::vector<double> valuesToTry(const InstrumentControl& control) {
    std::vector<double> values = fewValues(control);
    if (values.empty())
        for (const double share : {0.0, 0.1, 0.3, 0.5, 0.7, 0.9, 1.0}) values.push_back(valueAlong(control, share));
    return values;
}

/// Whether a control stands where what it belongs to is hardly heard: a source's level, an effect's mix, a link's
/// amount.
bool isSilentAt(const InstrumentControl& control, const Patch& patch) {
    constexpr double faintDb = -45.0, faint = 0.1; // of the way
    const double value = patch.value(control.address);
    if (control.address.field == "level") return value <= faintDb;
    const auto [first, last] = control.scale->positions();
    const double none = control.scale->positionOf(0.0);
    return (control.address.field == "mix" || control.address.field == "amount") &&
           std::abs(control.scale->positionOf(value) - none) < faint * (last - first);
}

/// Whether a module is no link, or one to a source that is heard or moves what is.
bool leadsToWhatSounds(const Patch& patch, const std::string& path) {
    const auto* module = patch.find(path);
    if (module->kind != ModuleKind::link || module->contents().to.empty()) return true;
    const std::string source = Address::parse(module->contents().to).module;
    if (kindOfPath(source) != ModuleKind::source || patch.value({source, "level"}) > silentSourceDb) return true;
    const auto& all = patch.modules();
    return std::any_of(all.begin(), all.end(), [&](const Patch::Module& each) {
        return each.kind == ModuleKind::link && each.path != path && each.contents().from == source &&
               patch.value({each.path, "amount"}) != 0.0;
    });
}

/// The module whose other controls say how something sounds once it is heard.
std::string soundingModule(const Patch& patch, const InstrumentControl& control) {
    const auto* module = patch.find(control.address.module);
    return module->kind == ModuleKind::link ? module->contents().from : module->path;
}

/// The same where an envelope scales the amount, with the envelope falling to its lowest sustain.
std::optional<Patch> fallingWith(const Instrument& instrument, const InstrumentControl& amount, Patch patch) {
    const auto* link = patch.find(amount.address.module);
    if (link->kind != ModuleKind::link || link->contents().by.empty()) return std::nullopt;
    const InstrumentControl* sustain = instrument.controlOf({link->contents().by, "sustain"});
    if (!sustain || !sustain->scale) return std::nullopt;
    patch.setNearest(sustain->address, sustain->scale->ends().first);
    return patch;
}

/// All sources an octave lower and higher, as far as their controls go: notes may be written in another octave than
/// they sound.
std::vector<Patch> otherOctaves(const Instrument& instrument, const Patch& patch) {
    std::vector<Patch> all;
    for (const double by : {-1.0, 1.0}) {
        Patch other = patch;
        for (const InstrumentControl& control : instrument.controls)
            if (control.address.field == "octave")
                other.setNearest(control.address, control.nearest(patch.value(control.address) + by));
        if (!other.soundsLike(patch)) all.push_back(std::move(other));
    }
    return all;
}

} // namespace

std::vector<Patch> otherSettings(const Instrument& instrument, const Patch& patch) {
    std::vector<Patch> all = otherOctaves(instrument, patch);
    const auto propose = [&](Patch other) {
        if (!other.soundsLike(patch)) all.push_back(std::move(other));
    };
    for (const InstrumentControl& control : instrument.controls)
        for (const double value : valuesToTry(control)) {
            Patch other = patch;
            other.setNearest(control.address, value);
            propose(std::move(other));
        }
    for (const InstrumentControl& silent : instrument.controls) {
        if (!silent.scale || !isSilentAt(silent, patch) || !leadsToWhatSounds(patch, silent.address.module)) continue;
        const std::string module = soundingModule(patch, silent);
        for (const InstrumentControl& choice : instrument.controls) {
            if (choice.address.module != module || choice.address == silent.address) continue;
            for (const double value : fewValues(choice))
                for (const double share : {0.2, 0.4, 0.8}) {
                    Patch other = patch;
                    other.setNearest(silent.address, valueAlong(silent, share));
                    other.setNearest(choice.address, value);
                    if (auto falling = fallingWith(instrument, silent, other)) propose(std::move(*falling));
                    propose(std::move(other));
                }
        }
    }
    return all;
}

std::vector<Patch> strayedSettings(const Instrument& instrument, const std::vector<Patch>& patches, int count,
                                   Random& random) {
    constexpr int changed = 4;
    constexpr std::size_t transposed = 8; // of the patches
    std::vector<Patch> all;
    for (std::size_t i = 0; i < std::min(transposed, patches.size()); ++i)
        for (Patch& each : otherOctaves(instrument, patches[i])) all.push_back(std::move(each));
    for (int i = 0; i < count && !patches.empty() && !instrument.controls.empty(); ++i) {
        Patch patch = patches[static_cast<std::size_t>(i) % patches.size()];
        for (int k = 0; k < changed; ++k) {
            const auto at = static_cast<std::size_t>(random.unit() * static_cast<double>(instrument.controls.size()));
            const InstrumentControl& control = instrument.controls[std::min(at, instrument.controls.size() - 1)];
            const std::vector<double> few = fewValues(control);
            const double share = random.unit();
            patch.setNearest(control.address,
                             few.empty()
                                 ? valueAlong(control, share)
                                 : few[static_cast<std::size_t>(share * static_cast<double>(few.size()) * 0.999999)]);
        }
        all.push_back(std::move(patch));
    }
    return all;
}

} // namespace facet
