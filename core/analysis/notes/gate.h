// Repeated bursts of one key: struck again, or one held note behind a gate?
#pragma once

#include "core/performance/performance.h"

#include <span>
#include <string>
#include <vector>

namespace facet {

/// Joins runs of at least four evenly repeated notes of one key whose oscillator runs on from burst to burst: the phase
/// of the fundamental in every burst lies on one straight line, which new notes with new phases do only by chance
/// (Rayleigh's test: the mean resultant length of n random phases exceeds 0.9 with probability below e^(−0.81 n)).
/// Returns what was joined and why, in words, or nothing. Mono sound at 48 kHz.
std::string joinGatedNotes(std::vector<Note>& notes, std::span<const float> mono48k, double tuningCents);

} // namespace facet
