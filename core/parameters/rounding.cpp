#include "core/parameters/rounding.h"

#include <algorithm>
#include <cmath>

namespace facet {

double roundedTo(const ParameterDescriptor& d, double value, int digits) {
    if (d.isDiscrete() || value == 0.0) return value;
    const auto inSteps = [&](double coarse) {
        if (digits >= 3) return std::round(value * 10.0) / 10.0;
        const double step = digits == 1 ? coarse : 1.0;
        return std::round(value / step) * step;
    };
    double rounded = 0.0;
    switch (d.unit) {
    case Unit::decibels: rounded = inSteps(3.0); break;
    case Unit::percent:
    case Unit::cents: rounded = inSteps(5.0); break;
    case Unit::semitones:
    case Unit::decibelsPerOctave: rounded = inSteps(1.0); break;
    case Unit::degrees: rounded = inSteps(15.0); break;
    default: {
        if (d.module == ModuleKind::delay && d.field == "time") digits = std::min(3, digits + 1);
        const double scale = std::pow(10.0, digits - 1 - std::floor(std::log10(std::abs(value))));
        rounded = std::round(value * scale) / scale;
    }
    }
    return d.nearest(rounded);
}

} // namespace facet
