#include "core/recipe/instrument.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/parameters/noticed.h"
#include "core/parameters/part_settings.h"
#include "core/parameters/part_words.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/relevance.h"
#include "core/parameters/signal_parts.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <set>

namespace facet {

namespace {

constexpr std::string_view formatName = "facet-instrument";
constexpr int formatVersion = 1;
constexpr std::array<std::string_view, 4> lawNames{"linear", "logarithmic", "power", "points"};

[[noreturn]] void refuse(const std::string& control, const std::string& problem) {
    throw Error(fmt::format("The control “{}” cannot be used: {}.", control, problem));
}

ControlScale scaleFromJson(const Json& json, const std::string& control) {
    ControlScale scale;
    const std::string law = json.value("law", "linear");
    const auto found = std::find(lawNames.begin(), lawNames.end(), law);
    if (found == lawNames.end()) refuse(control, "its law is none of linear, logarithmic, power and points");
    scale.law = static_cast<ControlScale::Law>(found - lawNames.begin());
    if (scale.law == ControlScale::Law::points) {
        for (const Json& each : json.at("points")) {
            if (!each.is_array() || each.size() != 2) refuse(control, "a point is a position and a value");
            scale.points.emplace_back(each[0].get<double>(), each[1].get<double>());
        }
    } else {
        scale.first = json.at("positions").at(0).get<double>();
        scale.last = json.at("positions").at(1).get<double>();
        scale.low = json.at("values").at(0).get<double>();
        scale.high = json.at("values").at(1).get<double>();
        scale.exponent = json.value("exponent", 1.0);
    }
    scale.step = json.value("step", 0.0);
    if (const std::string problem = scale.problem(); !problem.empty()) refuse(control, problem);
    return scale;
}

Json scaleToJson(const ControlScale& scale) {
    Json json;
    json["law"] = std::string(lawNames[static_cast<std::size_t>(scale.law)]);
    if (scale.law == ControlScale::Law::points) {
        json["points"] = Json::array();
        for (const auto& [position, value] : scale.points) json["points"].push_back({position, value});
    } else {
        json["positions"] = {scale.first, scale.last};
        json["values"] = {scale.low, scale.high};
        if (scale.law == ControlScale::Law::power) json["exponent"] = scale.exponent;
    }
    if (scale.step > 0.0) json["step"] = scale.step;
    return json;
}

/// A choice's value by Facet's name of it.
double choiceValue(const ParameterDescriptor& d, const Json& json, const std::string& control) {
    if (json.is_boolean() && d.unit == Unit::onOff) return json.get<bool>() ? 1.0 : 0.0;
    if (json.is_number()) return d.nearest(json.get<double>());
    for (std::size_t i = 0; json.is_string() && i < d.choices.size(); ++i)
        if (d.choices[i] == json.get<std::string>()) return static_cast<double>(i);
    refuse(control, fmt::format("{} has no value “{}”", d.label, shownJson(json)));
}

InstrumentControl controlFromJson(const Json& json, const Patch& patch) {
    InstrumentControl control;
    control.name = json.at("name").get<std::string>();
    control.address = Address::parse(json.at("address").get<std::string>());
    if (!patch.has(control.address))
        refuse(control.name, fmt::format("the instrument has no “{}”", control.address.text()));
    const ParameterDescriptor d = patch.shownDescriptor(control.address);
    if (json.contains("choices")) {
        for (const auto& [name, value] : json.at("choices").items())
            control.choices.emplace_back(name, choiceValue(d, value, control.name));
        if (control.choices.empty()) refuse(control.name, "it has no choices");
        return control;
    }
    control.scale = scaleFromJson(json.at("scale"), control.name);
    for (const double end : {control.scale->valueAt(-1e9), control.scale->valueAt(1e9)})
        if (end < d.low - 1e-9 || end > d.high + 1e-9)
            refuse(control.name, fmt::format("{} lies outside what “{}” takes", end, control.address.text()));
    return control;
}

/// What a link leads to, without the key of what it leads to: "source/cents".
std::string kindOfEnd(const std::string& address) {
    const Address to = Address::parse(address);
    const auto kind = kindOfPath(to.module);
    return kind ? std::string(wordOf(*kind)) + "/" + to.field : address;
}

/// Whether a source of the instrument plays what a source of a patch does.
bool playsWave(const Instrument& instrument, const std::string& mine, double wave) {
    const Address address{mine, "wave"};
    const InstrumentControl* control = instrument.controlOf(address);
    return control ? control->reaches(wave) : instrument.patch.value(address) == wave;
}

/// Modules of one patch that stand for those of another: in their order within a kind, sources by their wave, LFOs and
/// envelopes that links use by what they move, links by what leads where.
std::map<std::string, std::string> counterparts(const Instrument& described, const Patch& patch) {
    const Patch& instrument = described.patch;
    std::map<std::string, std::string> pairs; // of the instrument's → the patch's
    std::set<std::string> used;
    const auto pair = [&](const std::string& mine, const std::string& theirs) {
        pairs[mine] = theirs;
        used.insert(theirs);
    };
    for (const auto& module : instrument.modules())
        if (Patch::isFixed(module.path) && patch.find(module.path) && module.kind != ModuleKind::source)
            pair(module.path, module.path);
    const auto linksFrom = [](const Patch& of, const std::string& mover) {
        std::set<std::string> ends;
        for (const auto& link : of.modules())
            if (link.kind == ModuleKind::link && !link.contents().to.empty() &&
                (link.contents().from == mover || link.contents().by == mover))
                ends.insert(kindOfEnd(link.contents().to));
        return ends;
    };
    for (const auto& module : instrument.modules()) {
        if (pairs.contains(module.path) || module.kind == ModuleKind::link) continue;
        const bool mover = module.kind == ModuleKind::lfo || module.kind == ModuleKind::envelope;
        const std::set<std::string> ends = linksFrom(instrument, module.path);
        for (const auto& other : patch.modules()) {
            if (other.kind != module.kind || used.contains(other.path) || !takesPart(patch, other)) continue;
            if (module.kind == ModuleKind::source &&
                !playsWave(described, module.path, patch.value({other.path, "wave"})))
                continue;
            if (mover) { // the same movement, whatever else it moves
                const std::set<std::string> theirs = linksFrom(patch, other.path);
                if (std::none_of(theirs.begin(), theirs.end(), [&](const auto& each) { return ends.contains(each); }))
                    continue;
            }
            pair(module.path, other.path);
            break;
        }
    }
    for (const auto& module : instrument.modules()) {
        if (module.kind != ModuleKind::link || module.contents().to.empty()) continue;
        const ModuleData& ends = module.contents();
        const auto from = pairs.find(ends.from);
        for (const auto& other : patch.modules()) {
            if (other.kind != ModuleKind::link || used.contains(other.path) || other.contents().to.empty()) continue;
            const bool sameMover =
                from != pairs.end() ? other.contents().from == from->second : other.contents().from == ends.from;
            if (!sameMover || kindOfEnd(other.contents().to) != kindOfEnd(ends.to)) continue;
            pair(module.path, other.path);
            break;
        }
    }
    return pairs;
}

/// Whether nobody would call the difference between what an instrument has once and for all and what a patch has a
/// lack: where cycles begin, how envelopes bend, a sine in place of a triangle that moves something, another low-pass.
bool isHardlyMissed(const ParameterDescriptor& shown, const ParameterDescriptor& d, double fixed, double wanted) {
    if (d.field.ends_with("_curve") || d.field == "mode" || d.field == "phase" || d.field == "phase_random" ||
        d.field == "retrigger")
        return true;
    const auto isRound = [](double shape) {
        return shape == static_cast<double>(LfoShape::sine) || shape == static_cast<double>(LfoShape::triangle);
    };
    if (d.module == ModuleKind::lfo && d.field == "shape" && isRound(fixed) && isRound(wanted)) return true;
    const auto isLowPass = [](double kind) {
        return kind == static_cast<double>(FilterKind::lowPass) || kind == static_cast<double>(FilterKind::ladder);
    };
    if (d.module == ModuleKind::filter && d.field == "kind" && isLowPass(fixed) && isLowPass(wanted)) return true;
    constexpr double heard = 1.0; // noticed steps
    return noticedSteps(shown, fixed, wanted) < heard;
}

} // namespace

double InstrumentControl::nearest(double value) const {
    if (scale) return scale->nearest(value);
    const auto closest = std::min_element(choices.begin(), choices.end(), [&](const auto& a, const auto& b) {
        return std::abs(a.second - value) < std::abs(b.second - value);
    });
    return closest->second;
}

bool InstrumentControl::reaches(double value) const {
    if (scale) return scale->reaches(value);
    return std::any_of(choices.begin(), choices.end(), [&](const auto& each) { return each.second == value; });
}

std::string InstrumentControl::textOf(double value) const {
    if (!scale) {
        const double set = nearest(value);
        for (const auto& [called, each] : choices)
            if (each == set) return called;
        return {};
    }
    const double first = scale->law == ControlScale::Law::points ? scale->points.front().first : scale->first,
                 last = scale->law == ControlScale::Law::points ? scale->points.back().first : scale->last;
    const int decimals = last - first > 50.0 || scale->step >= 1.0 ? 0 : 1;
    return fmt::format("{:.{}f} of {:g}", scale->positionOf(value), decimals, last);
}

const InstrumentControl* Instrument::controlOf(const Address& address) const {
    const auto found = std::find_if(controls.begin(), controls.end(),
                                    [&](const InstrumentControl& each) { return each.address == address; });
    return found == controls.end() ? nullptr : &*found;
}

Instrument instrumentFromJson(const std::string& text) {
    try {
        const Json json = parseJson(text);
        if (!json.is_object() || json.value("format", "") != formatName)
            throw Error("This is no description of an instrument; choose a file whose format is “facet-instrument”.");
        if (json.value("version", 0) > formatVersion)
            throw Error("A newer Facet wrote this description; update Facet to read it.");
        Instrument instrument;
        instrument.name = json.at("name").get<std::string>();
        instrument.about = json.value("about", "");
        instrument.patch = patchFromJson(jsonText(json.at("patch")));
        std::set<Address> controlled;
        for (const Json& each : json.at("controls")) {
            instrument.controls.push_back(controlFromJson(each, instrument.patch));
            if (!controlled.insert(instrument.controls.back().address).second)
                refuse(instrument.controls.back().name, "another control sets the same");
        }
        return instrument;
    } catch (const Json::exception& problem) {
        throw Error("The description of the instrument is incomplete or no JSON; compare it with docs/formats.md.",
                    problem.what());
    }
}

std::string instrumentToJson(const Instrument& instrument) {
    Json json;
    json["format"] = std::string(formatName);
    json["version"] = formatVersion;
    json["name"] = instrument.name;
    if (!instrument.about.empty()) json["about"] = instrument.about;
    json["patch"] = parseJson(patchToJson(instrument.patch));
    json["controls"] = Json::array();
    for (const InstrumentControl& each : instrument.controls) {
        Json control;
        control["name"] = each.name;
        control["address"] = each.address.text();
        if (each.scale) {
            control["scale"] = scaleToJson(*each.scale);
        } else {
            const ParameterDescriptor& d = instrument.patch.descriptor(each.address);
            for (const auto& [name, value] : each.choices)
                if (d.unit == Unit::choice)
                    control["choices"][name] = std::string(d.choices[static_cast<std::size_t>(value)]);
                else if (d.unit == Unit::onOff)
                    control["choices"][name] = value >= 0.5;
                else
                    control["choices"][name] = value;
        }
        json["controls"].push_back(std::move(control));
    }
    return jsonText(json, 2) + "\n";
}

Instrument readInstrument(const std::filesystem::path& path) { return instrumentFromJson(readWholeFile(path)); }

Patch playedOn(const Instrument& instrument, const Patch& patch) {
    Patch played = instrument.patch;
    played.name = patch.name;
    const auto pairs = counterparts(instrument, patch);
    for (const InstrumentControl& control : instrument.controls) {
        const auto pair = pairs.find(control.address.module);
        const auto& kind = instrument.patch.find(control.address.module)->kind;
        double value = control.nearest(played.value(control.address));
        if (pair != pairs.end()) {
            value = control.nearest(patch.value({pair->second, control.address.field}));
        } else if (kind == ModuleKind::link || control.address.field == "mix" || control.address.field == "on") {
            value = control.nearest(0.0); // what the patch has not
        } else if (kind == ModuleKind::source && control.address.field == "level") {
            value = control.nearest(silentSourceDb);
        }
        played.setNearest(control.address, value);
    }
    return played;
}

std::vector<std::string> lackingOn(const Instrument& instrument, const Patch& patch) {
    const auto pairs = counterparts(instrument, patch);
    std::set<std::string> has;
    for (const auto& [mine, theirs] : pairs) has.insert(theirs);
    std::vector<std::string> lacking;
    for (const SignalPart& part : partsOf(patch)) {
        if (part.place >= PartPlace::macros) continue;
        const bool missing = std::any_of(part.modules.begin(), part.modules.end(), [&](const std::string& path) {
            return takesPart(patch, *patch.find(path)) && !has.contains(path);
        });
        std::vector<Address> values = part.values;
        for (const std::string& path : part.modules)
            if (has.contains(path))
                for (const auto& d : parametersOf(patch.find(path)->kind))
                    values.push_back({path, std::string(d.field)});
        const bool beyond = std::any_of(values.begin(), values.end(), [&](const Address& address) {
            const auto& module = *patch.find(address.module);
            const ParameterDescriptor& d = patch.descriptor(address);
            if (!takesPart(patch, module) || !matters(patch, module, d)) return false;
            const auto mine = std::find_if(pairs.begin(), pairs.end(),
                                           [&](const auto& each) { return each.second == address.module; });
            if (mine == pairs.end()) return true;
            const Address own{mine->first, address.field};
            const double value = patch.value(address);
            if (const InstrumentControl* control = instrument.controlOf(own)) return !control->reaches(value);
            return !isHardlyMissed(patch.shownDescriptor(address), d, instrument.patch.value(own), value);
        });
        if (missing || beyond) lacking.push_back(wordsOf(part, patch));
    }
    return lacking;
}

std::vector<ControlSetting> settingsOn(const Instrument& instrument, const Patch& played) {
    std::vector<ControlSetting> settings;
    for (const InstrumentControl& control : instrument.controls) {
        const auto* module = played.find(control.address.module);
        const ParameterDescriptor shown = played.shownDescriptor(control.address);
        if (!module || !matters(played, *module, played.descriptor(control.address))) continue;
        const double value = played.value(control.address);
        settings.push_back({control.name, control.textOf(value),
                            control.scale ? roundedText(shown, value) : std::string(), control.address});
    }
    return settings;
}

} // namespace facet
