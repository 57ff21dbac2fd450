// Patches near another one, all about as unlike it.
#pragma once

#include "core/base/task.h"
#include "core/parameters/patch.h"
#include "core/parameters/search_limits.h"
#include "core/performance/performance.h"

#include <cstdint>
#include <functional>
#include <vector>

namespace facet {

/// A patch near another.
struct Variation {
    Patch patch{};
    double likeness = 0.0; ///< to the patch that it varies
};

/// How far variations lie, and what they may change.
struct VariationSettings {
    SearchLimits limits{};
    double likeness = 75.0; ///< wanted, to the patch; in [5, 98]
    int count = 6;
    std::uint64_t seed = 1;
    int threads = 2;
};

/// Each goes another way from the patch, in all continuous parameters that are heard in the performance, as far as
/// makes it that unlike; what is locked or ranged stays so. Fewer than asked where a way does not lead that far.
/// `found` gets each at once, on the calling thread. Equal seeds give equal variations. Throws Error without notes,
/// Cancelled.
std::vector<Variation> variationsOf(const Patch& patch, const Performance& performance,
                                    const VariationSettings& settings, const Task& task = {},
                                    const std::function<void(const Variation&)>& found = {});

} // namespace facet
