// The beating of detuned voices.
#pragma once

#include "core/analysis/series/track.h"
#include "core/base/task.h"

#include <initializer_list>
#include <span>

namespace facet {

/// Slow beats between voices that are detuned against each other.
struct Beating {
    double cents = notMeasurable; ///< between two voices; notMeasurable where the confidence is too small
    double confidence = 0.0;      ///< share of the partials' movement that it explains, 0 … 1
};

/// Two voices Δ apart let partial n beat at n times the rate of the fundamental: one rate is fitted to the power of all
/// partials together, each with its own trend, depth and phase. The sound is mono at 48 kHz; `from` and `to` in seconds
/// into it, at least 0.25 s apart, while a note of pitch `f0Hz` sounds. `togetherHz`: rates (or notMeasurable) at which
/// something moves all partials alike; what these explain as well is no beating. Throws Cancelled.
Beating beatingOf(std::span<const float> mono48k, double from, double to, double f0Hz,
                  std::initializer_list<double> togetherHz, const Task& task);

} // namespace facet
