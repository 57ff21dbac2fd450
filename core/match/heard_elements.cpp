#include "core/match/heard_elements.h"

#include "core/analysis/profile.h"
#include "core/base/parallel.h"
#include "core/compare/comparison.h"
#include "core/engine/render.h"
#include "core/match/search/score.h"

#include <cmath>

namespace facet {

Performance withoutCurve(Performance performance, const std::string& target) {
    if (!target.empty()) std::erase_if(performance.curves, [&](const Curve& each) { return each.target == target; });
    return performance;
}

std::vector<HeardElement> heardElements(const Patch& patch, const Performance& performance, int threads,
                                        const Task& task) {
    std::vector<std::string> curves;
    for (const Curve& curve : performance.curves) curves.push_back(curve.target);
    std::vector<HeardElement> elements;
    for (PatchElement& each : elementsOf(patch, curves)) elements.push_back({std::move(each)});
    Performance played = performance;
    const double seconds = performance.seconds();
    played.rateHz = analysisRateHz;
    played.frames = static_cast<int>(std::lround(seconds * analysisRateHz));
    const Recording whole = std::move(renderAt48k({&patch, 1}, played, task).front());
    const Profile profile = measureProfile(whole, played, {.source = nullptr, .threads = threads});
    parallelFor(static_cast<int>(elements.size()), threads, [&](int i) {
        HeardElement& each = elements[static_cast<std::size_t>(i)];
        if (!each.element.without) return;
        const Performance still = withoutCurve(played, each.element.curve);
        const Patch leveled = withSolvedGain(*each.element.without, whole, still);
        Recording rest = std::move(renderAt48k({&leveled, 1}, still, task).front());
        if (peakOf(rest) <= 0.0f) return; // nothing is left
        const Profile other = measureProfile(rest, still, {.source = &profile.source, .threads = 1});
        each.cost = std::max(0.0, 100.0 - compare(profile, other).likeness);
    });
    return elements;
}

} // namespace facet
