// What a part of a patch sets, in words of the trade.
#pragma once

#include "core/parameters/signal_parts.h"

#include <string>
#include <vector>

namespace facet {

/// "Two saws an octave apart", "Stack 7 voices, ±14 ct, 80 % wide", "Close the filter: low-pass 24 dB, 1.7 kHz → 170 Hz
/// in 280 ms". `part`: of that patch. Values are rounded to what people set: two digits, whole decibels and percents.
std::string wordsOf(const SignalPart& part, const Patch& patch);

/// One value of a part, as it is set.
struct PartSetting {
    Address address;
    std::string label; ///< "Filter cutoff"
    std::string text;  ///< rounded: "1.7 kHz"
};

/// What there is to set for a part, in signal order: values that are heard as the patch stands and are not as in the
/// empty patch.
std::vector<PartSetting> settingsOf(const SignalPart& part, const Patch& patch);

/// A value rounded to what people set, as text; without a plus sign where `sign` is false.
std::string roundedText(const ParameterDescriptor& descriptor, double value, bool sign = true);

} // namespace facet
