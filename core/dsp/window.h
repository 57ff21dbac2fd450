// Window functions for spectra. Each size is computed once and kept; any thread may ask.
#pragma once

#include <span>
#include <vector>

namespace facet {

/// Periodic Hann window, `0.5 - 0.5 cos(2πn/N)` (Harris, "On the use of windows for harmonic analysis with
/// the DFT", Proc. IEEE 66(1), 1978, eq. 27a with α = 2). Coherent gain 0.5, noise bandwidth 1.5 bins.
const std::vector<float>& hannWindow(int size);

/// Periodic four-term Blackman–Harris window, side lobes at −92 dB (Harris 1978, eq. 33 and table I).
/// Coherent gain 0.35875, noise bandwidth 2.0 bins.
const std::vector<float>& blackmanHarrisWindow(int size);

/// Fills `frame` (at least as long as the window; the rest with zeros) with windowed sound from sample `begin` on;
/// beyond the sound's ends there is silence. `begin` may be negative.
void windowedFrame(std::span<const float> sound, int begin, std::span<const float> window, std::span<float> frame);

/// Zeroth-order modified Bessel function of the first kind, by its power series.
double besselI0(double x);

} // namespace facet
