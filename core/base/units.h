// Conversions between the units the trade speaks. All are pure and defined for every finite argument.
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>

namespace facet {

/// The level that stands for silence wherever a level in dB is shown or compared.
inline constexpr double silenceDb = -120.0;

inline double gainFromDb(double db) { return std::pow(10.0, db / 20.0); }

/// 20 log10 of the magnitude; silenceDb at and below the gain that corresponds to it.
inline double dbFromGain(double gain) {
    const double magnitude = std::abs(gain);
    return magnitude > 1e-6 ? 20.0 * std::log10(magnitude) : silenceDb;
}

/// 10 log10 of a power ratio, floored at silenceDb.
inline double dbFromPower(double power) { return power > 1e-12 ? 10.0 * std::log10(power) : silenceDb; }

/// Frequency in Hz of a MIDI key number (may be fractional), A4 = key 69 = 440 Hz
/// (MIDI Tuning Standard, MMA 1996, "Frequency data format"); `tuningCents` shifts concert pitch.
inline double hzFromKey(double key, double tuningCents = 0.0) {
    return 440.0 * std::exp2((key - 69.0) / 12.0 + tuningCents / 1200.0);
}

/// Fractional MIDI key number of a frequency in Hz (> 0).
inline double keyFromHz(double hz) { return 69.0 + 12.0 * std::log2(hz / 440.0); }

/// Interval in cents from `referenceHz` up to `hz` (both > 0).
inline double centsBetween(double referenceHz, double hz) { return 1200.0 * std::log2(hz / referenceHz); }

/// Duration in ms of a quarter note at a tempo in beats per minute (> 0).
inline double quarterNoteMs(double beatsPerMinute) { return 60000.0 / beatsPerMinute; }

/// Rounded to six significant digits, as figures are given in reports; what is not finite stays as it is.
inline double sixDigits(double value) {
    if (!std::isfinite(value) || value == 0.0) return value;
    const double scale = std::pow(10.0, 5.0 - std::floor(std::log10(std::abs(value))));
    return std::round(value * scale) / scale;
}

} // namespace facet
