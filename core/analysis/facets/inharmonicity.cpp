#include "core/analysis/facets/inharmonicity.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

constexpr int longestFrames = 16384;
constexpr int shortestFrames = 4096;
constexpr double clearDb = 45.0; ///< partials farther below the strongest do not count
constexpr int fewestPartials = 5;
constexpr int mostPartials = 24;

/// Levels in dB of the bins around the middle of a note, as many as its length allows.
class LongSpectrum {
public:
    LongSpectrum(std::span<const float> mono, double start, double end) {
        // The onset's own spectrum is left out.
        const double from = start + 0.15 * (end - start);
        size_ = longestFrames;
        while (size_ > shortestFrames && size_ > (end - from) * analysisRateHz) size_ /= 2;
        if (size_ > 1.05 * (end - from) * analysisRateHz) {
            size_ = 0;
            return;
        }
        RealFft fft(size_);
        const int begin = static_cast<int>(std::lround(0.5 * (from + end) * analysisRateHz)) - size_ / 2;
        windowedFrame(mono, begin, blackmanHarrisWindow(size_), fft.time());
        fft.forward();
        for (const auto& bin : fft.bins())
            db_.push_back(dbFromPower(std::norm(bin) / static_cast<double>(size_) + 1e-12));
    }
    bool usable() const { return size_ > 0; }
    double binHz() const { return static_cast<double>(analysisRateHz) / size_; }
    /// Highest bin within [low, high] Hz; −1 when the range lies outside or its highest is at an edge, no peak of its
    /// own.
    int peakBetween(double low, double high) const {
        const int first = std::max(1, static_cast<int>(std::ceil(low / binHz())));
        const int last = std::min(static_cast<int>(db_.size()) - 2, static_cast<int>(std::floor(high / binHz())));
        if (last < first) return -1;
        int peak = first;
        for (int b = first; b <= last; ++b)
            if (level(b) > level(peak)) peak = b;
        return level(peak) >= level(peak - 1) && level(peak) >= level(peak + 1) ? peak : -1;
    }
    double level(int bin) const { return db_[static_cast<std::size_t>(bin)]; }
    /// Median level between two frequencies.
    double typicalLevel(double low, double high) const {
        const auto first = static_cast<std::ptrdiff_t>(std::max(0.0, low / binHz()));
        const auto last =
            std::min(static_cast<std::ptrdiff_t>(db_.size()), static_cast<std::ptrdiff_t>(high / binHz()) + 1);
        if (last <= first) return silenceDb;
        std::vector<double> part(db_.begin() + first, db_.begin() + last);
        std::nth_element(part.begin(), part.begin() + static_cast<std::ptrdiff_t>(part.size() / 2), part.end());
        return part[part.size() / 2];
    }
    /// Level of a peak by the same parabola.
    double peakLevel(int peak) const {
        const double shift = frequencyOf(peak) / binHz() - peak;
        return level(peak) - 0.25 * (level(peak - 1) - level(peak + 1)) * shift;
    }
    /// Frequency of a peak by a parabola through three bins in dB, which suits this window.
    double frequencyOf(int peak) const {
        const double a = level(peak - 1);
        const double b = level(peak);
        const double c = level(peak + 1);
        const double curvature = a - 2.0 * b + c;
        return (peak + (curvature < 0.0 ? std::clamp(0.5 * (a - c) / curvature, -0.5, 0.5) : 0.0)) * binHz();
    }

private:
    int size_ = 0;
    std::vector<double> db_;
};

} // namespace

double Inharmonicity::tenthPartialCents() const {
    return isMeasured(coefficient) ? 600.0 * std::log2((1.0 + 100.0 * coefficient) / (1.0 + coefficient))
                                   : notMeasurable;
}

Inharmonicity measureInharmonicity(std::span<const float> mono48k, double start, double end, double f0Hz) {
    Inharmonicity result;
    const LongSpectrum spectrum(mono48k, start, end);
    if (!spectrum.usable() || f0Hz < 5.0 * spectrum.binHz()) return result;
    // From partial to partial: each is looked for near where the ones before lead to.
    struct Partial {
        double n;
        double hz;
        double weight;
    };
    std::vector<Partial> partials;
    double strongest = silenceDb;
    double coefficient = 0.0;
    double first = f0Hz;
    const auto fit = [&] {
        // (fₙ/n)² = f₀² + f₀² B n²: a straight line over n².
        double w = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
        for (const Partial& p : partials) {
            const double u = p.n * p.n;
            const double v = p.hz * p.hz / u;
            w += p.weight;
            x += p.weight * u;
            y += p.weight * v;
            xx += p.weight * u * u;
            xy += p.weight * u * v;
        }
        const double slope = (w * xy - x * y) / (w * xx - x * x);
        const double origin = (y - slope * x) / w;
        first = std::sqrt(std::max(1.0, origin));
        coefficient = slope / std::max(1.0, origin);
    };
    for (int n = 1; n <= mostPartials; ++n) {
        const double expected = n * first * std::sqrt(std::max(0.25, 1.0 + coefficient * n * n));
        if (expected > 0.45 * analysisRateHz) break;
        const double reach = std::min(0.35 * f0Hz, std::max(3.0 * spectrum.binHz(), 0.02 * expected));
        const int peak = spectrum.peakBetween(expected - reach, expected + reach);
        if (peak < 0) continue;
        strongest = std::max(strongest, spectrum.level(peak));
        if (spectrum.level(peak) < strongest - clearDb) continue;
        partials.push_back({static_cast<double>(n), spectrum.frequencyOf(peak), 1.0 / n});
        if (partials.size() >= 3) fit();
    }
    if (partials.size() < fewestPartials) return result;
    double square = 0.0;
    for (const Partial& p : partials) {
        const double cents =
            1200.0 * std::log2(p.hz / (p.n * first * std::sqrt(std::max(0.25, 1.0 + coefficient * p.n * p.n))));
        square += cents * cents;
    }
    const double apart = std::sqrt(square / static_cast<double>(partials.size()));
    result.confidence = 1.0 / (1.0 + apart * apart / 9.0); // 3 cents off the law on average: doubtful
    if (result.confidence < 0.3) return result;
    // Less than the spectrum resolves counts as none.
    result.coefficient = std::abs(coefficient) < 2e-6 ? 0.0 : coefficient;
    return result;
}

double measureSubOctave(std::span<const float> mono48k, double start, double end, double f0Hz) {
    const LongSpectrum spectrum(mono48k, start, end);
    if (!spectrum.usable() || 0.5 * f0Hz < 8.0 * spectrum.binHz()) return notMeasurable;
    constexpr double floorDb = -60.0;
    double strongest = silenceDb;
    double below = silenceDb;
    const double reach = std::max(2.0 * spectrum.binHz(), 0.01 * f0Hz);
    for (int k = 1; k <= 12 && 0.5 * k * f0Hz < 0.45 * analysisRateHz; ++k) {
        const double hz = 0.5 * k * f0Hz;
        const int peak = spectrum.peakBetween(hz - reach, hz + reach);
        if (peak < 0) continue;
        // The side bands of a gate fill the room between partials; a voice of its own stands out of it.
        constexpr double standsOutDb = 15.0;
        if (k % 2 && spectrum.level(peak) < spectrum.typicalLevel(hz - 0.3 * f0Hz, hz + 0.3 * f0Hz) + standsOutDb)
            continue;
        double& highest = k % 2 ? below : strongest;
        highest = std::max(highest, spectrum.peakLevel(peak));
    }
    return strongest > silenceDb + 20.0 ? std::max(floorDb, below - strongest) : notMeasurable;
}

} // namespace facet
