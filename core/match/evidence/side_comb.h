// A chorus or flanger whose delays stand at different places of their cycle on either side.
#pragma once

#include "core/audio/recording.h"
#include "core/parameters/table.h"

#include <optional>

namespace facet {

/// To each side the sound itself is added as a slowly moving delay brings it: L = (1 − m) x(t) + m x(t − τL(t)), with
/// τL(t) = delay + depth sin 2π(rate t + phase), and R likewise, `sides` cycles ahead. How loud a partial is on one
/// side re the other then depends on its frequency and on time alone, whatever it is a partial of.
struct SideComb {
    double delay = 0.0; ///< seconds
    double depth = 0.0; ///< seconds
    double rateHz = 0.0;
    double phase = 0.0;     ///< cycles, of the left side at the recording's beginning
    double sides = 0.0;     ///< cycles
    double mix = 0.4;       ///< m ≤ ½: levels are the same with 1 − m
    double explained = 0.0; ///< share of the differences between the sides' levels that it accounts for, 0 … 1

    /// What stands for it: a chorus, or, where the delay is short, a flanger.
    ModuleKind kind() const { return delay < 5e-3 ? ModuleKind::flanger : ModuleKind::chorus; }
    double delayAt(bool right, double seconds) const;
    /// Power by which it changes a partial, the mean of both sides.
    double powerAt(double hz, double seconds) const;
};

/// The comb that explains the levels of the strongest partials on the two sides: each frame's partials against all
/// pairs of delays, then all ways of moving them by a sine. Nothing for a mono recording, and nothing in doubt: it must
/// explain 3 % of the differences and twice as much as any other comb, which all explain a little by chance. Results do
/// not depend on `threads`.
std::optional<SideComb> sideCombOf(const Recording& recording48k, int threads = 1);

} // namespace facet
