#include "core/match/evidence/analog_response.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <complex>

namespace facet {

double AnalogResponse::gainDb(double octaves) const {
    const double u = std::exp2(octaves);
    const std::complex<double> s(0.0, u);
    const double q = gainFromDb(resonanceDb);
    const auto twoPole = [&](double of) { return 1.0 / (s * s + s / of + 1.0); };
    std::complex<double> h;
    switch (kind) {
    case FilterKind::highPass: h = s * s * twoPole(q); break;
    case FilterKind::bandPass: h = s / std::max(0.3, q) * twoPole(std::max(0.3, q)); break;
    case FilterKind::ladder: {
        const double feedback = std::clamp(4.0 - 1.0 / q, 0.0, 3.97); // so that its gain at the cutoff is the resonance
        const std::complex<double> pole = 1.0 / (1.0 + s);
        const std::complex<double> four = pole * pole * pole * pole;
        h = four / (1.0 + feedback * four);
        break;
    }
    default:
        if (second > 0.0) {
            const auto peak = [&](std::complex<double> at) { return 1.0 / (at * at + at / q + 1.0); };
            h = peak(s) + peak(s * std::exp2(-second));
            break;
        }
        h = slope == FilterSlope::twoPole ? twoPole(q) : twoPole(0.541) * twoPole(q / 0.541);
    }
    return std::max(-100.0, 20.0 * std::log10(std::abs(h) + 1e-9));
}

} // namespace facet
