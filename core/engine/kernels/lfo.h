// Low-frequency oscillators.
#pragma once

#include "core/parameters/module_data.h"
#include "core/parameters/table.h"

#include <cstdint>
#include <memory>
#include <vector>

namespace facet {

/// Values of one LFO, without what links add.
struct LfoValues {
    LfoShape shape = LfoShape::sine;
    LfoMode mode = LfoMode::eachNote;
    double hz = 2.0;
    double phase = 0.0; ///< cycles
    double fadeSeconds = 0.0;
    double duty = 0.5;
    std::uint64_t key = 0; ///< seeds what is random
    std::shared_ptr<const ModuleData> drawn;
};

/// Value in −1…1 of a shape at a phase in cycles, from 0 on. `seed` draws the random ones.
double lfoValue(const LfoValues& values, double phase, std::uint64_t seed);

/// A running one. Its phase is the sum of what its rate has been, so a moving rate never jumps.
class Lfo {
public:
    void start() { *this = Lfo{}; }
    void advance(const LfoValues& values, double seconds) {
        cycles_ += values.hz * seconds;
        seconds_ += seconds;
    }
    /// Value now, in −1…1. One that runs once stays where its cycle ends.
    double value(const LfoValues& values, std::uint64_t seed) const;

private:
    double cycles_ = 0.0;
    double seconds_ = 0.0;
};

} // namespace facet
