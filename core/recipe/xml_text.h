// Text within XML and HTML.
#pragma once

#include <string>
#include <string_view>

namespace facet {

/// Text in which nothing is read as a mark, also within double quotes.
inline std::string xmlText(std::string_view text) {
    std::string safe;
    for (const char c : text) switch (c) {
        case '&': safe += "&amp;"; break;
        case '<': safe += "&lt;"; break;
        case '>': safe += "&gt;"; break;
        case '"': safe += "&quot;"; break;
        default: safe += c;
        }
    return safe;
}

} // namespace facet
