#include "core/analysis/notes/tempo.h"

#include <cmath>
#include <complex>
#include <numbers>

namespace facet {

namespace {

constexpr double slowest = 60.0;
constexpr double fastest = 180.0;
constexpr double usual = 110.0;
constexpr double usualOctaves = 0.6; ///< spread of usual tempos
constexpr double sameStart = 0.03;   ///< notes of a chord start together
constexpr std::size_t fewestStarts = 4;

/// Length of the mean of the starts' phases on a grid; 1 when all lie on it.
double agreement(const std::vector<double>& starts, double step) {
    std::complex<double> sum = 0.0;
    for (double start : starts) sum += std::polar(1.0, 2.0 * std::numbers::pi * (start - starts.front()) / step);
    return std::abs(sum) / static_cast<double>(starts.size());
}

double score(const std::vector<double>& starts, double beatsPerMinute) {
    const double sixteenth = 15.0 / beatsPerMinute;
    const double octaves = std::log2(beatsPerMinute / usual) / usualOctaves;
    return (0.6 * agreement(starts, sixteenth) + 0.25 * agreement(starts, 2.0 * sixteenth) +
            0.15 * agreement(starts, 4.0 * sixteenth)) *
           (0.7 + 0.3 * std::exp(-0.5 * octaves * octaves));
}

} // namespace

TempoEstimate estimateTempo(const std::vector<Note>& notes) {
    std::vector<double> starts;
    for (const Note& note : notes)
        if (starts.empty() || note.start - starts.back() > sameStart) starts.push_back(note.start);
    TempoEstimate estimate;
    if (starts.size() < fewestStarts) return estimate;
    double best = 0.0;
    for (double tempo = slowest; tempo <= fastest; tempo += 0.05)
        if (const double value = score(starts, tempo); value > best) {
            best = value;
            estimate.beatsPerMinute = tempo;
        }
    estimate.confidence = agreement(starts, 15.0 / estimate.beatsPerMinute);
    // Musicians type whole numbers: one that fits as well is meant.
    const double whole = std::round(estimate.beatsPerMinute);
    if (agreement(starts, 15.0 / whole) > estimate.confidence - 0.02) estimate.beatsPerMinute = whole;
    return estimate;
}

} // namespace facet
