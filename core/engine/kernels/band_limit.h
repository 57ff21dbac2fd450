// Tables that turn a jump of value or of slope at any instant into its band-limited counterpart.
#pragma once

#include <array>

namespace facet {

/// Taps before and after a jump; also the number of samples by which sources are computed ahead.
inline constexpr int bandLimitReach = 16;
inline constexpr int bandLimitPhases = 256;

/// Residuals to add around a jump that falls between samples: row `p`, tap `m` belongs to the sample at
/// m − 16 + p/256 samples after the jump. Row 256 repeats row 0 one tap later, for interpolation.
/// `step` is (band-limited unit step) − (unit step); `ramp` its running integral, for a change of slope by
/// one per sample. The band limit is a Kaiser-windowed sinc with 90 dB of rejection: flat to 0.41 of the
/// sample rate, closed from 0.59.
/// Sources: E. Brandt, "Hard sync without aliasing", ICMC 2001 (the method); F. Esqueda, V. Välimäki,
/// S. Bilbao, "Rounding corners with BLAMP", DAFx 2016 (its integral); J. F. Kaiser, "Nonrecursive digital
/// filter design using the I0-sinh window function", ISCAS 1974 (the window).
struct BandLimitTables {
    using Row = std::array<float, 2 * bandLimitReach>;
    alignas(64) std::array<Row, bandLimitPhases + 1> step;
    alignas(64) std::array<Row, bandLimitPhases + 1> ramp;
};

/// Built once, on first use, and the same on every machine to within rounding. The first call may not be
/// made by the audio thread.
const BandLimitTables& bandLimitTables();

} // namespace facet
