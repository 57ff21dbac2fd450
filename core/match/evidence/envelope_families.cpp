#include "core/match/evidence/envelope_families.h"

#include <cmath>
#include <complex>
#include <numbers>

namespace facet {

namespace {

using Family = SpectralEnvelopeMotion::Family;

constexpr double pi = std::numbers::pi;

double syncedGain(double semitones, int n) {
    const double ratio = std::exp2(semitones / 12.0);
    const int jumps = static_cast<int>(std::ceil(ratio)) - 1;
    std::complex<double> sum = ratio - jumps;
    for (int k = 1; k <= jumps; ++k) sum += std::polar(1.0, -2.0 * pi * n * k / ratio);
    return std::abs(sum);
}

/// Of an effect that mixes what comes in and what it fed back, half and half: `turn` is what its loop does.
double loopedGain(std::complex<double> turn, double feedback) { return std::abs(1.0 + turn / (1.0 - feedback * turn)); }

} // namespace

std::vector<EnvelopeFamily> envelopeFamilies() {
    std::vector<EnvelopeFamily> all;
    all.push_back({Family::pulse, 0, 0.0, 2.0, 1.0, 97,
                   [](double width, int n, double) { return std::abs(std::sin(pi * n * width / 100.0)); }});
    all.push_back({Family::synced, 0, 0.0, 1.0, 0.5, 79,
                   [](double semitones, int n, double) { return syncedGain(semitones, n); }});
    for (double feedback : {0.0, 0.5, -0.5}) {
        for (int stages : {4, 6, 8, 12})
            all.push_back({Family::phaser, stages, feedback, 12.0 * std::log2(100.0), 1.0, 68,
                           [=](double semitones, int n, double hz) {
                               const double angle = std::atan(n * hz / std::exp2(semitones / 12.0));
                               return loopedGain(std::polar(1.0, -2.0 * stages * angle), feedback);
                           }});
        all.push_back({Family::flanger, 0, feedback, 0.3, 0.02, 486, [=](double ms, int n, double hz) {
                           return loopedGain(std::polar(1.0, -2.0 * pi * n * hz * ms / 1000.0), feedback);
                       }});
    }
    return all;
}

} // namespace facet
