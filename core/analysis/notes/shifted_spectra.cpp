#include "core/analysis/notes/shifted_spectra.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/window.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <complex>
#include <map>
#include <numbers>
#include <span>
#include <vector>

namespace facet {

namespace {

constexpr int perSemitone = 5;
constexpr int lowestKey = 24, octavesHeard = 9;
constexpr int places = 12 * octavesHeard * perSemitone;
constexpr int keyCount = 73; ///< keys that a note may have, from the lowest on
constexpr int farthest = 36; ///< semitones between two spans that are compared
constexpr float tallestDb = 25.0f;
constexpr int harmonics = 12;
constexpr double perHarmonic = 0.85;

// Weights against a correlation of 1, fitted to the tuning half of the phrases of bench/readings.
constexpr double ofHarmonics = 0.5, ofTracking = 0.5;

using Spectrum = std::vector<double>;

/// Spectra of stretches, with as many bins as the longest has.
class Spectra {
public:
    explicit Spectra(std::span<const float> mono) : mono_(mono), fft_(transformed) {}

    Spectrum powerAt(double begin, int size) {
        std::vector<float>& window = windows_[size];
        if (window.empty()) window = hannWindow(size);
        const auto time = fft_.time();
        std::fill(time.begin(), time.end(), 0.0f);
        const auto from = static_cast<std::ptrdiff_t>(std::lround(begin * analysisRateHz));
        for (std::ptrdiff_t i = 0; i < size; ++i)
            if (from + i >= 0 && from + i < static_cast<std::ptrdiff_t>(mono_.size()))
                time[static_cast<std::size_t>(i)] =
                    window[static_cast<std::size_t>(i)] * mono_[static_cast<std::size_t>(from + i)];
        fft_.forward();
        Spectrum power;
        power.reserve(fft_.bins().size());
        for (const std::complex<float>& bin : fft_.bins()) power.push_back(std::norm(bin));
        return power;
    }

private:
    static constexpr int transformed = 16384;
    std::span<const float> mono_;
    RealFft fft_;
    std::map<int, std::vector<float>> windows_;
};

/// The highest power within each place of the axis of semitones, `tuning` semitones up.
Eigen::VectorXf onSemitones(const Spectrum& power, double tuning) {
    Eigen::VectorXf axis(places);
    const double binHz = 0.5 * analysisRateHz / static_cast<double>(power.size() - 1);
    const double half = std::exp2(0.5 / perSemitone / 12.0);
    for (int p = 0; p < places; ++p) {
        const double bin = hzFromKey(lowestKey + static_cast<double>(p) / perSemitone + tuning) / binHz;
        const auto below = static_cast<std::size_t>(bin);
        if (below + 1 >= power.size()) {
            axis(p) = 0.0f;
            continue;
        }
        double highest = std::lerp(power[below], power[below + 1], bin - static_cast<double>(below));
        for (auto b = static_cast<std::size_t>(std::ceil(bin / half)); static_cast<double>(b) <= bin * half; ++b)
            if (b < power.size()) highest = std::max(highest, power[b]);
        axis(p) = static_cast<float>(highest);
    }
    return axis;
}

/// Decibels above the surroundings of four semitones on either side, 0 … tallestDb: partials, without the filter's
/// shape.
Eigen::VectorXf peaksOf(const Eigen::VectorXf& power) {
    constexpr int reach = 4 * perSemitone;
    constexpr float range = 1e-6f;
    const float floor = std::max(1e-20f, range * power.maxCoeff());
    const Eigen::VectorXf db = 10.0f * power.cwiseMax(floor).array().log10().matrix();
    Eigen::VectorXf peaks(places);
    for (int p = 0; p < places; ++p) {
        float sum = 0.0f;
        for (int k = p - reach; k <= p + reach; ++k) sum += db(std::clamp(k, 0, places - 1));
        peaks(p) = std::clamp(db(p) - sum / static_cast<float>(2 * reach + 1), 0.0f, tallestDb);
    }
    return peaks;
}

/// Partials of what begins with a span.
Eigen::VectorXf beginningOf(Spectra& spectra, const NoteSpan& span, double next, double tuning) {
    constexpr double soon = 0.004, enough = 0.12, longer = 0.3, later = 0.1; // seconds
    const double length = std::min(next - span.start, std::max(span.end - span.start, 0.06));
    const int size = length > enough ? 8192 : 4096;
    Spectrum power = spectra.powerAt(span.start + soon, size);
    if (length > longer) {
        const Spectrum more = spectra.powerAt(span.start + later, size);
        for (std::size_t b = 0; b < power.size(); ++b) power[b] += more[b];
    }
    if (span.rises) {
        const Spectrum before = spectra.powerAt(span.start - soon - static_cast<double>(size) / analysisRateHz, size);
        for (std::size_t b = 0; b < power.size(); ++b) power[b] = std::max(0.0, power[b] - before[b]);
    }
    return peaksOf(onSemitones(power, tuning));
}

/// Correlation of two spans at every distance in semitones, the second higher: a fifth of a semitone beside counts too.
Eigen::VectorXf correlations(const Eigen::VectorXf& a, const Eigen::VectorXf& b) {
    Eigen::VectorXf result(2 * farthest + 1);
    const float norm = a.norm() * b.norm() + 1e-9f;
    for (int s = -farthest; s <= farthest; ++s) {
        float best = 0.0f;
        for (int beside = -1; beside <= 1; ++beside) {
            const int by = s * perSemitone + beside, count = places - std::abs(by);
            best = std::max(best, by >= 0 ? a.head(count).dot(b.tail(count)) : a.tail(count).dot(b.head(count)));
        }
        result(s + farthest) = best / norm;
    }
    return result;
}

/// How high the harmonics of each key stand, 0 … 1.
Eigen::VectorXf harmonicSums(const Eigen::VectorXf& peaks) {
    Eigen::VectorXf sums = Eigen::VectorXf::Zero(keyCount);
    double weights = 0.0;
    for (int h = 1; h <= harmonics; ++h) {
        const double weight = std::pow(perHarmonic, h - 1);
        weights += weight;
        for (int k = 0; k < keyCount; ++k) {
            const int place = static_cast<int>(std::lround((k + 12.0 * std::log2(h)) * perSemitone));
            if (place + 1 >= places) continue;
            const float highest = std::max({peaks(std::max(0, place - 1)), peaks(place), peaks(place + 1)});
            sums(k) += static_cast<float>(weight * static_cast<double>(highest) / static_cast<double>(tallestDb));
        }
    }
    return sums * static_cast<float>(1.0 / weights);
}

/// By how much the clear pitches lie above whole keys, in semitones: their circular mean.
double tuningOfTracked(const std::vector<NoteSpan>& spans) {
    double x = 0.0, y = 0.0;
    for (const NoteSpan& span : spans) {
        if (!isMeasured(span.pitch)) continue;
        x += span.clear * std::cos(2.0 * std::numbers::pi * span.pitch);
        y += span.clear * std::sin(2.0 * std::numbers::pi * span.pitch);
    }
    return std::atan2(y, x) / (2.0 * std::numbers::pi);
}

/// The problem: what speaks for each key of each span, and for each distance of two.
struct Evidence {
    std::vector<Eigen::VectorXf> alone;
    std::vector<std::vector<Eigen::VectorXf>> pairs; ///< [i][j − i − 1] for j > i

    std::size_t count() const { return alone.size(); }
    float pair(std::size_t i, int keyI, std::size_t j, int keyJ) const {
        if (i > j) return pair(j, keyJ, i, keyI);
        const int apart = keyJ - keyI;
        return std::abs(apart) > farthest ? 0.0f : pairs[i][j - i - 1](apart + farthest);
    }
    /// Mean correlation of one with the others.
    double fit(const std::vector<int>& keys, std::size_t i, int key) const {
        double sum = 0.0;
        for (std::size_t j = 0; j < count(); ++j)
            if (j != i) sum += pair(i, key, j, keys[j]);
        return sum / std::max<double>(1.0, static_cast<double>(count()) - 1.0);
    }
    double score(const std::vector<int>& keys) const {
        double sum = 0.0;
        for (std::size_t i = 0; i < count(); ++i) sum += 0.5 * fit(keys, i, keys[i]) + alone[i](keys[i]);
        return sum;
    }
};

/// Changes one key at a time for the best until nothing gains (iterated conditional modes: J. Besag, "On the
/// statistical analysis of dirty pictures", J. R. Statist. Soc. B 48, 1986).
void settle(const Evidence& evidence, std::vector<int>& keys) {
    constexpr int mostTurns = 20;
    for (int turn = 0; turn < mostTurns; ++turn) {
        bool changed = false;
        for (std::size_t i = 0; i < keys.size(); ++i) {
            int best = keys[i];
            double most = -1.0;
            for (int key = 0; key < keyCount; ++key) {
                const double worth = evidence.fit(keys, i, key) + evidence.alone[i](key);
                if (worth <= most) continue;
                most = worth;
                best = key;
            }
            changed = changed || best != keys[i];
            keys[i] = best;
        }
        if (!changed) return;
    }
}

/// All keys an interval up or down, where the spans alone say so.
void placeAll(const Evidence& evidence, std::vector<int>& keys) {
    const auto [low, high] = std::minmax_element(keys.begin(), keys.end());
    int best = 0;
    double most = -1.0;
    for (int by = -*low; by < keyCount - *high; ++by) {
        double sum = by == 0 ? 1e-6 : 0.0;
        for (std::size_t i = 0; i < keys.size(); ++i) sum += evidence.alone[i](keys[i] + by);
        if (sum <= most) continue;
        most = sum;
        best = by;
    }
    for (int& key : keys) key += best;
}

/// Keys to begin with: each by itself, or at its distance from one that stands out.
std::vector<std::vector<int>> beginnings(const Evidence& evidence) {
    constexpr std::size_t most = 3;
    std::vector<std::vector<int>> all(1);
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < evidence.count(); ++i) {
        Eigen::Index key = 0;
        evidence.alone[i].maxCoeff(&key);
        all[0].push_back(static_cast<int>(key));
        order.push_back(i);
    }
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return evidence.alone[a].maxCoeff() > evidence.alone[b].maxCoeff();
    });
    for (std::size_t r = 0; r < std::min(most, order.size()); ++r) {
        const std::size_t from = order[r];
        std::vector<int> keys(evidence.count(), all[0][from]);
        for (std::size_t j = 0; j < keys.size(); ++j) {
            float highest = -1.0f;
            for (int key = 0; j != from && key < keyCount; ++key)
                if (const float c = evidence.pair(from, all[0][from], j, key); c > highest) {
                    highest = c;
                    keys[j] = key;
                }
        }
        all.push_back(std::move(keys));
    }
    return all;
}

} // namespace

ShiftedKeys keysByShift(const HeardSound& sound, const std::vector<NoteSpan>& spans) {
    const double tuning = tuningOfTracked(spans);
    Spectra spectra(sound.mono);
    std::vector<Eigen::VectorXf> peaks;
    Evidence evidence;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        sound.task.check();
        const double next = i + 1 < spans.size() ? spans[i + 1].start : sound.seconds();
        peaks.push_back(beginningOf(spectra, spans[i], next, tuning));
        Eigen::VectorXf alone = static_cast<float>(ofHarmonics) * harmonicSums(peaks.back());
        if (isMeasured(spans[i].pitch)) {
            const auto tracked = std::lround(spans[i].pitch - tuning) - lowestKey;
            if (tracked >= 0 && tracked < keyCount) alone(tracked) += static_cast<float>(ofTracking * spans[i].clear);
        }
        evidence.alone.push_back(std::move(alone));
    }
    for (std::size_t i = 0; i < spans.size(); ++i) {
        sound.task.check();
        evidence.pairs.emplace_back();
        for (std::size_t j = i + 1; j < spans.size(); ++j)
            evidence.pairs.back().push_back(correlations(peaks[i], peaks[j]));
    }
    std::vector<int> best;
    double most = -1.0;
    for (std::vector<int>& keys : beginnings(evidence)) {
        settle(evidence, keys);
        placeAll(evidence, keys);
        if (const double score = evidence.score(keys); score > most) {
            most = score;
            best = keys;
        }
    }
    ShiftedKeys found;
    for (std::size_t i = 0; i < spans.size(); ++i) {
        found.keys.push_back(lowestKey + best[i] + tuning);
        found.fits.push_back(evidence.fit(best, i, best[i]));
        found.alike += found.fits.back() / static_cast<double>(spans.size());
    }
    return found;
}

void placeByShift(const HeardSound& sound, std::vector<NoteSpan>& spans) {
    constexpr double same = 0.7; // semitones
    constexpr double leastFit = 0.4, pitchedShare = 0.5;
    const auto dropUnpitched = [&] {
        std::erase_if(spans, [](const NoteSpan& span) { return !isMeasured(span.pitch); });
    };
    const auto pitched =
        std::count_if(spans.begin(), spans.end(), [](const NoteSpan& span) { return isMeasured(span.pitch); });
    if (static_cast<double>(pitched) < pitchedShare * static_cast<double>(spans.size())) dropUnpitched();
    if (spans.size() < 2 || spans.size() > mostShiftedSpans) return dropUnpitched();
    const ShiftedKeys shifted = keysByShift(sound, spans);
    for (std::size_t i = 0; i < spans.size(); ++i) {
        const bool tracked = std::abs(spans[i].pitch - shifted.keys[i]) <= same;
        if (!tracked && (isMeasured(spans[i].pitch) || shifted.fits[i] > leastFit)) spans[i].pitch = shifted.keys[i];
    }
    dropUnpitched();
}

} // namespace facet
