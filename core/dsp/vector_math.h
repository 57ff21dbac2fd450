// Plain loops over long arrays, compiled for several instruction sets and chosen at run time.
#pragma once

#include <complex>

namespace facet {

/// out[i] = in[i] × window[i]; returns Σ out².
float multiplyByWindow(const float* in, const float* window, float* out, int count);
/// out[i] = |bins[i]|².
void squaredMagnitudes(const std::complex<float>* bins, float* out, int count);
/// Σ a[i] × b[i].
float dotProduct(const float* a, const float* b, int count);
/// out[i] = 10 log10(power[i] + floor) to 1e-5 dB, for floor > 0; `out` may be `power`.
void decibelsAbove(const float* power, float floor, float* out, int count);

} // namespace facet
