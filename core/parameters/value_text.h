// Parameter values as people write them.
#pragma once

#include "core/parameters/table.h"

#include <optional>
#include <string>
#include <string_view>

namespace facet {

/// "280 ms", "1.25 s", "−12 dB", "2.5 kHz", "+31 st", "9 ct", "38 %", "saw", "on". Three significant digits.
std::string textOf(const ParameterDescriptor& descriptor, double value);

/// Reads what textOf() writes and what people type: with or without unit, "1.2 s" for ms, "2k" for Hz, a
/// hyphen or a minus sign, a decimal comma. Nothing when it cannot be read; the value may be out of range.
std::optional<double> parseValue(const ParameterDescriptor& descriptor, std::string_view text);

/// "20 Hz to 20 kHz", "sine, triangle, saw or pulse".
std::string rangeText(const ParameterDescriptor& descriptor);

/// The unit's symbol: "Hz", "ms", "dB", "st", "ct", "%", "°", "oct"; empty for choices and counts.
std::string_view symbolOf(Unit unit);

} // namespace facet
