#include "core/measuring/outermost_voice.h"

#include "core/dsp/fft.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <numbers>
#include <vector>

namespace facet {

namespace {

constexpr double leastSeconds = 0.25;
constexpr double standsOutDb = 14.0; ///< below the strongest line of its partial
constexpr double soundsDb = 60.0;    ///< below the strongest line of all
constexpr double highestHz = 10000.0;
constexpr double roomBetween = 0.42; ///< of the way to the next partial that the lines of one may take

/// Magnitudes of a part, all channels together, under a Hann window.
struct Lines {
    std::vector<double> magnitudes;
    double binHz;
    double apartHz; ///< two lines nearer than this are one
};

Lines linesOf(const Recording& note, double from, double until) {
    const auto begin = static_cast<int>(from * note.rateHz);
    const int end = std::min(note.frameCount(), static_cast<int>(until * note.rateHz));
    const int length = end - begin;
    const int size = 2 * static_cast<int>(std::bit_ceil(static_cast<unsigned>(length)));
    RealFft fft(size);
    Lines lines{std::vector<double>(static_cast<std::size_t>(fft.binCount())), static_cast<double>(note.rateHz) / size,
                2.0 * note.rateHz / length};
    for (const auto& channel : note.channels) {
        const auto time = fft.time();
        std::fill(time.begin(), time.end(), 0.0f);
        for (int i = 0; i < length; ++i)
            time[static_cast<std::size_t>(i)] =
                static_cast<float>(channel[static_cast<std::size_t>(begin + i)] *
                                   (0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * i / length)));
        fft.forward();
        for (std::size_t i = 0; i < lines.magnitudes.size(); ++i)
            lines.magnitudes[i] = std::hypot(lines.magnitudes[i], std::abs(fft.bins()[i]));
    }
    return lines;
}

/// Half of the way between the outermost lines of a partial in cents; not a number where it does not sound.
double halfWidthCents(const Lines& lines, double f0Hz, int partial, double loudest) {
    const double hz = partial * f0Hz, side = std::min(0.5 * f0Hz, 0.08 * hz + lines.apartHz);
    const auto first = static_cast<std::size_t>((hz - side) / lines.binHz);
    const auto last = std::min(lines.magnitudes.size() - 2, static_cast<std::size_t>((hz + side) / lines.binHz));
    if (first < 1 || first >= last) return std::numeric_limits<double>::quiet_NaN();
    const auto& m = lines.magnitudes;
    const double strongest = *std::max_element(m.begin() + static_cast<std::ptrdiff_t>(first),
                                               m.begin() + static_cast<std::ptrdiff_t>(last));
    if (strongest < loudest * std::pow(10.0, -soundsDb / 20.0)) return std::numeric_limits<double>::quiet_NaN();
    const double least = strongest * std::pow(10.0, -standsOutDb / 20.0);
    std::size_t lowest = last, highest = first;
    for (std::size_t i = first; i <= last; ++i)
        if (m[i] >= least && m[i] >= m[i - 1] && m[i] >= m[i + 1]) {
            lowest = std::min(lowest, i);
            highest = std::max(highest, i);
        }
    if (highest <= lowest) return 0.0;
    return 600.0 * std::log2(static_cast<double>(highest) / static_cast<double>(lowest));
}

} // namespace

double outermostVoiceCents(const Recording& note, double from, double until, double f0Hz) {
    if (!(until - from >= leastSeconds)) return std::numeric_limits<double>::quiet_NaN();
    const Lines lines = linesOf(note, from, until);
    const double loudest = *std::max_element(lines.magnitudes.begin(), lines.magnitudes.end());
    const int most = std::max(2, static_cast<int>(highestHz / f0Hz));
    // Voices far apart are told by low partials, near ones by high ones: the highest whose lines keep apart.
    double cents = std::numeric_limits<double>::quiet_NaN();
    for (int highest = 2; highest <= most; highest = std::max(highest + 1, highest * 3 / 2)) {
        std::vector<double> widths;
        for (int k = std::max(2, highest * 2 / 3); k <= highest; ++k)
            if (const double width = halfWidthCents(lines, f0Hz, k, loudest); std::isfinite(width))
                widths.push_back(width);
        if (widths.empty()) break;
        std::nth_element(widths.begin(), widths.begin() + static_cast<std::ptrdiff_t>(widths.size() / 2), widths.end());
        const double width = widths[widths.size() / 2];
        const double taken = highest * (std::exp2(width / 1200.0) - 1.0);
        if (std::isfinite(cents) && taken > roomBetween) break;
        cents = width;
    }
    return cents;
}

} // namespace facet
