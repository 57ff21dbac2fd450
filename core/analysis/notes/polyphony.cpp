#include "core/analysis/notes/polyphony.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <span>

namespace facet {

namespace {

constexpr int spectrumFrames = 8192;
constexpr double spectrumBinHz = static_cast<double>(analysisRateHz) / spectrumFrames;
constexpr int spectrumBins = 1024; ///< to 6 kHz
constexpr int lowestPolyphonicKey = 26, highestPolyphonicKey = 96;
constexpr int keyCount = highestPolyphonicKey - lowestPolyphonicKey + 1;
constexpr int partialCount = 24;
constexpr int passBands = 14;                      ///< of equal ratio from 60 Hz to 6 kHz
constexpr int elementCount = keyCount + passBands; ///< the keys, then noise in each band
constexpr int rounds = 4, updates = 25, lastUpdates = 40;
constexpr double noiseWeight = 0.05;
constexpr double noiseCost = 2.0;       ///< keys are preferred where both explain the same
constexpr double softestKey = 0.1;      ///< re the loudest of an instant
constexpr std::size_t denseKeys = 10;   ///< the lowest: between their partials there is hardly room for others
constexpr int looked = 4, standing = 2; ///< of a key's lowest partials, so many stand out at least
constexpr double standsOut = 2.0;       ///< times what lies half-way to its neighbors
constexpr double leastGain = 0.025;     ///< share of the divergence from nothing that a key must explain

/// Magnitude of a Hann window's transform at a distance in bins, re its maximum.
double hannLobe(double bins) {
    const double x = std::abs(bins);
    if (x < 1e-6) return 1.0;
    if (x >= 2.0) return 0.0;
    if (std::abs(x - 1.0) < 1e-6) return 0.5;
    return std::sin(std::numbers::pi * x) / (std::numbers::pi * x) / (1.0 - x * x);
}

double passBandOf(double hz) {
    return std::clamp((passBands - 1) * std::log(hz / 60.0) / std::log(100.0), 0.0, passBands - 1.001);
}

/// Where one partial of one key lies, or one band of what has no keys.
struct Line {
    int element, partial, firstBin; ///< partial −1: noise
    double band;                    ///< place among the pass bands
    std::vector<double> lobe;
    double sum = 0.0; ///< of the lobe
};

std::vector<Line> linesFor(double tuningCents) {
    std::vector<Line> lines;
    for (int key = 0; key < keyCount; ++key)
        for (int n = 1; n <= partialCount; ++n) {
            const double hz = n * hzFromKey(lowestPolyphonicKey + key, tuningCents);
            const double bin = hz / spectrumBinHz;
            if (bin + 3.0 >= spectrumBins) break;
            Line line{key, n - 1, static_cast<int>(std::ceil(bin - 2.0)), passBandOf(hz), {}};
            for (int b = line.firstBin; b <= static_cast<int>(bin + 2.0); ++b) line.lobe.push_back(hannLobe(b - bin));
            lines.push_back(std::move(line));
        }
    // Onsets and ends smear the spectrum; without something that explains it low keys would, whose partials lie dense.
    for (int band = 0; band < passBands; ++band) {
        Line line{keyCount + band, -1, -1, static_cast<double>(band), {}};
        for (int b = 2; b < spectrumBins; ++b) {
            const double share = 1.0 - std::abs(passBandOf(b * spectrumBinHz) - band);
            if (share <= 0.0) continue;
            if (line.firstBin < 0) line.firstBin = b;
            line.lobe.push_back(share);
        }
        if (line.firstBin >= 0) lines.push_back(std::move(line));
    }
    for (Line& line : lines) line.sum = std::accumulate(line.lobe.begin(), line.lobe.end(), 0.0);
    return lines;
}

using Spectrum = std::vector<double>;

Spectrum spectrumAt(RealFft& fft, const HeardSound& sound, double seconds) {
    windowedFrame(sound.mono, static_cast<int>(seconds * analysisRateHz) - spectrumFrames / 2,
                  hannWindow(spectrumFrames), fft.time());
    fft.forward();
    Spectrum spectrum(spectrumBins);
    for (int b = 0; b < spectrumBins; ++b)
        spectrum[static_cast<std::size_t>(b)] = std::abs(fft.bins()[static_cast<std::size_t>(b)]);
    return spectrum;
}

/// One sound, and how loud its keys are at some instants.
class Decomposition {
public:
    Decomposition(std::vector<Spectrum> spectra, double tuningCents)
        : spectra_(std::move(spectra)), lines_(linesFor(tuningCents)),
          levels_(spectra_.size(), Levels(elementCount, 1.0)), partials_(partialCount),
          pass_(spectra_.size(), std::vector<double>(passBands, 1.0)), tuningCents_(tuningCents) {
        for (int n = 0; n < partialCount; ++n) partials_[static_cast<std::size_t>(n)] = 1.0 / (n + 1.0);
        for (std::size_t line = 0; line < lines_.size(); ++line) {
            const auto element = static_cast<std::size_t>(lines_[line].element);
            if (linesAt_.size() <= element) linesAt_.resize(element + 1, line);
        }
        linesAt_.resize(elementCount + 1, lines_.size());
        for (std::size_t i = 0; i < spectra_.size(); ++i) {
            const double top = *std::max_element(spectra_[i].begin(), spectra_[i].end());
            floor_.push_back(1e-3 * top + 1e-12);
        }
    }

    void fit(const Task& task) {
        for (int round = 0; round < rounds; ++round) {
            for (std::size_t i = 0; i < spectra_.size(); ++i) {
                task.check();
                updateLevels(i, updates);
                leaveOut(i, 0.003 * (round + 1.0));
            }
            if (round + 1 < rounds) updateSound();
        }
        for (std::size_t i = 0; i < spectra_.size(); ++i) {
            task.check();
            prune(i);
        }
    }

    const std::vector<std::vector<double>>& levels() const { return levels_; }

    /// By keys alone.
    double explained() {
        double left = 0.0, nothing = 1e-12;
        for (std::size_t i = 0; i < spectra_.size(); ++i) {
            const Levels before = levels_[i];
            std::fill(levels_[i].begin() + keyCount, levels_[i].end(), 0.0);
            updateLevels(i, 8);
            left += divergenceOf(i, levels_[i]);
            nothing += divergenceOf(i, Levels(elementCount, 0.0));
            levels_[i] = before;
        }
        return 1.0 - left / nothing;
    }

    double overtones() const {
        double first = 1e-12, above = 0.0;
        for (std::size_t i = 0; i < levels_.size(); ++i)
            for (const Line& line : lines_)
                if (line.partial >= 0)
                    (line.partial == 0 ? first : above) +=
                        levels_[i][static_cast<std::size_t>(line.element)] * weightOf(line, i);
        return above / (first + above);
    }

private:
    using Levels = std::vector<double>;

    /// They lie in the order of the elements.
    std::span<const Line> linesOf(std::size_t element) const {
        return std::span(lines_).subspan(linesAt_[element], linesAt_[element + 1] - linesAt_[element]);
    }

    double weightOf(const Line& line, std::size_t i) const {
        if (line.partial < 0) return noiseWeight;
        const auto low = static_cast<std::size_t>(line.band);
        const double share = line.band - static_cast<double>(low);
        return partials_[static_cast<std::size_t>(line.partial)] *
               ((1.0 - share) * pass_[i][low] + share * pass_[i][low + 1]);
    }

    Spectrum modelOf(const Levels& levels, std::size_t i) const {
        Spectrum model(spectrumBins, floor_[i]);
        for (std::size_t element = 0; element < levels.size(); ++element) {
            if (levels[element] <= 0.0) continue;
            for (const Line& line : linesOf(element)) {
                const double weight = levels[element] * weightOf(line, i);
                for (std::size_t b = 0; b < line.lobe.size(); ++b)
                    model[static_cast<std::size_t>(line.firstBin) + b] += weight * line.lobe[b];
            }
        }
        return model;
    }

    void updateLevels(std::size_t i, int times) {
        Levels& levels = levels_[i];
        Spectrum ratio(spectrumBins);
        for (int time = 0; time < times; ++time) {
            const Spectrum model = modelOf(levels, i);
            Levels up(elementCount, 0.0), down(elementCount, 1e-12);
            for (std::size_t b = 0; b < ratio.size(); ++b) ratio[b] = spectra_[i][b] / model[b];
            for (std::size_t key = 0; key < levels.size(); ++key) {
                if (levels[key] <= 0.0) continue;
                for (const Line& line : linesOf(key)) {
                    double seen = 0.0;
                    for (std::size_t b = 0; b < line.lobe.size(); ++b)
                        seen += line.lobe[b] * ratio[static_cast<std::size_t>(line.firstBin) + b];
                    const double weight = weightOf(line, i);
                    up[key] += weight * seen;
                    down[key] += weight * line.sum * (line.partial < 0 ? noiseCost : 1.0);
                }
            }
            for (std::size_t key = 0; key < levels.size(); ++key) levels[key] *= up[key] / down[key];
        }
    }

    /// Partials, from all instants together, and what passes at each.
    void updateSound() {
        for (int time = 0; time < 4; ++time) {
            std::vector<double> up(partialCount, 1e-9), down(partialCount, 1e-9);
            for (std::size_t i = 0; i < spectra_.size(); ++i) {
                std::vector<double> upPass(passBands, 1e-9), downPass(passBands, 1e-9);
                const Spectrum model = modelOf(levels_[i], i);
                for (const Line& line : lines_) {
                    const double level = levels_[i][static_cast<std::size_t>(line.element)];
                    if (level <= 0.0 || line.partial < 0) continue;
                    const double weight = level * weightOf(line, i);
                    double seen = 0.0, expected = 0.0;
                    for (std::size_t b = 0; b < line.lobe.size(); ++b) {
                        const std::size_t bin = static_cast<std::size_t>(line.firstBin) + b;
                        seen += weight * line.lobe[b] * spectra_[i][bin] / model[bin];
                        expected += weight * line.lobe[b];
                    }
                    const auto n = static_cast<std::size_t>(line.partial);
                    const auto low = static_cast<std::size_t>(line.band);
                    const double share = line.band - static_cast<double>(low);
                    up[n] += seen;
                    down[n] += expected;
                    upPass[low] += (1.0 - share) * seen;
                    downPass[low] += (1.0 - share) * expected;
                    upPass[low + 1] += share * seen;
                    downPass[low + 1] += share * expected;
                }
                // Half steps: both explain the same lines.
                scale(pass_[i], upPass, downPass);
            }
            scale(partials_, up, down);
        }
    }

    static void scale(std::vector<double>& values, const std::vector<double>& up, const std::vector<double>& down) {
        for (std::size_t k = 0; k < values.size(); ++k) values[k] *= std::sqrt(up[k] / down[k]);
        const double top = *std::max_element(values.begin(), values.end());
        for (double& value : values) value = std::max(1e-4, value / top);
    }

    double divergenceOf(std::size_t i, const Levels& levels) const {
        const Spectrum model = modelOf(levels, i);
        double sum = 0.0;
        for (std::size_t b = 2; b < model.size(); ++b) {
            const double seen = spectra_[i][b] + 1e-12;
            sum += seen * std::log(seen / model[b]) - seen + model[b];
        }
        return sum;
    }

    /// Keys softer than this share of the loudest are heard no more.
    void leaveOut(std::size_t i, double share) {
        Levels& levels = levels_[i];
        const double loudest = *std::max_element(levels.begin(), levels.begin() + keyCount);
        for (std::size_t key = 0; key < keyCount; ++key)
            if (levels[key] < share * loudest) levels[key] = 0.0;
    }

    /// Whether a key's lowest partials stand out of the spectrum: those of low keys lie so dense that they explain
    /// noise, and what an onset or an end smears.
    bool stands(std::size_t i, std::size_t key) const {
        const double spacing = hzFromKey(lowestPolyphonicKey + static_cast<int>(key), tuningCents_) / spectrumBinHz;
        const auto highest = [&](double from, double to) {
            double top = 0.0;
            for (int b = std::max(1, static_cast<int>(std::lround(from))); b <= std::lround(to) && b < spectrumBins;
                 ++b)
                top = std::max(top, spectra_[i][static_cast<std::size_t>(b)]);
            return top;
        };
        int found = 0;
        for (int n = 1; n <= looked; ++n) {
            const double at = n * spacing;
            const double beside = 0.5 * (highest(at - 0.6 * spacing, at - 0.4 * spacing) +
                                         highest(at + 0.4 * spacing, at + 0.6 * spacing));
            found += highest(at - 1.0, at + 1.0) > standsOut * beside;
        }
        return found >= standing;
    }

    /// Leaves out keys that are soft or do not stand out, then one by one those that explain little.
    void prune(std::size_t i) {
        Levels& levels = levels_[i];
        leaveOut(i, softestKey);
        // Beside others only: what is left to a low key alone is a low note.
        const bool others = std::any_of(levels.begin() + denseKeys, levels.begin() + keyCount,
                                        [](double level) { return level > 0.0; });
        for (std::size_t key = 0; others && key < denseKeys; ++key)
            if (levels[key] > 0.0 && !stands(i, key)) levels[key] = 0.0;
        updateLevels(i, lastUpdates);
        const double nothing = divergenceOf(i, Levels(elementCount, 0.0));
        while (std::count_if(levels.begin(), levels.begin() + keyCount, [](double l) { return l > 0.0; }) > 0) {
            const Levels before = levels;
            const double here = divergenceOf(i, before);
            double least = 1e300;
            Levels without;
            for (std::size_t key = 0; key < keyCount; ++key) {
                if (before[key] <= 0.0) continue;
                levels = before;
                levels[key] = 0.0;
                updateLevels(i, 8);
                const double rise = divergenceOf(i, levels) - here;
                if (rise >= least) continue;
                least = rise;
                without = levels;
            }
            levels = least < leastGain * nothing ? without : before;
            if (levels == before) break;
        }
    }

    std::vector<Spectrum> spectra_;
    std::vector<Line> lines_;
    std::vector<std::size_t> linesAt_; ///< first of each element, and their end
    std::vector<double> floor_;
    std::vector<Levels> levels_;
    std::vector<double> partials_;
    std::vector<std::vector<double>> pass_; ///< of each instant: filters move
    double tuningCents_;
};

} // namespace

KeyLevels keysTogether(const HeardSound& sound, const std::vector<std::vector<double>>& stretches, double tuningCents) {
    KeyLevels found{lowestPolyphonicKey, {}, {}};
    RealFft fft(spectrumFrames);
    std::vector<Spectrum> spectra;
    for (const std::vector<double>& instants : stretches) {
        Spectrum power(spectrumBins, 0.0);
        for (double seconds : instants) {
            const Spectrum one = spectrumAt(fft, sound, seconds);
            for (std::size_t b = 0; b < power.size(); ++b)
                power[b] += one[b] * one[b] / static_cast<double>(instants.size());
        }
        for (double& each : power) each = std::sqrt(each);
        spectra.push_back(std::move(power));
        found.instants.push_back(instants.front());
    }
    if (spectra.empty()) return found;
    Decomposition decomposition(std::move(spectra), tuningCents);
    decomposition.fit(sound.task);
    found.levels = decomposition.levels();
    found.explained = decomposition.explained();
    found.overtones = decomposition.overtones();
    double loudest = 1e-12;
    for (auto& levels : found.levels) levels.resize(keyCount);
    for (const auto& levels : found.levels)
        loudest = std::max(loudest, *std::max_element(levels.begin(), levels.end()));
    for (auto& levels : found.levels)
        for (double& level : levels) level /= loudest;
    return found;
}

KeyLevels keysTogether(const HeardSound& sound, const std::vector<double>& instants, double tuningCents) {
    std::vector<std::vector<double>> each;
    for (double seconds : instants) each.push_back({seconds});
    return keysTogether(sound, each, tuningCents);
}

} // namespace facet
