#include "core/analysis/series/track.h"

#include <algorithm>

namespace facet {

float medianOf(std::vector<float> values) {
    std::erase_if(values, [](float v) { return std::isnan(v); });
    if (values.empty()) return notMeasurable;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

} // namespace facet
