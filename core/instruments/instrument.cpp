#include "core/instruments/instrument.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/parameters/patch_json.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace facet {

namespace {

constexpr std::string_view formatName = "facet-instrument";
constexpr int formatVersion = 1;
constexpr auto& lawNames = ControlScale::lawNames;

std::string unusable(const std::string& control, const std::string& problem) {
    return fmt::format("The control “{}” cannot be used: {}.", control, problem);
}

[[noreturn]] void refuse(const std::string& control, const std::string& problem) {
    throw Error(unusable(control, problem));
}

/// What is wrong with a control of an instrument that has this patch; empty: nothing.
std::string problemOf(const InstrumentControl& control, const Patch& patch) {
    if (control.name.empty()) return "it has no name";
    if (!patch.has(control.address)) return fmt::format("the instrument has no “{}”", control.address.text());
    if (!control.scale) return control.choices.empty() ? "it has no choices" : "";
    if (const std::string problem = control.scale->problem(); !problem.empty()) return problem;
    const ParameterDescriptor d = patch.shownDescriptor(control.address);
    const auto [lowest, highest] = control.scale->ends();
    for (const double end : {lowest, highest})
        if (end < d.low - 1e-9 || end > d.high + 1e-9)
            return fmt::format("{} lies outside what it can stand for, {}", textOf(d, end), rangeText(d));
    return {};
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
        return control;
    }
    control.scale = scaleFromJson(json.at("scale"), control.name);
    return control;
}

} // namespace

namespace {

/// As many as positions are told with.
int decimalsOf(const ControlScale& scale) {
    const auto [first, last] = scale.positions();
    return last - first > 50.0 || scale.step >= 1.0 ? 0 : 1;
}

} // namespace

double InstrumentControl::nearest(double value) const {
    if (scale) {
        const double unit = std::pow(10.0, -decimalsOf(*scale)), position = scale->positionOf(value);
        return scale->valueAt(scale->step > 0.0 ? position : unit * std::round(position / unit));
    }
    const auto closest = std::min_element(choices.begin(), choices.end(), [&](const auto& a, const auto& b) {
        return std::abs(a.second - value) < std::abs(b.second - value);
    });
    return closest->second;
}

double InstrumentControl::within(double value) const {
    if (!scale) return nearest(value);
    const auto [lowest, highest] = scale->ends();
    return std::clamp(value, lowest, highest);
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
    return fmt::format("{:.{}f} of {:g}", scale->positionOf(value), decimalsOf(*scale), scale->positions().second);
}

const InstrumentControl* Instrument::controlOf(const Address& address) const {
    const auto found = std::find_if(controls.begin(), controls.end(),
                                    [&](const InstrumentControl& each) { return each.address == address; });
    return found == controls.end() ? nullptr : &*found;
}

bool Instrument::holds(const Address& address) const {
    return !controlOf(address) && address != Address{"output", "level"} && patch.has(address);
}

std::string problemOf(const Instrument& instrument) {
    if (instrument.name.empty()) return "The instrument has no name: give it one.";
    std::set<Address> controlled;
    std::set<std::string> names;
    for (const InstrumentControl& each : instrument.controls) {
        std::string problem = problemOf(each, instrument.patch);
        if (problem.empty() && !controlled.insert(each.address).second) problem = "another control sets the same";
        if (problem.empty() && !names.insert(each.name).second) problem = "another control has the same name";
        if (!problem.empty()) return unusable(each.name, problem);
    }
    return {};
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
        for (const Json& each : json.at("controls"))
            instrument.controls.push_back(controlFromJson(each, instrument.patch));
        if (const std::string problem = problemOf(instrument); !problem.empty()) throw Error(problem);
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

} // namespace facet
