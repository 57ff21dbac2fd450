#include "core/measuring/measuring_setup.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <initializer_list>
#include <utility>

namespace facet {

namespace {

constexpr double sineWave = 0.0, pulseWave = 3.0; ///< of the choices of a source's wave

/// Sets what has a control, as near as it goes.
class Setter {
public:
    Setter(const Instrument& instrument, Patch& patch) : instrument_(instrument), patch_(patch) {}

    void set(const Address& address, double value) {
        if (const InstrumentControl* control = instrument_.controlOf(address))
            patch_.setNearest(address, control->nearest(value));
    }
    void set(const std::string& module, const char* field, double value) { set(Address{module, field}, value); }
    void set(const std::string& module, std::initializer_list<std::pair<const char*, double>> values) {
        for (const auto& [field, value] : values) set(module, field, value);
    }

    /// A source that is off, or too soft to be heard.
    bool isSilent(const std::string& source) const {
        constexpr double unheardDb = -50.0;
        return patch_.value({source, "on"}) < 0.5 || patch_.value({source, "level"}) <= unheardDb;
    }

private:
    const Instrument& instrument_;
    Patch& patch_;
};

std::string levelEnvelope(const Patch& patch) {
    const auto& all = patch.modules();
    const auto found = std::find_if(all.begin(), all.end(),
                                    [](const Patch::Module& each) { return each.path.ends_with("/envelope:level"); });
    return found == all.end() ? std::string() : found->path;
}

/// One held note of the first source: nothing else sounds, moves or echoes.
void makePlain(const Patch& patch, Setter& setter) {
    bool isFirst = true;
    for (const auto& module : patch.modules()) {
        switch (module.kind) {
        case ModuleKind::source:
            setter.set(module.path, {{"level", isFirst ? 0.0 : -96.0},
                                     {"voices", 1.0},
                                     {"octave", 0.0},
                                     {"semitone", 0.0},
                                     {"cents", 0.0},
                                     {"width", 50.0}});
            isFirst = false;
            break;
        case ModuleKind::filter:
            setter.set(module.path,
                       {{"cutoff", 20000.0}, {"resonance", 0.0}, {"envelope", 0.0}, {"key_tracking", 0.0}});
            break;
        case ModuleKind::envelope:
            setter.set(module.path, {{"attack", 0.0}, {"decay", 400.0}, {"sustain", 100.0}, {"release", 0.0}});
            break;
        case ModuleKind::link: setter.set(module.path, "amount", 0.0); break;
        case ModuleKind::voicing: setter.set(module.path, "glide", 0.0); break;
        default: setter.set(module.path, "mix", 0.0);
        }
    }
}

constexpr double muchModulation = 90.0; ///< degrees

/// Makes a source that moves others heard through those, down to one that sounds itself. False: it moves none.
bool hearThroughOthers(const Patch& patch, const std::string& source, Setter& setter) {
    bool movesAnother = false;
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::link || module.contents().from != source) continue;
        const std::string moved = Address::parse(module.contents().to).module;
        if (moved == source || kindOfPath(moved) != ModuleKind::source) continue;
        setter.set(module.path, "amount", muchModulation);
        hearThroughOthers(patch, moved, setter);
        movesAnother = true;
    }
    return movesAnother;
}

/// Makes an envelope heard: that of the level always is, a filter's by its amount, others by the links they scale or
/// move.
void hear(const Patch& patch, const std::string& envelope, Setter& setter) {
    if (envelope.ends_with("/envelope:filter")) {
        for (const auto& module : patch.modules())
            if (module.kind == ModuleKind::filter) {
                setter.set(module.path, "cutoff", 150.0);
                setter.set(module.path, "envelope", 60.0);
            }
        return;
    }
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::link && (module.contents().by == envelope || module.contents().from == envelope))
            setter.set(module.path, "amount", kindOfPath(module.contents().from) == ModuleKind::source ? 120.0 : 24.0);
    for (const auto& module : patch.modules())
        if (module.kind == ModuleKind::link && module.contents().by == envelope)
            hearThroughOthers(patch, Address::parse(module.contents().to).module, setter);
}

void hearEnvelope(const Patch& patch, const Address& address, Setter& setter, double& hold) {
    hear(patch, address.module, setter);
    if (address.field == "attack") hold = 6.0;
    if (address.field == "decay") {
        setter.set(address.module, "sustain", 0.0);
        hold = 6.0;
    }
    if (address.field == "sustain") setter.set(address.module, "decay", 200.0);
    // What is let go is heard while the level lasts.
    if (address.field == "release") setter.set(levelEnvelope(patch), "release", 3000.0);
}

/// What an LFO moves, so far that its rate is heard.
void hearLfo(const Patch& patch, const std::string& lfo, Setter& setter) {
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::link || module.contents().from != lfo) continue;
        const Address to = Address::parse(module.contents().to);
        setter.set(module.path, "amount", to.field == "cents" ? 60.0 : to.field == "cutoff" ? 12.0 : 40.0);
        if (to.field == "cutoff") setter.set(to, 800.0);
        if (kindOfPath(to.module) != ModuleKind::source || to.field == "cents") return; // one movement is clearest
    }
}

void hearLink(const Patch& patch, const std::string& link, Setter& setter) {
    const ModuleData& ends = patch.find(link)->contents();
    if (kindOfPath(ends.from) == ModuleKind::lfo) setter.set(ends.from, "rate", 5.0);
    if (kindOfPath(ends.from) == ModuleKind::envelope) setter.set(ends.from, "sustain", 0.0);
    const Address to = Address::parse(ends.to);
    if (to.field == "cutoff") setter.set(to, 800.0);
    hearThroughOthers(patch, to.module, setter); // also of feedback
    if (kindOfPath(to.module) == ModuleKind::source) setter.set(to.module, "level", 0.0);
}

void hearSource(const Patch& patch, const Address& address, Setter& setter, MeasuringSetup& setup) {
    const std::string& source = address.module;
    if (hearThroughOthers(patch, source, setter)) return;
    bool isAlone = true;
    for (const auto& module : patch.modules()) {
        if (module.kind != ModuleKind::source) continue;
        setter.set(module.path, "level", module.path == source ? 0.0 : -96.0);
        if (module.path == source || setter.isSilent(module.path)) continue;
        isAlone = false;
        setter.set(module.path, "wave", sineWave); // one that cannot be silenced has few partials at least
    }
    if (address.field == "level") {
        setup.isByLevel = isAlone;
        if (!isAlone) setter.set(source, {{"octave", 1.0}, {"semitone", 7.0}}); // of few partials together
    }
    setup.isHeardAlone = isAlone;
    if (address.field == "width") setter.set(source, "wave", pulseWave);
    if (address.field == "detune" || address.field == "spread") {
        setter.set(source, "voices", 7.0);
        if (address.field == "spread") setter.set(source, "detune", 25.0);
    }
}

void hearFilter(const Patch& patch, const Address& address, Setter& setter) {
    if (address.field == "resonance") setter.set(address.module, "cutoff", 800.0);
    if (address.field == "key_tracking") setter.set(address.module, "cutoff", 800.0);
    if (address.field != "envelope") return;
    setter.set(address.module, "cutoff", 150.0);
    for (const auto& module : patch.modules())
        if (module.path.ends_with("/envelope:filter")) {
            setter.set(module.path, "decay", 800.0);
            setter.set(module.path, "sustain", 0.0);
        }
}

} // namespace

MeasuringSetup measuringSetup(const Instrument& instrument, const InstrumentControl& control) {
    const Address& address = control.address;
    if (!control.scale)
        throw Error(
            fmt::format("“{}” takes choices, which have no positions to measure: name them instead.", control.name));
    if (address.module == "voicing" || address.module == "output")
        throw Error(
            fmt::format("“{}” sets how the instrument is played, which one note does not tell: describe its scale by "
                        "hand.",
                        control.name));
    MeasuringSetup setup;
    setup.patch = instrument.patch;
    Setter setter(instrument, setup.patch);
    const Patch& patch = instrument.patch;
    makePlain(patch, setter);
    const auto* module = patch.find(address.module);
    switch (module->kind) {
    case ModuleKind::envelope: hearEnvelope(patch, address, setter, setup.holdSeconds); break;
    case ModuleKind::lfo:
        hearLfo(patch, address.module, setter);
        setup.holdSeconds = 8.0;
        break;
    case ModuleKind::link: hearLink(patch, address.module, setter); break;
    case ModuleKind::source: hearSource(patch, address, setter, setup); break;
    case ModuleKind::filter: hearFilter(patch, address, setter); break;
    default:
        if (address.field != "mix") setter.set(address.module, "mix", 50.0);
        if (address.field == "decay") setup.holdSeconds = 1.0; // a room is heard once the note has ended
    }
    // Half-way, so that what is heard only through the control is told too.
    const auto [first, last] = control.scale->positions();
    setup.patch.setNearest(address, control.scale->valueAt(0.5 * (first + last)));
    for (ControlSetting& each : settingsOn(instrument, setup.patch))
        if (each.address != address) setup.settings.push_back(std::move(each));
    return setup;
}

std::vector<double> spreadPositions(const ControlScale& scale, int count) {
    const auto [first, last] = scale.positions();
    const double unit = scale.step > 0.0 ? scale.step : last - first > 50.0 ? 1.0 : 0.1;
    std::vector<double> positions;
    for (int i = 0; i < count; ++i) {
        const double even = first + (last - first) * i / (count - 1);
        const double position = std::min(last, first + unit * std::round((even - first) / unit));
        if (positions.empty() || position > positions.back()) positions.push_back(position);
    }
    return positions;
}

void requirePositions(const InstrumentControl& control, const std::vector<double>& positions) {
    if (positions.size() < 2)
        throw Error(fmt::format("“{}” is measured at two positions or more: give their list.", control.name));
    const auto [first, last] = control.scale->positions();
    for (auto each = positions.begin(); each != positions.end(); ++each) {
        if (!(*each >= first && *each <= last))
            throw Error(
                fmt::format("“{}” has no position {:g}: it goes from {:g} to {:g}.", control.name, *each, first, last));
        if (std::find(positions.begin(), each, *each) != each)
            throw Error(fmt::format("The position {:g} of “{}” is listed twice: name each once.", *each, control.name));
    }
}

} // namespace facet
