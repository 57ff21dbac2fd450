// What a summary says of onsets, ends, partials and what is played.
#include "core/dsp/fft.h"
#include "core/dsp/window.h"
#include "core/prior/summary_parts.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

constexpr auto afterOnset = std::to_array<double>({0.0, 0.0125, 0.0375, 0.075, 0.125, 0.2, 0.35, 0.6, 1.0});
constexpr auto spreadAt = std::to_array<std::size_t>({1, 4, 6});
constexpr auto afterEnd = std::to_array<double>({0.025, 0.05, 0.1, 0.2, 0.4, 0.8});

/// Mean and mean square of what was measured, weighted.
struct MeanAndDeviation {
    double weight = 0.0, sum = 0.0, squares = 0.0;
    void add(double value, double by = 1.0) {
        weight += by;
        sum += by * value;
        squares += by * value * value;
    }
    float mean() const { return weight > 0.0 ? static_cast<float>(sum / weight) : 0.0f; }
    float deviation() const {
        return weight > 0.0
                   ? static_cast<float>(std::sqrt(std::max(0.0, squares / weight - sum / weight * (sum / weight))))
                   : 0.0f;
    }
};

/// How y goes with x, by least squares; 0 where x does not vary.
class Slope {
public:
    void add(double x, double y) {
        n_ += 1.0;
        x_ += x;
        y_ += y;
        xx_ += x * x;
        xy_ += x * y;
    }
    float value() const {
        if (n_ < 2.0) return 0.0f;
        const double varies = xx_ - x_ * x_ / n_;
        return varies < 0.05 * n_ ? 0.0f : static_cast<float>(std::clamp((xy_ - x_ * y_ / n_) / varies, -60.0, 60.0));
    }

private:
    double n_ = 0.0, x_ = 0.0, y_ = 0.0, xx_ = 0.0, xy_ = 0.0;
};

double octaves(const SoundMoment& moment) { return (moment.key - 60.0) / 12.0; }
double hardness(const SoundMoment& moment) { return moment.velocity / 32.0; }

constexpr int partialSize = 4096;
constexpr int lines = 38; ///< 32 half multiples of the pitch, then on and between partials 17 … 24, 25 … 32, 33 … 48

/// Levels about half multiples of a pitch, dB re their sum.
std::array<float, lines> linesAt(const std::vector<float>& sound, double seconds, double f0, RealFft& fft) {
    windowedFrame(sound, static_cast<int>(seconds * analysisRateHz) - partialSize / 2, hannWindow(partialSize),
                  fft.time());
    fft.forward();
    const double binHz = static_cast<double>(analysisRateHz) / partialSize;
    const auto power = [&](double hz) {
        const double reach = std::min(0.24 * f0, std::max(1.5 * binHz, 0.012 * hz));
        const int from = std::max(1, static_cast<int>(std::ceil((hz - reach) / binHz)));
        const int to = std::min(fft.binCount() - 1, static_cast<int>(std::floor((hz + reach) / binHz)));
        double sum = 0.0;
        for (int b = from; b <= to; ++b) sum += std::norm(fft.bins()[static_cast<std::size_t>(b)]);
        return sum;
    };
    std::array<double, lines> powers{};
    for (int k = 1; k <= 32; ++k) powers[static_cast<std::size_t>(k - 1)] = power(0.5 * k * f0);
    constexpr auto groups = std::to_array<int>({17, 25, 33, 49});
    for (std::size_t g = 0; g < 3; ++g)
        for (int k = groups[g]; k < groups[g + 1]; ++k) {
            powers[32 + 2 * g] += power(k * f0);
            powers[33 + 2 * g] += power((k - 0.5) * f0);
        }
    double whole = 1e-15;
    for (const double each : powers) whole += each;
    std::array<float, lines> levels{};
    for (std::size_t i = 0; i < powers.size(); ++i)
        levels[i] = static_cast<float>(std::max(-70.0, 10.0 * std::log10(powers[i] / whole + 1e-9)));
    return levels;
}

/// How wide partials 1 … 10 are: what lies 8 … 30 and 30 … 90 cents beside them re what lies within 8, in dB.
void addWidths(const SoundFrames& sound, std::vector<float>& summary) {
    constexpr int size = 16384;
    constexpr double least = 0.3; // seconds
    constexpr std::size_t most = 4;
    std::vector<const SoundMoment*> longest;
    for (const SoundMoment& moment : sound.moments)
        if (moment.notes == 1 && std::min(moment.end, moment.next) - moment.start > least) longest.push_back(&moment);
    std::stable_sort(longest.begin(), longest.end(),
                     [](const SoundMoment* a, const SoundMoment* b) { return a->end - a->start > b->end - b->start; });
    longest.resize(std::min(longest.size(), most));
    std::array<MeanAndDeviation, 20> widths;
    RealFft fft(size);
    const double binHz = static_cast<double>(analysisRateHz) / size;
    for (const SoundMoment* moment : longest) {
        const double middle = 0.5 * (moment->start + std::min(moment->end, moment->next)) + 0.03;
        windowedFrame(sound.mid, static_cast<int>(middle * analysisRateHz) - size / 2, hannWindow(size), fft.time());
        fft.forward();
        const double f0 = 440.0 * std::exp2((moment->key - 69.0) / 12.0);
        for (int k = 1; k <= 10 && k * f0 < 12000.0; ++k) {
            std::array<double, 3> ring{1e-15, 1e-15, 1e-15};
            const int reach = static_cast<int>(k * f0 * 0.053 / binHz) + 1;
            const int center = static_cast<int>(std::lround(k * f0 / binHz));
            for (int b = std::max(1, center - reach); b <= std::min(fft.binCount() - 1, center + reach); ++b) {
                const double cents = std::abs(1200.0 * std::log2(b * binHz / (k * f0)));
                const double near = std::max(8.0, 1200.0 * std::log2(1.0 + 2.0 * binHz / (k * f0)));
                const std::size_t at = cents <= near                         ? 0
                                       : cents <= std::max(30.0, 1.5 * near) ? 1
                                       : cents <= 90.0                       ? 2
                                                                             : 3;
                if (at < ring.size()) ring[at] += std::norm(fft.bins()[static_cast<std::size_t>(b)]);
            }
            for (std::size_t r = 1; r < ring.size(); ++r)
                widths[static_cast<std::size_t>(2 * (k - 1)) + r - 1].add(
                    std::clamp(10.0 * std::log10(ring[r] / ring[0]), -50.0, 20.0));
        }
    }
    summary.push_back(10.0f * static_cast<float>(longest.size()));
    for (const MeanAndDeviation& each : widths) summary.push_back(each.mean());
}

} // namespace

void addOnsets(const SoundFrames& sound, std::vector<float>& summary) {
    std::array<std::array<MeanAndDeviation, summaryBands>, afterOnset.size()> bands;
    std::array<std::array<MeanAndDeviation, summaryGroups + 4>, afterEnd.size()> falls;
    for (const SoundMoment& moment : sound.moments) {
        const double until = std::min(moment.end, moment.next);
        for (std::size_t t = 0; t < afterOnset.size(); ++t) {
            if (t > 1 && moment.start + afterOnset[t] > until) continue;
            const SoundFrame& frame = sound.at(moment.start + afterOnset[t]);
            for (std::size_t b = 0; b < summaryBands; ++b) bands[t][b].add(frame.mid[b]);
        }
        if (moment.next < moment.end) continue;
        const SoundFrame& last = sound.at(moment.end - summaryHop);
        for (std::size_t t = 0; t < afterEnd.size(); ++t) {
            if (moment.end + afterEnd[t] > moment.next - summaryHop) continue;
            const SoundFrame& frame = sound.at(moment.end + afterEnd[t]);
            for (std::size_t g = 0; g < summaryGroups; ++g) {
                float now = 0.0f, then = 0.0f;
                for (std::size_t b = 4 * g; b < 4 * g + 4; ++b) {
                    now += 0.25f * frame.mid[b];
                    then += 0.25f * last.mid[b];
                }
                falls[t][g].add(now - then);
                if (g % 2 == 0) falls[t][summaryGroups + g / 2].add(frame.side[g] - last.side[g]);
            }
        }
    }
    for (std::size_t t = 0; t < afterOnset.size(); ++t)
        for (std::size_t b = 0; b < summaryBands; ++b) {
            if (bands[t][b].weight == 0.0 && t > 0) bands[t][b] = bands[t - 1][b]; // no note lasts so long
            summary.push_back(bands[t][b].mean());
        }
    for (const std::size_t t : spreadAt)
        for (std::size_t b = 0; b < summaryBands; b += 2) summary.push_back(bands[t][b].deviation());
    for (const auto& time : falls) {
        summary.push_back(10.0f * static_cast<float>(std::min(1.0, time[0].weight / 4.0)));
        for (const MeanAndDeviation& each : time) summary.push_back(each.mean());
    }
}

void addPartials(const SoundFrames& sound, std::vector<float>& summary) {
    constexpr std::size_t instants = 3, most = 12;
    std::array<std::array<MeanAndDeviation, lines>, instants> levels;
    std::array<Slope, lines> byKey, byVelocity;
    RealFft fft(partialSize);
    const std::size_t step = 1 + (sound.moments.size() - 1) / most;
    for (std::size_t i = 0; i < sound.moments.size(); i += step) {
        const SoundMoment& moment = sound.moments[i];
        const double until = std::min(moment.end, moment.next), f0 = 440.0 * std::exp2((moment.key - 69.0) / 12.0);
        const std::array<double, instants> times{moment.start + 0.045, 0.5 * (moment.start + until) + 0.02,
                                                 until - 0.03};
        for (std::size_t t = 0; t < instants; ++t) {
            const auto at = linesAt(sound.mid, std::max(times[t], times[0]), f0, fft);
            for (std::size_t l = 0; l < at.size(); ++l) {
                levels[t][l].add(at[l]);
                if (t != 1) continue;
                byKey[l].add(octaves(moment), at[l]);
                byVelocity[l].add(hardness(moment), at[l]);
            }
        }
    }
    for (const auto& time : levels)
        for (const MeanAndDeviation& each : time) summary.push_back(each.mean());
    for (const MeanAndDeviation& each : levels[1]) summary.push_back(each.deviation());
    for (const Slope& each : byKey) summary.push_back(each.value());
    for (const Slope& each : byVelocity) summary.push_back(each.value());
    addWidths(sound, summary);
}

void addRepeats(const SoundFrames& sound, std::vector<float>& summary) {
    constexpr int lags = 26;
    constexpr double first = 0.075, step = 0.0375, clear = 0.05; // seconds
    std::vector<float> novelty(sound.frames.size());
    for (std::size_t i = 1; i < novelty.size(); ++i)
        for (std::size_t b = 0; b < summaryBands; ++b)
            if (sound.frames[i].level > -60.0f)
                novelty[i] +=
                    std::clamp(sound.frames[i].mid[b] - sound.frames[i - 1].mid[b], 0.0f, 12.0f) / summaryBands;
    const auto about = [&](double seconds) {
        const auto at = static_cast<std::size_t>(std::max(0.0, seconds / summaryHop));
        float most = 0.0f;
        for (std::size_t i = at; i < std::min(novelty.size(), at + 4); ++i) most = std::max(most, novelty[i]);
        return most;
    };
    for (int lag = 0; lag < lags; ++lag) {
        MeanAndDeviation again;
        for (const SoundMoment& moment : sound.moments) {
            const double at = moment.start + first + lag * step;
            if (at + step > static_cast<double>(sound.frames.size()) * summaryHop) continue;
            const bool played = std::any_of(sound.moments.begin(), sound.moments.end(), [&](const SoundMoment& other) {
                return other.start > at - clear && other.start < at + step + 0.02;
            });
            if (!played) again.add(about(at));
        }
        summary.push_back(4.0f * again.mean());
    }
}

void addNotes(const SoundFrames& sound, std::vector<float>& summary) {
    MeanAndDeviation key, velocity, length, together, tied, gap;
    for (const SoundMoment& moment : sound.moments) {
        key.add(moment.key - 60.0);
        velocity.add(moment.velocity / 8.0);
        length.add(std::log2(std::max(0.02, moment.end - moment.start)));
        together.add(moment.notes);
        tied.add(moment.tied ? 1.0 : 0.0);
        gap.add(std::clamp(moment.next - moment.end, -0.2, 2.0));
    }
    for (const float value :
         {key.mean(), key.deviation(), velocity.mean(), velocity.deviation(), 4.0f * length.mean(),
          4.0f * length.deviation(), 4.0f * together.mean(), 10.0f * tied.mean(), 10.0f * gap.mean(),
          4.0f * static_cast<float>(std::log2(static_cast<double>(sound.moments.size())))})
        summary.push_back(value);
}

void addDistribution(const SoundFrames& sound, std::vector<float>& summary) {
    double square = 1e-15, cube = 0.0, fourth = 0.0;
    float peak = 1e-9f;
    for (const float x : sound.mid) {
        square += x * x;
        cube += x * x * x;
        fourth += x * x * (x * x);
        peak = std::max(peak, std::abs(x));
    }
    const auto n = static_cast<double>(std::max<std::size_t>(1, sound.mid.size()));
    const double rms = std::sqrt(square / n);
    double near = 0.0, held = 0.0, crossings = 0.0;
    for (std::size_t i = 1; i < sound.mid.size(); ++i) {
        near += std::abs(sound.mid[i]) > 0.95f * peak ? 1.0 : 0.0;
        held +=
            std::abs(sound.mid[i] - sound.mid[i - 1]) < 1e-4 * rms && std::abs(sound.mid[i]) > 0.05 * rms ? 1.0 : 0.0;
        crossings += sound.mid[i] * sound.mid[i - 1] < 0.0f ? 1.0 : 0.0;
    }
    for (const double value : {20.0 * std::log10(peak / rms), 5.0 * cube / n / (rms * rms * rms),
                               3.0 * std::log2(fourth / n / (rms * rms * rms * rms)), 4.0 * std::log10(near / n + 1e-5),
                               4.0 * std::log10(held / n + 1e-5), 4.0 * std::log10(crossings / n + 1e-5)})
        summary.push_back(static_cast<float>(std::clamp(value, -60.0, 60.0)));

    Slope byVelocity, byKey;
    MeanAndDeviation loudest, rise;
    std::vector<float> levels;
    for (const SoundMoment& moment : sound.moments) {
        float most = -80.0f;
        double when = moment.start;
        for (double at = moment.start; at < std::min(moment.end, moment.next); at += summaryHop)
            if (const float level = sound.at(at).level; level > most) {
                most = level;
                when = at;
            }
        byVelocity.add(hardness(moment), most);
        byKey.add(octaves(moment), most);
        loudest.add(most);
        rise.add(std::log2(0.01 + when - moment.start));
    }
    for (const SoundFrame& frame : sound.frames)
        if (frame.sounds) levels.push_back(frame.level);
    std::sort(levels.begin(), levels.end());
    for (const float value :
         {byVelocity.value(), byKey.value(), loudest.deviation(), 4.0f * rise.mean(), 4.0f * rise.deviation()})
        summary.push_back(value);
    for (const double share : {0.05, 0.25, 0.5, 0.75, 0.95})
        summary.push_back(
            levels.empty() ? 0.0f : levels[static_cast<std::size_t>(share * static_cast<double>(levels.size() - 1))]);
}

} // namespace facet
