// Recorded or rendered sound as a value.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

namespace facet {

/// Planar samples, nominal full scale ±1. All channels have equal length.
struct Recording {
    int rateHz = 48000;
    std::vector<std::vector<float>> channels;

    int channelCount() const { return static_cast<int>(channels.size()); }
    int frameCount() const { return channels.empty() ? 0 : static_cast<int>(channels[0].size()); }
    double seconds() const { return static_cast<double>(frameCount()) / rateHz; }
};

/// Recordings are shared between threads once made, and never changed.
using RecordingPtr = std::shared_ptr<const Recording>;

/// The rate at which everything is analyzed and searched.
inline constexpr int analysisRateHz = 48000;

/// The same sound at another rate (soxr, very high quality); a copy when the rates agree.
Recording atRate(const Recording& recording, int rateHz);

/// Frames [begin, end) in seconds, clamped to the recording.
Recording excerpt(const Recording& recording, double beginSeconds, double endSeconds);

/// All samples multiplied by a gain in dB.
Recording withGain(const Recording& recording, double gainDb);

/// Mean of the channels.
std::vector<float> monoMix(const Recording& recording);

/// Highest magnitude of any sample.
float peakOf(const Recording& recording);

/// Hash of rate, shape and samples.
std::uint64_t hashOf(const Recording& recording);

/// Throws Error with one sentence when a sound cannot serve as a reference: silent, under 20 ms, more than
/// two channels, or with sample values that are not numbers. `name` is how the sentence calls it.
void requireUsable(const Recording& recording, const std::string& name);

} // namespace facet
