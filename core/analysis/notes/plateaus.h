// Stretches in which the pitch stands still.
#pragma once

#include "core/analysis/notes/heard_sound.h"

#include <vector>

namespace facet {

/// A stretch of one pitch.
struct Plateau {
    double from = 0.0, to = 0.0; ///< seconds
    double key = 0.0;            ///< fractional
};

/// The stretches between two instants in which the tracked pitch stays within a fifth of a semitone of its mean for at
/// least 60 ms, in order.
std::vector<Plateau> plateausBetween(const HeardSound& sound, double from, double to);

/// Where the pitch moves from one plateau to another key within a quarter of a second while the level holds: the
/// middles of the ways, in seconds. A way of two semitones or less that takes longer than a hand needs for another key
/// is a bend and left out, unless `slowToo`.
std::vector<double> stepsOf(const std::vector<Plateau>& plateaus, bool slowToo = false);

/// Whether the pitch between two instants swings evenly about its middle, as vibrato does, in place of stepping between
/// two keys, as a trill does.
bool swings(const HeardSound& sound, double from, double to);

} // namespace facet
