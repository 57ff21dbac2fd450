// JSON text in and out. Reading and writing are compiled here once; the files that include this only look at values.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace facet {

/// Objects keep the order of their keys.
using Json = nlohmann::ordered_json;

/// Throws Json::exception, whose text says what is wrong and where.
Json parseJson(std::string_view text);

/// A discarded value (is_discarded()) instead of an exception.
Json parseJsonOrDiscard(std::string_view text);

/// On one line, or indented by so many spaces. Throws Json::exception where a string is not UTF-8.
std::string jsonText(const Json& json, int indent = -1);

/// On one line for people to read, with replacement characters where a string is not UTF-8.
std::string shownJson(const Json& json);

} // namespace facet
