// Where chords are struck.
#pragma once

#include "core/analysis/notes/heard_sound.h"

#include <vector>

namespace facet {

/// A place where several keys may be struck at once.
struct Stroke {
    double seconds;
    double strength; ///< by how much partials rise there, re the strongest stroke, 0 … 1
};

/// Where many partials rise at once, or what sounds from there on has another spectrum than what sounded before; in
/// order. Rises are the peaks of the spectral flux between bands of a quarter tone, each compared with the loudest of its
/// neighbors some frames before, so that vibrato does not count (S. Böck, G. Widmer, "Maximum filter vibrato
/// suppression for onset detection", DAFx 2013). Which of them begin a chord is chosen for all at once: by how strong
/// they are, and by how much less the spectra of a part differ from their mean when it is cut there, as
/// Kullback-Leibler divergence. A rise of the level beside one places it more exactly. Throws Cancelled.
std::vector<Stroke> strokesOf(const HeardSound& sound);

} // namespace facet
