// What one note sounds like in a few hundred numbers, so that notes of any pitch can be compared at once with many.
#pragma once

#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <array>
#include <cstdint>
#include <limits>
#include <optional>

namespace facet {

inline constexpr int signatureBands = 34;  ///< of a quarter octave, from 1.25 octaves below the fundamental
inline constexpr int signatureSlices = 10; ///< of time: seven from the note's beginning on, three behind its end

/// Levels in half decibels below the loudest, by slice and then by band; `unknown` where a note determines nothing.
struct Signature {
    static constexpr std::uint8_t unknown = std::numeric_limits<std::uint8_t>::max();
    static constexpr int floor = 120; ///< 60 dB down: what lies lower says nothing
    std::array<std::uint8_t, static_cast<std::size_t>(signatureBands* signatureSlices)> levels{};

    /// Mean difference in dB over the levels known of both; infinite when these are less than an eighth.
    double distanceTo(const Signature& other) const;
};

/// Of a note in a recording at 48 kHz, its channels added in power. `hz`: its fundamental. Bands above `upperHz` are
/// unknown, and so is what lies behind `until` (seconds; another note sounds there). Nothing for what is silent.
/// Any thread.
std::optional<Signature> signatureOf(const Recording& recording48k, double start, double end, double until, double hz,
                                     double upperHz);

} // namespace facet
