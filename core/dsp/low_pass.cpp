#include "core/dsp/low_pass.h"

#include "core/base/units.h"

namespace facet {

SectionQ sectionQ(int poles, double resonanceDb) {
    const double gain = gainFromDb(resonanceDb);
    if (poles == 2) return {gain, gain};
    const double first = 1.0 / (2.0 * std::cos(std::numbers::pi / 8.0));
    return {first, gain / first};
}

double lowPassResponseDb(int poles, double cutoffHz, double resonanceDb, double hz, double rateHz) {
    const SectionQ q = sectionQ(poles, resonanceDb);
    // With s = j tan(π f / rate) / tan(π fc / rate): |H|² = 1 / ((1 − w²)² + (w/Q)²).
    const double w = std::tan(std::numbers::pi * hz / rateHz) / std::tan(std::numbers::pi * cutoffHz / rateHz);
    const auto sectionDb = [w](double sectionQuality) {
        const double real = 1.0 - w * w;
        const double imaginary = w / sectionQuality;
        return -10.0 * std::log10(std::max(1e-30, real * real + imaginary * imaginary));
    };
    return poles == 2 ? sectionDb(q.first) : sectionDb(q.first) + sectionDb(q.second);
}

double effectiveCutoffHz(int poles, double cutoffHz, double resonanceDb, double rateHz) {
    const double highest = 0.4999 * rateHz;
    const auto isBelow = [&](double hz) { return lowPassResponseDb(poles, cutoffHz, resonanceDb, hz, rateHz) < -6.0; };
    if (!isBelow(highest)) return highest;
    // Far above the cutoff the response is surely below −6 dB; the last crossing is found by halving down to it.
    double high = highest;
    double low = high;
    while (isBelow(low) && low > 1.0) {
        high = low;
        low *= 0.97;
    }
    for (int i = 0; i < 50; ++i) {
        const double middle = std::sqrt(low * high);
        (isBelow(middle) ? high : low) = middle;
    }
    return low;
}

} // namespace facet
