// Several notes that sound at once.
#pragma once

#include "core/base/task.h"

#include <span>
#include <vector>

namespace facet {

/// One of the notes that sound at an instant.
struct SoundingNote {
    double hz;
    double salience; ///< weight of its partials, re the strongest note at this instant (0 … 1)
};

/// What counts as a key of a chord.
struct ChordSettings {
    int mostNotes = 4;
    double lowestHz = 30.0;
    double highestHz = 2200.0;
};

/// The notes sounding around an instant of mono sound at 48 kHz, strongest first; empty in silence and noise. Iterative
/// estimation and cancelation of A. Klapuri, "Multiple fundamental frequency estimation by summing harmonic
/// amplitudes", ISMIR 2006: spectral whitening (section 2.1), weighted sum of partial amplitudes (eq. 3), cancelation
/// (2.4), number of notes (eq. 8). Octaves of a sounding note are easily missed.
std::vector<SoundingNote> notesSoundingAt(std::span<const float> mono48k, double seconds,
                                          const ChordSettings& settings = {});

} // namespace facet
