// A free-running phase accumulator.
#pragma once

#include <cmath>
#include <cstdint>

namespace facet {

/// The phase of an oscillator that runs on through all notes. It counts in whole parts of 2^64 of a cycle, so that it
/// does not depend on how time was cut into blocks.
class PhaseAccumulator {
public:
    void setRate(double hz, double rateHz) {
        const double perFrame = hz / rateHz;
        step_ = static_cast<std::uint64_t>(
            static_cast<std::int64_t>(std::llround((perFrame - std::round(perFrame)) * 0x1.0p63) << 1));
    }
    void advance(int frames) { place_ += step_ * static_cast<std::uint64_t>(frames); }
    /// In [0, 1).
    double cycles() const { return static_cast<double>(place_ >> 11) * 0x1.0p-53; }
    /// In [−½, ½).
    double perFrame() const { return static_cast<double>(static_cast<std::int64_t>(step_)) * 0x1.0p-64; }

private:
    std::uint64_t place_ = 0;
    std::uint64_t step_ = 0;
};

} // namespace facet
