// A measured quantity over time.
#pragma once

#include <cmath>
#include <limits>
#include <vector>

namespace facet {

/// Stands for "not measurable here" in tracks and values.
inline constexpr float notMeasurable = std::numeric_limits<float>::quiet_NaN();
inline bool isMeasured(double value) { return !std::isnan(value); }

/// Values at equal steps; value i belongs to the instant i × stepSeconds. notMeasurable where there is none.
struct Track {
    double stepSeconds = 0.005;
    std::vector<float> values;

    int indexAt(double seconds) const { return static_cast<int>(std::lround(seconds / stepSeconds)); }
    /// The value nearest to an instant; notMeasurable outside.
    float at(double seconds) const {
        const int i = indexAt(seconds);
        return i >= 0 && i < static_cast<int>(values.size()) ? values[static_cast<std::size_t>(i)] : notMeasurable;
    }
};

/// Median of the measured values; notMeasurable when there are none.
float medianOf(std::vector<float> values);

} // namespace facet
