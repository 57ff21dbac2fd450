// Words of the core, such as a parameter's label, as the window writes them.
#pragma once

#include <QString>
#include <string_view>

namespace facet {

inline QString text(std::string_view words) {
    return QString::fromUtf8(words.data(), static_cast<qsizetype>(words.size()));
}

} // namespace facet
