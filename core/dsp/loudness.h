// Loudness after ITU-R BS.1770-4.
#pragma once

#include <span>
#include <vector>

namespace facet {

/// Gated integrated loudness in LUFS of up to two channels of equal length (BS.1770-4, by libebur128).
/// Recordings under 400 ms, for which the standard gives no value, get the ungated K-weighted level
/// instead. silenceDb for silence.
double integratedLoudness(std::span<const std::vector<float>> channels, int rateHz);

/// The K-weighting filters of BS.1770-4 annex 1, tables 1 and 2, which are given for 48 kHz only.
std::vector<float> kWeighted(std::span<const float> input48k);

/// K-weighted level in LUFS of the active part of up to two channels at 48 kHz: the mean power over the
/// 10 ms blocks that lie within `rangeDb` of the loudest, with BS.1770's offset of −0.691 dB. Defined for any length;
/// it is what reference and render are matched by. silenceDb for silence.
double activeLoudness(std::span<const std::vector<float>> channels48k, double rangeDb = 40.0);

} // namespace facet
