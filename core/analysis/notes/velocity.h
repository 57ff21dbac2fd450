// How hard a note was struck, from how loud and how bright it is.
#pragma once

namespace facet {

/// As hard notes of the Downloadable Sounds standard (MIDI Manufacturers Association, 1997; from memory): it softens by
/// 40 log10(127/v) dB.
inline constexpr double velocityPerDb = 5.0;
inline constexpr double velocityPerOctave = 8.0; ///< of brightness; common practice, no source

} // namespace facet
