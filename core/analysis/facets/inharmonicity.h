// How far partials lie from whole multiples of the fundamental, and what sounds an octave below it.
#pragma once

#include "core/analysis/series/track.h"

#include <span>

namespace facet {

/// How far partials lie from multiples of the fundamental.
struct Inharmonicity {
    /// B in fₙ = n f₀ √(1 + B n²), the law of a stiff string (H. Fletcher, "Normal vibration frequencies of a stiff
    /// piano string", JASA 36, 1964, eq. 1); 0 for partials at whole multiples. Negative when they lie closer together.
    double coefficient = notMeasurable;
    double confidence = 0.0; ///< 0 … 1: how well the law explains the partials
    /// How much sharper than ten times the first partial the tenth is, cents.
    double tenthPartialCents() const;
};

/// Between two instants of one note in mono sound at 48 kHz, from the peaks of a long spectrum; at least five partials
/// must stand clear. `f0Hz`: near the first partial.
Inharmonicity measureInharmonicity(std::span<const float> mono48k, double start, double end, double f0Hz);

/// Level in dB, re the strongest of the partials, of what lies at 1/2, 3/2, 5/2 … of the fundamental: a source an
/// octave below, quieter than the one heard as the pitch. −60 when there is nothing; notMeasurable for a note too
/// short.
double measureSubOctave(std::span<const float> mono48k, double start, double end, double f0Hz);

} // namespace facet
