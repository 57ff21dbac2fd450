// What effects that look back in time have in common: two channels of kept sound, and values that move evenly.
#pragma once

#include "core/engine/effects/ring.h"

#include <cstddef>
#include <numbers>

namespace facet {

inline constexpr double fullTurn = 2.0 * std::numbers::pi;

/// Two channels of kept sound of one length.
struct StereoRing {
    Ring left, right;
    int at = 0; ///< index at which the next sample is written
    explicit StereoRing(double samples)
        : left(static_cast<std::size_t>(samples) + 32), right(static_cast<std::size_t>(samples) + 32) {}
    void clear() {
        left.clear(at);
        right.clear(at);
    }
    /// Samples that a delay may look back.
    double longest() const { return static_cast<double>(left.mask() - 24); }
};

/// A value that moves linearly over a block. The first target after `started` is false is taken at once.
struct LinearRamp {
    double now = 0.0, to = 0.0;
    bool started = false;
    /// Where it is to be at the end of the block.
    void aim(double target) {
        to = target;
        if (!started) now = to;
        started = true;
    }
    /// The block is over.
    void arrive() { now = to; }
};

} // namespace facet
