#include "core/project/collection.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json.h"
#include "core/parameters/patch_json.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>
#include <sstream>

namespace facet {

namespace {

constexpr const char* ending = ".json";
constexpr const char* defaultName = "own default.start";

std::string lower(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
}

std::string textOf(const Patch& patch, const std::vector<std::string>& tags) {
    Json json = parseJson(patchToJson(patch));
    json["tags"] = tags;
    return jsonText(json, 2) + "\n";
}

CollectedPatch read(const std::filesystem::path& file) {
    CollectedPatch found{file, {}, {}};
    try {
        Json json = parseJson(readWholeFile(file));
        if (json.is_object() && json.contains("tags")) {
            for (const Json& tag : json["tags"])
                if (tag.is_string()) found.tags.push_back(tag.get<std::string>());
            json.erase("tags");
        }
        found.patch = patchFromJson(jsonText(json));
    } catch (const Json::exception& problem) {
        throw Error(fmt::format("“{}” is not a Facet patch; take it out of the collection.", file.filename().string()),
                    problem.what());
    }
    if (found.patch.name.empty()) found.patch.name = file.stem().string();
    return found;
}

} // namespace

bool CollectedPatch::matches(const std::string& text) const {
    std::string words = " " + lower(patch.name);
    for (const std::string& tag : tags) words += " " + lower(tag);
    std::istringstream wanted(lower(text));
    for (std::string word; wanted >> word;)
        if (words.find(" " + word) == std::string::npos) return false;
    return true;
}

std::vector<std::string> tagsFrom(const std::string& text) {
    std::vector<std::string> tags;
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, ',');) {
        part.erase(0, part.find_first_not_of(" \t"));
        part.erase(part.find_last_not_of(" \t") + 1);
        const auto same = [&](const std::string& tag) { return lower(tag) == lower(part); };
        if (!part.empty() && std::none_of(tags.begin(), tags.end(), same)) tags.push_back(part);
    }
    return tags;
}

Collection::Collection(std::filesystem::path folder) : folder_(std::move(folder)) {}

std::vector<CollectedPatch> Collection::all(std::vector<std::string>* problems) const {
    std::vector<CollectedPatch> found;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, none)) {
        if (!entry.is_regular_file() || entry.path().extension() != ending) continue;
        try {
            found.push_back(read(entry.path()));
        } catch (const Error& problem) {
            if (problems) problems->push_back(problem.what());
        }
    }
    std::sort(found.begin(), found.end(), [](const CollectedPatch& a, const CollectedPatch& b) {
        return std::pair(lower(a.patch.name), a.file) < std::pair(lower(b.patch.name), b.file);
    });
    return found;
}

std::filesystem::path Collection::add(const Patch& patch, const std::vector<std::string>& tags) {
    makeFolder(folder_, "the collection");
    Patch named = patch;
    if (named.name.empty()) named.name = "Patch";
    auto file = freeFile(folder_, fileNameOf(named.name, "Patch"), ending);
    writeWholeFile(file, textOf(named, tags));
    return file;
}

void Collection::setTags(const std::filesystem::path& file, const std::vector<std::string>& tags) {
    writeWholeFile(file, textOf(read(file).patch, tags));
}

void Collection::remove(const std::filesystem::path& file) {
    const auto removed = folder_ / "removed";
    makeFolder(removed, "the collection");
    std::error_code problem;
    std::filesystem::rename(file, freeFile(removed, file.stem().string(), ending), problem);
    if (problem)
        throw Error(fmt::format("“{}” cannot be taken out of the collection; check who may write to {}.",
                                file.stem().string(), folder_.string()),
                    problem.message());
}

std::optional<Patch> Collection::ownDefault() const {
    const auto file = folder_ / defaultName;
    std::error_code none;
    if (!std::filesystem::exists(file, none)) return std::nullopt;
    return read(file).patch;
}

void Collection::setOwnDefault(const Patch& patch) {
    makeFolder(folder_, "the collection");
    writeWholeFile(folder_ / defaultName, patchToJson(patch));
}

void Collection::clearOwnDefault() {
    std::error_code none;
    std::filesystem::remove(folder_ / defaultName, none);
}

} // namespace facet
