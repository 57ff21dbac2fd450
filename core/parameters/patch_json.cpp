#include "core/parameters/patch_json.h"

#include "core/base/base64.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/parameters/value_text.h"

#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace {

Json valueToJson(const ParameterDescriptor& descriptor, double value) {
    if (descriptor.unit == Unit::choice) return std::string(descriptor.choices[static_cast<std::size_t>(value)]);
    if (descriptor.unit == Unit::onOff) return value >= 0.5;
    if (descriptor.isDiscrete()) return static_cast<int>(value);
    return value;
}

double valueFromJson(const ParameterDescriptor& descriptor, const Json& json, const std::string& path) {
    const auto refuse = [&]() -> double {
        throw Error(fmt::format("“{}” cannot be {}; it takes {}.", path, shownJson(json), rangeText(descriptor)));
    };
    if (descriptor.unit == Unit::choice) {
        if (!json.is_string()) return refuse();
        for (std::size_t i = 0; i < descriptor.choices.size(); ++i)
            if (json.get<std::string>() == descriptor.choices[i]) return static_cast<double>(i);
        return refuse();
    }
    if (descriptor.unit == Unit::onOff) return json.is_boolean() ? (json.get<bool>() ? 1.0 : 0.0) : refuse();
    return json.is_number() ? json.get<double>() : refuse();
}

/// Names under which a module's data stand beside its values.
constexpr std::string_view fromName = "from", toName = "to", byName = "by", labelName = "label",
                           controllerName = "controller", pointsName = "points", partialsName = "partials_db",
                           framesName = "frames_f32", sampleName = "sample_f32", sampleRateName = "sample_rate_hz",
                           sampleKeyName = "sample_key";

void writeData(const ModuleData& data, Json& json) {
    const auto text = [&](std::string_view name, const std::string& value) {
        if (!value.empty()) json[std::string(name)] = value;
    };
    text(fromName, data.from);
    text(toName, data.to);
    text(byName, data.by);
    text(labelName, data.label);
    if (data.controller != 0) json[std::string(controllerName)] = data.controller;
    if (!data.shape.empty()) {
        Json& points = json[std::string(pointsName)] = Json::array();
        for (const ShapePoint& point : data.shape) points.push_back({point.place, point.value});
    }
    if (!data.partialsDb.empty()) json[std::string(partialsName)] = data.partialsDb;
    if (!data.frames.empty()) json[std::string(framesName)] = base64OfFloats(data.frames);
    if (!data.sample.empty()) {
        json[std::string(sampleName)] = base64OfFloats(data.sample);
        json[std::string(sampleRateName)] = data.sampleRateHz;
        json[std::string(sampleKeyName)] = data.sampleKey;
    }
}

/// Takes one named value as data. False when the name stands for none.
bool readData(ModuleData& data, std::string_view name, const Json& json, const std::string& path) {
    const auto wrong = [&](const char* wanted) {
        return Error(fmt::format("“{}/{}” must be {}.", path, name, wanted));
    };
    const auto text = [&](std::string& value) {
        if (!json.is_string()) throw wrong("text");
        value = json.get<std::string>();
        return true;
    };
    const auto floats = [&](std::vector<float>& values) {
        std::optional<std::vector<float>> read;
        if (json.is_string()) read = floatsOfBase64(json.get<std::string>());
        if (!read) throw wrong("32-bit floats in base64");
        values = std::move(*read);
        return true;
    };
    const auto number = [&] {
        if (!json.is_number()) throw wrong("a number");
        return json.get<double>();
    };
    if (name == fromName) return text(data.from);
    if (name == toName) return text(data.to);
    if (name == byName) return text(data.by);
    if (name == labelName) return text(data.label);
    if (name == framesName) return floats(data.frames);
    if (name == sampleName) return floats(data.sample);
    if (name == controllerName) return data.controller = static_cast<int>(std::clamp(number(), -1.0, 1e9)), true;
    if (name == sampleKeyName) return data.sampleKey = number(), true;
    if (name == sampleRateName) return data.sampleRateHz = static_cast<int>(std::clamp(number(), -1.0, 1e9)), true;
    if (name == partialsName) {
        if (!json.is_array()) throw wrong("a list of levels in dB");
        for (const Json& db : json) {
            if (!db.is_number()) throw wrong("a list of levels in dB");
            data.partialsDb.push_back(db.get<double>());
        }
        return true;
    }
    if (name != pointsName) return false;
    if (!json.is_array()) throw wrong("a list of pairs of place and value");
    for (const Json& point : json) {
        if (!point.is_array() || point.size() != 2 || !point[0].is_number() || !point[1].is_number())
            throw wrong("a list of pairs of place and value");
        data.shape.push_back({point[0].get<double>(), point[1].get<double>()});
    }
    return true;
}

void readModule(Patch& patch, const std::string& path, const Json& fields, Json& unknown) {
    if (!patch.find(path)) {
        unknown["modules"][path] = fields;
        return;
    }
    ModuleData data;
    for (const auto& [field, json] : fields.items()) {
        const Address address{path, field};
        if (patch.has(address))
            patch.set(address, valueFromJson(patch.descriptor(address), json, address.text()));
        else if (!readData(data, field, json, path))
            unknown["modules"][path][field] = json;
    }
    patch.setData(path, data);
}

/// Links come last: their ends must be there.
void readModules(Patch& patch, const Json& modules, Json& unknown) {
    if (!modules.is_object()) throw Error("“modules” must hold named modules.");
    const auto isLink = [](const std::string& path) { return kindOfPath(path) == ModuleKind::link; };
    for (const bool layers : {true, false})
        for (const auto& [path, fields] : modules.items()) {
            if (!fields.is_object()) throw Error(fmt::format("“{}” must hold named values.", path));
            const auto kind = kindOfPath(path);
            if (kind && (kind == ModuleKind::layer) == layers && !patch.find(path)) patch.add(path);
        }
    for (const auto& [path, fields] : modules.items())
        if (!isLink(path)) readModule(patch, path, fields, unknown);
    for (const auto& [path, fields] : modules.items())
        if (isLink(path)) readModule(patch, path, fields, unknown);
}

void readTies(Patch& patch, const Json& ties) {
    const Error wrong(
        "“ties” must be a list of objects, each with “members”, a list of addresses, and maybe “offset”.");
    if (!ties.is_array()) throw wrong;
    for (const Json& json : ties) {
        Tie tie;
        if (!json.is_object() || !json.contains("members") || !json["members"].is_array()) throw wrong;
        for (const Json& member : json["members"]) {
            if (!member.is_string()) throw wrong;
            tie.members.push_back(Address::parse(member.get<std::string>()));
        }
        if (json.contains("offset")) {
            if (!json["offset"].is_boolean()) throw wrong;
            tie.offset = json["offset"].get<bool>();
        }
        patch.tie(tie);
    }
}

void readRetired(Patch& patch, const Json& retired) {
    if (!retired.is_array()) throw Error("“retired” must be a list of paths.");
    for (const Json& path : retired)
        if (path.is_string()) patch.retire(path.get<std::string>());
}

} // namespace

std::string patchToJson(const Patch& patch) {
    Json json;
    json["format"] = "facet-patch";
    json["version"] = 1;
    json["name"] = patch.name;
    Json& modules = json["modules"];
    for (const auto& module : patch.modules()) {
        const auto fields = parametersOf(module.kind);
        for (std::size_t i = 0; i < fields.size(); ++i)
            modules[module.path][std::string(fields[i].field)] = valueToJson(fields[i], module.values[i]);
        writeData(module.contents(), modules[module.path]);
    }
    for (const Tie& tie : patch.ties()) {
        Json members = Json::array();
        for (const Address& member : tie.members) members.push_back(member.text());
        json["ties"].push_back({{"members", members}, {"offset", tie.offset}});
    }
    for (const std::string& path : patch.retired()) json["retired"].push_back(path);
    if (!patch.unknown.empty()) json.merge_patch(parseJson(patch.unknown));
    return jsonText(json, 2) + "\n";
}

Patch patchFromJson(const std::string& text) {
    Json json;
    try {
        json = parseJson(text);
    } catch (const Json::exception& problem) {
        throw Error("This is not a Facet patch: it is not valid JSON; open another file.", problem.what());
    }
    if (!json.is_object() || !json.contains("format") || json["format"] != "facet-patch")
        throw Error("This is not a Facet patch: its “format” is not “facet-patch”; open another file.");
    if (!json.contains("version") || !json["version"].is_number_integer())
        throw Error("This Facet patch states no “version”; open another file.");
    if (json["version"] != 1)
        throw Error(fmt::format("This patch has version {}, which needs a newer Facet; update Facet to open it.",
                                jsonText(json["version"])));
    Patch patch;
    Json unknown = Json::object();
    for (const auto& [key, value] : json.items()) {
        if (key == "format" || key == "version") continue;
        if (key == "name") {
            if (!value.is_string()) throw Error("“name” must be text.");
            patch.name = value.get<std::string>();
        } else if (key == "modules") {
            readModules(patch, value, unknown);
        } else if (key == "retired") {
            readRetired(patch, value);
        } else if (key != "ties") {
            unknown[key] = value;
        }
    }
    // Values first: a tie would let one of them move another.
    if (json.contains("ties")) readTies(patch, json["ties"]);
    if (!unknown.empty()) patch.unknown = jsonText(unknown);
    return patch;
}

Patch readPatch(const std::filesystem::path& path) {
    const std::string text = readWholeFile(path);
    try {
        return patchFromJson(text);
    } catch (const Error& problem) {
        throw Error(fmt::format("“{}”: {}", path.filename().string(), problem.what()), problem.detail());
    }
}

void writePatch(const std::filesystem::path& path, const Patch& patch) { writeWholeFile(path, patchToJson(patch)); }

namespace {

/// Regular expression of the paths of a kind of module.
std::string pathPattern(ModuleKind kind) {
    const std::string word(wordOf(kind));
    const std::string key = ":[a-z0-9-]{1,24}";
    switch (kind) {
    case ModuleKind::output:
    case ModuleKind::voicing: return "^" + word + "$";
    case ModuleKind::layer:
    case ModuleKind::link:
    case ModuleKind::macro: return "^" + word + key + "$";
    default:
        if (isEffect(kind)) return "^" + word + key + "$";
        return "^layer" + key + "/" + word + key + "$";
    }
}

/// What a module holds besides its parameters.
void describeData(ModuleKind kind, Json& properties) {
    const auto type = [&](std::string_view name, const char* what, const char* help) {
        properties[std::string(name)] = {{"type", what}, {"description", help}};
    };
    if (kind == ModuleKind::link) {
        type(fromName, "string", "What moves: velocity, key, wheel, pressure, random, noise, or the path of a module");
        type(toName, "string", "The address of what is moved");
        type(byName, "string", "What scales the amount besides");
    }
    if (kind == ModuleKind::macro) {
        type(labelName, "string", "What people call it");
        type(controllerName, "integer", "Number of the MIDI controller that turns it, 1 to 119");
    }
    if (kind == ModuleKind::lfo) type(pointsName, "array", "Pairs of place and value, 0 to 1, of a drawn shape");
    if (kind == ModuleKind::response) {
        type(sampleName, "string", "Values of an impulse response, 32-bit floats in base64");
        type(sampleRateName, "integer", "Its rate in Hz");
    }
    if (kind != ModuleKind::source) return;
    type(partialsName, "array", "Levels in dB of the partials of a harmonic table");
    type(framesName, "string", "Cycles of a wavetable, 2048 32-bit floats each, in base64");
    type(sampleName, "string", "Values of a sample, 32-bit floats in base64");
    type(sampleRateName, "integer", "Rate of the sample in Hz");
    type(sampleKeyName, "number", "Key at which the sample plays at its own pitch");
}

} // namespace

std::string patchSchema() {
    Json schema;
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema";
    schema["title"] = "Facet patch";
    schema["type"] = "object";
    schema["required"] = {"format", "version"};
    Json& properties = schema["properties"];
    properties["format"]["const"] = "facet-patch";
    properties["version"]["const"] = 1;
    properties["name"]["type"] = "string";
    properties["modules"]["type"] = "object";
    for (int k = 0; k < moduleKindCount; ++k) {
        const auto kind = static_cast<ModuleKind>(k);
        properties["modules"]["patternProperties"][pathPattern(kind)]["$ref"] = fmt::format("#/$defs/{}", wordOf(kind));
    }
    properties["ties"]["type"] = "array";
    properties["retired"]["type"] = "array";
    for (int kind = 0; kind < moduleKindCount; ++kind) {
        Json& definition = schema["$defs"][std::string(wordOf(static_cast<ModuleKind>(kind)))];
        definition["type"] = "object";
        for (const auto& d : parametersOf(static_cast<ModuleKind>(kind))) {
            Json& field = definition["properties"][std::string(d.field)];
            field["title"] = d.label;
            const auto symbol = symbolOf(d.unit);
            field["description"] = symbol.empty() ? std::string(d.help) : fmt::format("{} ({})", d.help, symbol);
            if (d.unit == Unit::choice) {
                field["enum"] = d.choices;
                field["default"] = d.choices[static_cast<std::size_t>(d.defaultValue)];
            } else if (d.unit == Unit::onOff) {
                field["type"] = "boolean";
                field["default"] = d.defaultValue >= 0.5;
            } else {
                field["type"] = d.isDiscrete() ? "integer" : "number";
                field["minimum"] = d.low;
                field["maximum"] = d.high;
                field["default"] = d.defaultValue;
            }
        }
        describeData(static_cast<ModuleKind>(kind), definition["properties"]);
    }
    return jsonText(schema, 2) + "\n";
}

} // namespace facet
