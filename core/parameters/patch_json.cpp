#include "core/parameters/patch_json.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/parameters/value_text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace facet {

using Json = nlohmann::ordered_json;

namespace {

Json valueToJson(const ParameterDescriptor& descriptor, double value) {
    if (descriptor.unit == Unit::choice) return std::string(descriptor.choices[static_cast<std::size_t>(value)]);
    if (descriptor.unit == Unit::onOff) return value >= 0.5;
    if (descriptor.isDiscrete()) return static_cast<int>(value);
    return value;
}

double valueFromJson(const ParameterDescriptor& descriptor, const Json& json, const std::string& path) {
    const auto refuse = [&]() -> double {
        throw Error(fmt::format("“{}” cannot be {}; it takes {}.", path,
                                json.dump(-1, ' ', false, Json::error_handler_t::replace), rangeText(descriptor)));
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

void readModule(Patch& patch, const std::string& path, const Json& fields, Json& unknown) {
    const auto* module = patch.find(path);
    if (!module) {
        unknown["modules"][path] = fields;
        return;
    }
    if (!fields.is_object()) throw Error(fmt::format("“{}” must hold named values.", path));
    for (const auto& [field, json] : fields.items()) {
        const Address address{path, field};
        if (!patch.has(address)) {
            unknown["modules"][path][field] = json;
            continue;
        }
        patch.set(address, valueFromJson(patch.descriptor(address), json, address.text()));
    }
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
    }
    if (!patch.unknown.empty()) json.merge_patch(Json::parse(patch.unknown));
    return json.dump(2) + "\n";
}

Patch patchFromJson(const std::string& text) {
    Json json;
    try {
        json = Json::parse(text);
    } catch (const Json::exception& problem) {
        throw Error("This is not a Facet patch: it is not valid JSON; open another file.", problem.what());
    }
    if (!json.is_object() || !json.contains("format") || json["format"] != "facet-patch")
        throw Error("This is not a Facet patch: its “format” is not “facet-patch”; open another file.");
    if (!json.contains("version") || !json["version"].is_number_integer())
        throw Error("This Facet patch states no “version”; open another file.");
    if (json["version"] != 1)
        throw Error(fmt::format("This patch has version {}, which needs a newer Facet; update Facet to open it.",
                                json["version"].dump()));
    Patch patch;
    Json unknown = Json::object();
    for (const auto& [key, value] : json.items()) {
        if (key == "format" || key == "version") continue;
        if (key == "name") {
            if (!value.is_string()) throw Error("“name” must be text.");
            patch.name = value.get<std::string>();
        } else if (key == "modules") {
            if (!value.is_object()) throw Error("“modules” must hold named modules.");
            for (const auto& [path, fields] : value.items()) readModule(patch, path, fields, unknown);
        } else {
            unknown[key] = value;
        }
    }
    if (!unknown.empty()) patch.unknown = unknown.dump();
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
    const Patch empty;
    for (const auto& module : empty.modules())
        properties["modules"]["properties"][module.path]["$ref"] = fmt::format("#/$defs/{}", wordOf(module.kind));
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
    }
    return schema.dump(2) + "\n";
}

} // namespace facet
