// What a long computation needs to know about whoever waits for it.
#pragma once

#include "core/base/error.h"

#include <functional>
#include <stop_token>
#include <string_view>

namespace facet {

/// Passed by reference into every computation that may take longer than a few milliseconds.
/// The default never stops and reports nowhere. `report` may be called from any one thread at a time.
struct Task {
    std::stop_token stop;
    /// Fraction done in [0, 1] and a few words on what is being done now.
    std::function<void(double fraction, std::string_view what)> progress;

    /// Throws Cancelled once a stop is requested. Polled at least every 10 ms by long computations.
    void check() const {
        if (stop.stop_requested()) throw Cancelled();
    }
    void report(double fraction, std::string_view what) const {
        if (progress) progress(fraction, what);
    }
};

} // namespace facet
