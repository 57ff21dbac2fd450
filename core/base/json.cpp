#include "core/base/json.h"

namespace facet {

Json parseJson(std::string_view text) { return Json::parse(text); }

Json parseJsonOrDiscard(std::string_view text) { return Json::parse(text, nullptr, false); }

std::string jsonText(const Json& json, int indent) { return json.dump(indent); }

std::string shownJson(const Json& json) { return json.dump(-1, ' ', false, Json::error_handler_t::replace); }

} // namespace facet
