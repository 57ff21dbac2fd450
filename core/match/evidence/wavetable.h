// Wavetables from sounds.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/partial_table.h"

#include <vector>

namespace facet {

/// Cycles of a file made as a wavetable: a length of 1 to 256 times 2048 samples is taken as it is, anything up to 4096
/// samples as one cycle of any length (resampled by its Fourier series). One channel counts. Peaks beyond full scale
/// are brought back to it. Throws Error for silence, and for a length that is neither.
std::vector<float> wavetableFromFile(const Recording& recording);

/// Cycles of a note between two instants in seconds, evenly spaced over it, each from the partials heard about its
/// instant: Hann window of six periods, partials by projection on their frequencies, every partial's phase counted from
/// that of the first so that neighboring cycles blend. `hz`: pitch of the note; it is followed by the phase of its
/// first partial. `frames` 1…256. Throws Error for a note shorter than eight periods, or silent.
std::vector<float> wavetableFromNote(const Recording& recording, double start, double end, double hz, int frames);

/// Mean levels of a note's partials, dB re the strongest, those that stand out of the noise between them; as many as
/// PartialMeter measures. `hz`: its pitch. Throws Error for a note in which none is heard.
PartialLevels partialsFromNote(const Recording& recording, double start, double end, double hz);

} // namespace facet
