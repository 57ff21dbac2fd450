// Which elements of a patch are heard in a phrase, and how much.
#pragma once

#include "core/base/task.h"
#include "core/parameters/elements.h"
#include "core/performance/performance.h"

#include <string>
#include <vector>

namespace facet {

/// An element counts where leaving it out costs at least so much likeness.
inline constexpr double leastHeardCost = 1.0;

/// An element with what leaving it out costs.
struct HeardElement {
    PatchElement element;
    /// 0 … 100: how unlike the whole the sound is without it, at equal loudness. Of what cannot be left out: 100.
    double cost = 100.0;
    bool heard() const { return cost >= leastHeardCost; }
};

/// A performance without the curve of one target; as it is where that is empty.
Performance withoutCurve(Performance performance, const std::string& target);

/// The elements of a patch in the order of elementsOf(), with what each contributes when the patch plays these notes.
/// One render and one measurement each. The same on any number of threads. Throws Error for a phrase that cannot be
/// measured (silence), and Cancelled.
std::vector<HeardElement> heardElements(const Patch& patch, const Performance& performance, int threads,
                                        const Task& task = {});

} // namespace facet
