// A recorded sound made ready to be played at any pitch.
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

namespace facet {

/// A mono sound kept at its own rate and at halves of it, so that playing it higher does not alias. Immutable.
class SampleTable {
public:
    static constexpr int levels = 6;
    SampleTable(const std::vector<float>& sound, int rateHz);

    int rateHz() const { return rateHz_; }
    double seconds() const { return seconds_; }
    /// The level for playing so many times faster than at the table's own rate.
    static int levelFor(double samplesPerSample);
    /// Value at a place in samples of the full rate: a cubic through four neighbors (Catmull–Rom); 0 outside.
    float at(int level, double place) const;

private:
    std::vector<std::vector<float>> sound_; ///< by level
    int rateHz_;
    double seconds_;
};

/// As sharedWaveTable().
std::shared_ptr<const SampleTable> sharedSampleTable(std::uint64_t key, const std::vector<float>& sound, int rateHz);

} // namespace facet
