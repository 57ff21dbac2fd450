#include "core/match/evidence/cutoff_sweep.h"

#include <algorithm>
#include <cmath>

namespace facet {

CutoffSweep cutoffSweepOf(const Track& cutoffHz, const Note& note) {
    constexpr double leastOctaves = 1.0, leastSeconds = 0.05, strike = 0.01, end = 0.02;
    constexpr std::size_t fewest = 20, near = 2;
    std::vector<double> seconds;
    std::vector<float> seen;
    for (double t = note.start + strike; t < note.end - end; t += cutoffHz.stepSeconds)
        if (const float hz = cutoffHz.at(t); isMeasured(hz) && hz > 0.0f) {
            seconds.push_back(t - note.start);
            seen.push_back(std::log2(hz));
        }
    if (seen.size() < fewest) return {};
    std::vector<float> octaves;
    for (std::size_t i = 0; i < seen.size(); ++i)
        octaves.push_back(medianOf({seen.begin() + static_cast<std::ptrdiff_t>(i - std::min(i, near)),
                                    seen.begin() + static_cast<std::ptrdiff_t>(std::min(seen.size(), i + near + 1))}));
    const auto top = static_cast<std::size_t>(std::max_element(octaves.begin(), octaves.end()) - octaves.begin());
    const double first = octaves.front(), rise = octaves[top] - first;
    if (rise < leastOctaves || seconds[top] < leastSeconds) return {};
    const double last = medianOf({octaves.end() - static_cast<std::ptrdiff_t>(octaves.size() / 5), octaves.end()});
    const double way = (1.0 - std::exp(-1.0)) * (octaves[top] - last);
    std::size_t there = top;
    while (there + 1 < octaves.size() && octaves[top] - octaves[there] < way) ++there;
    return {std::exp2(first), rise, seconds[top], std::clamp((last - first) / rise, 0.0, 1.0),
            seconds[there] - seconds[top]};
}

} // namespace facet
