// How hard a note was struck, from how loud and how bright it is.
#pragma once

#include <algorithm>
#include <cmath>

namespace facet {

/// As hard notes of the Downloadable Sounds standard (MIDI Manufacturers Association, 1997; from memory): it softens by
/// 40 log10(127/v) dB.
inline constexpr double velocityPerDb = 5.0;
/// Velocity of a key by its amplitude re the loudest of all, which is struck with 100; 20 … 127.
inline double velocityOfLevel(double amplitude) {
    return std::clamp(100.0 + velocityPerDb * 20.0 * std::log10(amplitude), 20.0, 127.0);
}
inline constexpr double velocityPerOctave = 8.0; ///< of brightness; common practice, no source

} // namespace facet
