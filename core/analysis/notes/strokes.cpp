#include "core/analysis/notes/strokes.h"

#include "core/analysis/notes/note_starts.h"
#include "core/audio/recording.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace facet {

namespace {

using Spectrum = std::vector<double>;

// Of the flux: bands of a quarter tone from 30 Hz on, every 10 ms.
constexpr int fluxFrames = 2048;
constexpr double fluxStep = 0.01; ///< seconds
constexpr int fluxLag = 3;        ///< steps
constexpr int bandsPerOctave = 24;
constexpr double lowestBandHz = 30.0, highestBandHz = 9000.0;
constexpr double compression = 1000.0; ///< a band 60 dB below the loudest still counts

// Of the spectra that are compared.
constexpr int lookFrames = 8192;
constexpr double lookStep = 0.05;           ///< seconds
constexpr int firstBin = 4, lastBin = 1024; ///< 23 Hz to 6 kHz

// What a stroke must be worth; chosen by hand on chords of known making.
constexpr double weakest = 0.07; ///< of the strongest: weaker peaks are no strokes
constexpr double cost = 1.4;     ///< of a stroke, as divergence of the looks it tells apart
constexpr double worthOfStrength = 7.0;
constexpr double longestPart = 16.0; ///< seconds: no chord is longer

Spectrum magnitudesAt(RealFft& fft, const HeardSound& sound, double seconds) {
    const int size = fft.size();
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - size / 2, hannWindow(size), fft.time());
    fft.forward();
    Spectrum magnitudes;
    for (const std::complex<float>& bin : fft.bins()) magnitudes.push_back(std::abs(bin));
    return magnitudes;
}

/// Edges of the bands as bins, none of them empty.
std::vector<std::size_t> bandEdges() {
    std::vector<std::size_t> edges;
    for (double hz = lowestBandHz; hz < highestBandHz; hz *= std::exp2(1.0 / bandsPerOctave)) {
        const auto bin = static_cast<std::size_t>(std::lround(hz * fluxFrames / analysisRateHz));
        if (bin > 0 && (edges.empty() || bin > edges.back())) edges.push_back(bin);
    }
    return edges;
}

/// For each step the sum of what bands rise by.
std::vector<double> fluxOf(const HeardSound& sound) {
    const std::vector<std::size_t> edges = bandEdges();
    const std::size_t bands = edges.size() - 1;
    RealFft fft(fluxFrames);
    std::vector<Spectrum> levels;
    double loudest = 1e-12;
    for (double t = 0.0; t < sound.seconds(); t += fluxStep) {
        sound.task.check();
        const Spectrum magnitudes = magnitudesAt(fft, sound, t);
        Spectrum& level = levels.emplace_back(bands, 0.0);
        for (std::size_t k = 0; k < bands; ++k) {
            for (std::size_t b = edges[k]; b < edges[k + 1]; ++b)
                level[k] += magnitudes[b] / static_cast<double>(edges[k + 1] - edges[k]);
            loudest = std::max(loudest, level[k]);
        }
    }
    for (Spectrum& level : levels)
        for (double& each : level) each = std::log10(1.0 + compression * each / loudest);
    std::vector<double> flux(levels.size(), 0.0);
    for (std::size_t i = 0; i < levels.size(); ++i)
        for (std::size_t k = 0; k < bands; ++k) {
            double before = 0.0;
            if (i >= fluxLag)
                for (std::size_t other = k > 0 ? k - 1 : 0; other <= std::min(bands - 1, k + 1); ++other)
                    before = std::max(before, levels[i - fluxLag][other]);
            flux[i] += std::max(0.0, levels[i][k] - before);
        }
    return flux;
}

std::vector<Stroke> peaksOf(const std::vector<double>& flux) {
    constexpr std::ptrdiff_t apart = 6;
    constexpr double late = 0.015; // seconds: half the lag
    std::vector<Stroke> strokes;
    if (flux.empty()) return strokes;
    const double strongest = std::max(1e-12, *std::max_element(flux.begin(), flux.end()));
    for (std::ptrdiff_t i = 0; i < std::ssize(flux); ++i) {
        const auto from = flux.begin() + std::max<std::ptrdiff_t>(0, i - apart);
        const auto to = flux.begin() + std::min(std::ssize(flux), i + apart + 1);
        const double here = flux[static_cast<std::size_t>(i)];
        if (here < weakest * strongest || std::max_element(from, to) != flux.begin() + i) continue;
        strokes.push_back({std::max(0.0, static_cast<double>(i) * fluxStep - late), here / strongest});
    }
    return strokes;
}

/// Spectra of the loud moments, each of sum 1, with running sums for the divergence of any part from its mean.
class Looks {
public:
    explicit Looks(const HeardSound& sound) {
        RealFft fft(lookFrames);
        constexpr std::size_t bins = lastBin - firstBin;
        sums_.emplace_back(bins, 0.0);
        information_.push_back(0.0);
        for (double t = 0.5 * lookStep; t < sound.seconds(); t += lookStep) {
            if (sound.coarse.at(t) < sound.loudest - chordRangeDb) continue;
            sound.task.check();
            const Spectrum magnitudes = magnitudesAt(fft, sound, t);
            double all = 1e-12, information = 0.0;
            for (std::size_t b = 0; b < bins; ++b) all += magnitudes[firstBin + b];
            Spectrum sum = sums_.back();
            for (std::size_t b = 0; b < bins; ++b) {
                const double share = magnitudes[firstBin + b] / all;
                sum[b] += share;
                information += share * std::log(share + 1e-9);
            }
            seconds_.push_back(t);
            sums_.push_back(std::move(sum));
            information_.push_back(information_.back() + information);
        }
    }

    /// Divergence of the looks between two instants from their mean, summed.
    double divergenceBetween(double from, double to) const {
        const auto indexOf = [&](double seconds) {
            return static_cast<std::size_t>(std::lower_bound(seconds_.begin(), seconds_.end(), seconds) -
                                            seconds_.begin());
        };
        const std::size_t a = indexOf(from), b = indexOf(to);
        if (b < a + 2) return 0.0;
        double ofMean = 0.0;
        for (std::size_t k = 0; k < sums_[b].size(); ++k) {
            const double sum = sums_[b][k] - sums_[a][k];
            ofMean += sum * std::log(sum / static_cast<double>(b - a) + 1e-9);
        }
        return information_[b] - information_[a] - ofMean;
    }

private:
    std::vector<double> seconds_;
    std::vector<Spectrum> sums_;
    std::vector<double> information_;
};

/// At the rises of the level beside them.
std::vector<Stroke> placed(const HeardSound& sound, std::vector<Stroke> strokes) {
    constexpr double beside = 0.045; // seconds
    const std::vector<NoteStart> rises = risesOf(sound);
    for (Stroke& stroke : strokes) {
        double place = stroke.seconds, distance = beside;
        for (const NoteStart& rise : rises)
            if (std::abs(rise.seconds - stroke.seconds) < distance) {
                distance = std::abs(rise.seconds - stroke.seconds);
                place = rise.seconds;
            }
        stroke.seconds = place;
    }
    return strokes;
}

} // namespace

std::vector<Stroke> strokesOf(const HeardSound& sound) {
    std::vector<Stroke> peaks = peaksOf(fluxOf(sound));
    std::erase_if(peaks, [&](const Stroke& peak) {
        return sound.highestBetween(peak.seconds, peak.seconds + 0.1) < sound.loudest - chordRangeDb;
    });
    if (peaks.size() < 2) return placed(sound, std::move(peaks));
    const Looks looks(sound);
    // The cheapest way to every peak: what all parts before it differ by, and what their strokes cost.
    std::vector<double> cheapest(peaks.size() + 1, 1e300);
    std::vector<std::size_t> before(peaks.size() + 1, 0);
    cheapest[0] = 0.0;
    for (std::size_t to = 1; to <= peaks.size(); ++to) {
        sound.task.check();
        const double end = to < peaks.size() ? peaks[to].seconds : sound.seconds();
        const double price = to < peaks.size() ? cost - worthOfStrength * peaks[to].strength : 0.0;
        for (std::size_t from = 0; from < to; ++from) {
            if (end - peaks[from].seconds > longestPart && from + 1 < to) continue;
            const double sum = cheapest[from] + looks.divergenceBetween(peaks[from].seconds, end) + price;
            if (sum >= cheapest[to]) continue;
            cheapest[to] = sum;
            before[to] = from;
        }
    }
    std::vector<Stroke> strokes;
    for (std::size_t at = peaks.size(); at > 0; at = before[at]) strokes.push_back(peaks[before[at]]);
    std::reverse(strokes.begin(), strokes.end());
    return placed(sound, std::move(strokes));
}

} // namespace facet
