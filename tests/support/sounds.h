// Test sounds made from their formulas, without any of Facet's engine.
#pragma once

#include "core/audio/recording.h"
#include "core/performance/performance.h"

#include <functional>
#include <vector>

namespace facet::testing {

/// A mono recording of a function of time in seconds.
Recording soundOf(double seconds, int rateHz, const std::function<double(double)>& value);

/// Σ sin(2π n f t)/n up to 20 kHz: a band-limited saw by its Fourier series.
double sawAt(double hz, double seconds);

/// A sound some part of a sample later, by windowed sinc.
Recording later(const Recording& sound, double samples);

/// A performance of one note over a whole sound.
Performance oneNote(int key, double start, double end, double seconds, int rateHz = 48000, int channels = 1);

/// Level in dB of the component nearest to `hz`, re a sine of amplitude 1: Blackman–Harris window over `size` samples
/// from `begin`, corrected to the exact frequency by a direct sum.
double componentDb(const std::vector<float>& x, int begin, int size, double hz, double rateHz);

} // namespace facet::testing
