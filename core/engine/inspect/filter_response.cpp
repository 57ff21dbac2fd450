#include "core/engine/inspect/filter_response.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace facet {

namespace {

using Complex = std::complex<double>;

/// One section of second order of a state-variable kind; s in units of the cutoff.
Complex section(FilterKind kind, Complex s, double damping) {
    const Complex below = 1.0 + damping * s + s * s;
    switch (kind) {
    case FilterKind::highPass: return s * s / below;
    case FilterKind::bandPass: return damping * s / below;
    case FilterKind::notch: return (1.0 + s * s) / below;
    default: return 1.0 / below;
    }
}

} // namespace

double filterGainDb(const kernels::FilterStructure& structure, const kernels::FilterTargets& targets, double hz,
                    double rateHz) {
    const double pi = std::numbers::pi;
    const double cutoff = std::clamp(std::exp2(static_cast<double>(targets.cutoffLog2)), 5.0, 0.47 * rateHz);
    const Complex s(0.0, std::tan(pi * std::min(hz, 0.499 * rateHz) / rateHz) / std::tan(pi * cutoff / rateHz));
    const double feedback = static_cast<double>(targets.feedback);
    Complex h = 1.0;
    switch (structure.kind) {
    case FilterKind::ladder: {
        const Complex pole = 1.0 / (1.0 + s);
        const Complex four = std::pow(pole, 4);
        h = (structure.fourPole ? four : pole * pole) / (1.0 + feedback * four);
        break;
    }
    case FilterKind::comb: {
        const double f = std::clamp(feedback, -0.998, 0.998);
        const double period = std::max(3.0, rateHz / cutoff);
        h = std::sqrt(1.0 - f * f) / (1.0 - f * std::polar(1.0, -2.0 * pi * hz / rateHz * period));
        break;
    }
    case FilterKind::allPass: {
        const Complex chain = std::pow((1.0 - s) / (1.0 + s), structure.stages);
        h = chain / (1.0 - std::clamp(feedback, -0.98, 0.98) * chain);
        break;
    }
    default:
        h = section(structure.kind, s, static_cast<double>(targets.damping1));
        if (structure.fourPole) h *= section(structure.kind, s, static_cast<double>(targets.damping2));
    }
    h = 1.0 + static_cast<double>(targets.mix) * (h - 1.0);
    return 20.0 * std::log10(std::max(1e-9, std::abs(h)));
}

} // namespace facet
