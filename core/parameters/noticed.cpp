#include "core/parameters/noticed.h"

#include <algorithm>
#include <cmath>

namespace facet {

double noticedSteps(const ParameterDescriptor& d, double a, double b) {
    constexpr double otherChoice = 10.0;
    if (a == b) return 0.0;
    const double apart = std::abs(a - b);
    if (d.isDiscrete()) return std::max(otherChoice, apart);
    switch (d.unit) {
    case Unit::decibels:
    case Unit::decibelsPerOctave: return apart;
    case Unit::cents: return apart / 3.0;
    case Unit::semitones: return apart / 0.5;
    case Unit::percent: return apart / 6.0;
    case Unit::degrees: return std::min(apart, 360.0 - apart) / 30.0;
    case Unit::milliseconds: return apart / (4.0 + 0.25 * std::min(a, b));
    case Unit::hertz:
        if (a > 0.0 && b > 0.0) return std::abs(std::log2(a / b)) / 0.125;
        break;
    default: break;
    }
    return std::abs(d.toUnit(a) - d.toUnit(b)) / 0.04; // of the scale
}

} // namespace facet
