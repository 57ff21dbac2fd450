// Cycles of any shape as tables that are band-limited for every pitch.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <vector>

namespace facet {

/// One or more cycles, each kept with fewer and fewer partials: level L has those up to 2^(10 − L). Immutable.
class WaveTable {
public:
    static constexpr int size = 2048; ///< samples a cycle
    static constexpr int levels = 11;

    /// `cycles`: frames of `size` values. Their means are taken off.
    explicit WaveTable(std::span<const float> cycles);

    int frameCount() const { return frames_; }
    /// The level to use for so many cycles per sample: none of its partials comes back below 0.4 of the sample rate by
    /// aliasing.
    static int levelFor(double cyclesPerSample);
    /// Value at a phase in [0, 1), between two samples by a straight line, between two frames (place in [0, 1] from the
    /// first to the last) by another.
    float at(int level, double phase, float place) const;

private:
    const float* row(int frame, int level) const {
        return data_.data() + (static_cast<std::size_t>(frame) * levels + static_cast<std::size_t>(level)) * (size + 1);
    }
    int frames_;
    std::vector<float> data_;
};

/// One cycle of sine partials with levels in dB re amplitude 1.
std::vector<float> cycleOfPartials(std::span<const double> partialsDb);

/// Tables are shared by everything that asks for equal cycles, which `cycles` makes where none are kept, while any of
/// it lives. Any thread but the audio thread.
std::shared_ptr<const WaveTable> sharedWaveTable(std::uint64_t key, const std::function<std::vector<float>()>& cycles);

/// Saw, triangle and square as tables, for sources that move others: those need their value at once, without the 16
/// samples that residuals reach back. Built once.
const WaveTable& sawTable();
const WaveTable& triangleTable();

} // namespace facet
