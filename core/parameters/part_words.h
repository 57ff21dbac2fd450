// What a part of a patch sets, in words of the trade.
#pragma once

#include "core/parameters/part_settings.h"

#include <string>

namespace facet {

/// "Two saws an octave apart", "Stack 7 voices, ±14 ct, 80 % wide", "Close the filter: low-pass 24 dB, 1.7 kHz → 170 Hz
/// in 280 ms". `part`: of that patch. Values are rounded to what people set: two digits, whole decibels and percents.
std::string wordsOf(const SignalPart& part, const Patch& patch);

} // namespace facet
