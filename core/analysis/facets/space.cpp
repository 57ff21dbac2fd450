#include "core/analysis/facets/space.h"

#include "core/analysis/facets/level.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"

#include <algorithm>
#include <cmath>
#include <complex>

namespace facet {

namespace {

constexpr int echoRateHz = analysisRateHz / 2; ///< of the echo search: 12 kHz of sound show a repeat
constexpr double shortestEcho = 0.03;
constexpr double longestEcho = 1.6;
constexpr double templateSeconds = 0.25;
constexpr double audibleEcho = 0.1; ///< gain re the note
constexpr double shortestGap = 0.15;

int powerOfTwo(double atLeast) {
    int size = 1024;
    while (size < atLeast) size *= 2;
    return size;
}

using Spectrum = std::vector<std::complex<float>>;

Spectrum spectrumOf(RealFft& fft, std::span<const float> x, std::size_t begin, std::size_t end) {
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0f);
    for (std::size_t i = begin; i < std::min(end, x.size()) && i - begin < time.size(); ++i) time[i - begin] = x[i];
    fft.forward();
    return {fft.bins().begin(), fft.bins().end()};
}

/// Flattens the coarse shape of a spectrum up to a frequency, so that a correlation peaks sharply at its lag and not
/// for a whole period. The result is at echoRateHz.
std::vector<float> flattened(const std::vector<float>& x, double highestHz = 0.5 * echoRateHz) {
    RealFft fft(powerOfTwo(static_cast<double>(x.size())));
    spectrumOf(fft, x, 0, x.size());
    const auto bins = fft.bins();
    RealFft half(fft.size() / 2);
    const auto kept = half.bins();
    std::vector<double> sum(bins.size() + 1, 0.0);
    for (std::size_t k = 0; k < bins.size(); ++k) sum[k + 1] = sum[k] + std::norm(bins[k]);
    const double binHz = static_cast<double>(analysisRateHz) / fft.size();
    const double mean = sum.back() / static_cast<double>(bins.size());
    for (std::size_t k = 0; k < kept.size(); ++k) {
        // Half an octave wide, at least 150 Hz.
        const double hz = static_cast<double>(k) * binHz;
        const double reach = std::max(150.0, 0.35 * hz) / binHz;
        const auto low = static_cast<std::size_t>(std::max(0.0, static_cast<double>(k) - reach));
        const auto high = std::min(bins.size() - 1, static_cast<std::size_t>(static_cast<double>(k) + reach));
        const double around = (sum[high + 1] - sum[low]) / static_cast<double>(high + 1 - low);
        kept[k] = hz < 30.0 || hz > highestHz
                      ? 0.0f
                      : bins[k] * static_cast<float>(1.0 / std::sqrt(around + 1e-4 * mean + 1e-20));
    }
    half.inverse();
    const auto time = half.time();
    return {time.begin(), time.begin() + static_cast<std::ptrdiff_t>(x.size() / 2)};
}

struct Correlation {
    std::vector<double> left;
    std::vector<double> right;
    std::vector<double> weight;
    double at(std::size_t lag) const { return std::max(std::abs(gain(left, lag)), std::abs(gain(right, lag))); }
    double gain(const std::vector<double>& side, std::size_t lag) const {
        return lag < side.size() && weight[lag] > 0.0 ? side[lag] / weight[lag] : 0.0;
    }
};

/// A note's beginning, frames [begin, end) at echoRateHz, and the lags at which it may be looked for.
struct Sample {
    std::size_t begin;
    std::size_t end;
    double energy;
    std::vector<char> allowed;
};

/// Whether most of the notes that can be judged have a copy of themselves after a lag, each on its own. A single one is
/// believed only when no other note begins there.
bool agreed(const std::vector<Sample>& samples, const std::vector<float>& mid, const std::vector<float>& left,
            const std::vector<float>& right, std::size_t lag, double gain, const Performance& performance) {
    int judged = 0;
    int agreeing = 0;
    bool alone = true;
    for (const Sample& sample : samples) {
        if (!sample.allowed[lag]) continue;
        double l = 0.0;
        double r = 0.0;
        for (std::size_t i = sample.begin; i < sample.end && i + lag < mid.size(); ++i) {
            l += static_cast<double>(mid[i]) * left[i + lag];
            r += static_cast<double>(mid[i]) * right[i + lag];
        }
        ++judged;
        const double at = static_cast<double>(sample.begin + lag) / echoRateHz;
        for (const Note& other : performance.notes) alone = alone && std::abs(other.start - at) > 0.02;
        agreeing += std::max(std::abs(l), std::abs(r)) / sample.energy > 0.5 * gain;
    }
    return judged > 0 && 3 * agreeing >= 2 * judged && (judged > 1 || (gain > 0.3 && alone));
}

/// Largest gain within a few samples of a lag.
std::size_t peakNear(const Correlation& c, std::size_t lag, std::size_t reach) {
    std::size_t best = std::min(lag, c.weight.size() - 1);
    for (std::size_t i = lag > reach ? lag - reach : 0; i <= lag + reach && i < c.weight.size(); ++i)
        if (c.at(i) > c.at(best)) best = i;
    return best;
}

/// One octave by raised-cosine edges a sixth of an octave wide, without phase shift.
std::vector<float> octaveBand(RealFft& fft, const Spectrum& whole, double centerHz, std::size_t frames) {
    const double binHz = static_cast<double>(analysisRateHz) / fft.size();
    const auto bins = fft.bins();
    std::fill(bins.begin(), bins.end(), 0.0f);
    const auto low = static_cast<std::size_t>(centerHz * std::exp2(-0.6) / binHz);
    const auto high = std::min(bins.size() - 1, static_cast<std::size_t>(centerHz * std::exp2(0.6) / binHz));
    for (std::size_t k = low; k <= high; ++k) {
        const double octaves = std::abs(std::log2((static_cast<double>(k) * binHz + 1e-9) / centerHz));
        const double edge = std::clamp((octaves - 0.5 + 1.0 / 12.0) * 6.0, 0.0, 1.0);
        bins[k] = whole[k] * static_cast<float>(0.5 + 0.5 * std::cos(3.14159265358979 * edge)) /
                  static_cast<float>(fft.size());
    }
    fft.inverse();
    return {fft.time().begin(), fft.time().begin() + static_cast<std::ptrdiff_t>(frames)};
}

/// Slope in dB per second of a curve between two of its levels; notMeasurable when it does not reach the lower one.
double slopeBetween(const std::vector<double>& curveDb, double stepSeconds, double high, double low) {
    double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    bool reached = false;
    for (std::size_t i = 0; i < curveDb.size(); ++i) {
        if (curveDb[i] < low) {
            reached = true;
            break;
        }
        if (curveDb[i] > high) continue;
        const double t = static_cast<double>(i) * stepSeconds;
        n += 1.0;
        x += t;
        y += curveDb[i];
        xx += t * t;
        xy += t * curveDb[i];
    }
    if (!reached || n < 4.0) return notMeasurable;
    return (n * xy - x * y) / (n * xx - x * x);
}

} // namespace

namespace {

/// Until when a note is heard: its end, or where it has fallen far below its highest level, unless it comes back there
/// as often as only a gate lets it.
double heardUntil(const Recording& recording, const Note& note) {
    constexpr double step = 0.01, farBelow = 0.016, back = 0.5; // −18 and −3 dB
    constexpr int returnsOfGate = 3;
    const std::vector<float>& x = recording.channels.front();
    double highest = 0.0, until = note.end;
    int returns = 0;
    bool away = false;
    for (double t = note.start; t + step < note.end; t += step) {
        const auto from = static_cast<std::size_t>(t * analysisRateHz);
        const auto to = std::min(x.size(), static_cast<std::size_t>((t + step) * analysisRateHz));
        double power = 0.0;
        for (std::size_t i = std::min(from, to); i < to; ++i) power += static_cast<double>(x[i]) * x[i];
        highest = std::max(highest, power);
        if (power < farBelow * highest) {
            until = std::min(until, t);
            away = true;
        } else if (away && power > back * highest) {
            away = false;
            if (++returns == returnsOfGate) return note.end;
        }
    }
    return until;
}

/// A recording prepared for the search of echoes: what lies below a frequency, with an even spectrum.
struct FlatSound {
    std::vector<float> left, right, mid;
    bool stereo;

    FlatSound(double highestHz, const Recording& recording, const Task& task)
        : left(flattened(recording.channels.front(), highestHz)), stereo(recording.channelCount() > 1) {
        right = stereo ? flattened(recording.channels[1], highestHz) : left;
        task.check();
        mid.resize(left.size());
        for (std::size_t i = 0; i < mid.size(); ++i) mid[i] = 0.5f * (left[i] + right[i]);
    }
};

/// Correlates the notes with what comes after them and sums up over them, where no other note of the same pitch class
/// would be taken for a repeat.
class EchoCorrelation {
public:
    EchoCorrelation(const FlatSound& sound, const Recording& recording, const Performance& performance)
        : sum{std::vector<double>(lagsOf(recording)), std::vector<double>(lagsOf(recording)),
              std::vector<double>(lagsOf(recording))},
          sound_(sound), recording_(recording), performance_(performance), lags_(lagsOf(recording)),
          fft_(powerOfTwo(static_cast<double>(lags_) + 2.0 * templateSeconds * echoRateHz)) {}

    void addNote(std::size_t n) {
        const double seconds = recording_.seconds();
        const Note& note = performance_.notes[n];
        const double heard = heardUntil(recording_, note);
        double end = std::min({heard, note.start + templateSeconds, seconds});
        if (n + 1 < performance_.notes.size()) end = std::min(end, performance_.notes[n + 1].start);
        if (end - note.start < 0.02) return;
        const auto begin = static_cast<std::size_t>(note.start * echoRateHz);
        const auto stop = std::min(sound_.mid.size(), static_cast<std::size_t>(end * echoRateHz));
        double energy = 0.0;
        for (std::size_t i = begin; i < stop; ++i) energy += static_cast<double>(sound_.mid[i]) * sound_.mid[i];
        if (energy <= 0.0) return;
        const Spectrum own = spectrumOf(fft_, sound_.mid, begin, stop);
        samples.push_back({begin, stop, energy, std::vector<char>(lags_)});
        std::vector<char>& allowed = samples.back().allowed;
        for (std::size_t lag = 0; lag < lags_; lag += 24) {
            const char yes = isUsable(lag, note, heard, end) ? 1 : 0;
            std::fill_n(allowed.begin() + static_cast<std::ptrdiff_t>(lag), std::min<std::size_t>(24, lags_ - lag),
                        yes);
        }
        correlate(sound_.left, own, begin, allowed, sum.left);
        if (sound_.stereo) correlate(sound_.right, own, begin, allowed, sum.right);
        for (std::size_t lag = 0; lag < lags_; ++lag)
            if (allowed[lag]) sum.weight[lag] += energy;
    }

    std::size_t lags() const { return lags_; }
    Correlation sum;
    std::vector<Sample> samples;

private:
    static std::size_t lagsOf(const Recording& recording) {
        return static_cast<std::size_t>(std::min(longestEcho * 2.2, recording.seconds()) * echoRateHz);
    }

    bool isUsable(std::size_t lag, const Note& note, double heard, double end) const {
        const double t = static_cast<double>(lag) / echoRateHz;
        // Within itself a tone resembles itself.
        if (end + t > recording_.seconds() || t < heard - note.start) return false;
        for (const Note& other : performance_.notes)
            if (&other != &note && (other.key - note.key) % 12 == 0 && other.start < end + t + 0.01 &&
                other.end + 0.05 > note.start + t)
                return false;
        return true;
    }

    void correlate(const std::vector<float>& x, const Spectrum& own, std::size_t begin,
                   const std::vector<char>& allowed, std::vector<double>& into) {
        spectrumOf(fft_, x, begin, begin + static_cast<std::size_t>(fft_.size()));
        const auto bins = fft_.bins();
        for (std::size_t k = 0; k < bins.size(); ++k) bins[k] *= std::conj(own[k]);
        fft_.inverse();
        for (std::size_t lag = 0; lag < lags_; ++lag)
            if (allowed[lag]) into[lag] += static_cast<double>(fft_.time()[lag]) / fft_.size();
    }

    const FlatSound& sound_;
    const Recording& recording_;
    const Performance& performance_;
    std::size_t lags_;
    RealFft fft_;
};

/// The lag at which the first repeat stands, and how well sounds correlate at lags that mean nothing.
struct EchoLag {
    std::size_t lag = 0; ///< 0: none
    double usual = 0.0;
};

EchoLag strongestLag(const Correlation& sum, std::size_t lags) {
    const auto first = static_cast<std::size_t>(shortestEcho * echoRateHz);
    const auto last = std::min(lags, static_cast<std::size_t>(longestEcho * echoRateHz));
    std::size_t best = 0;
    std::vector<float> all;
    const double enough = 0.3 * *std::max_element(sum.weight.begin(), sum.weight.end());
    for (std::size_t lag = first; lag < last; ++lag) {
        if (sum.weight[lag] < enough) continue;
        if (lag % 7 == 0) all.push_back(static_cast<float>(sum.at(lag)));
        if (best == 0 || sum.at(lag) > sum.at(best)) best = lag;
    }
    if (best == 0 || all.size() < 100 || sum.at(best) < audibleEcho) return {};
    // A repeat of a repeat may be as loud; the first is the echo.
    for (int part : {3, 2}) {
        const std::size_t earlier = peakNear(sum, best / static_cast<std::size_t>(part), 24);
        if (earlier > first && sum.weight[earlier] >= enough && sum.at(earlier) > 0.8 * sum.at(best)) {
            best = earlier;
            break;
        }
    }
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() * 95 / 100), all.end());
    return {best, all[all.size() * 95 / 100]};
}

/// The strongest of each millisecond.
std::vector<float> strengthsOf(const Correlation& sum, std::size_t lags) {
    constexpr std::size_t perMs = static_cast<std::size_t>(echoRateHz / 1000.0);
    std::vector<float> strengths;
    const auto last = std::min(lags, static_cast<std::size_t>(longestEcho * echoRateHz));
    for (std::size_t begin = 0; begin + perMs <= last; begin += perMs) {
        double strongest = 0.0;
        for (std::size_t lag = begin; lag < begin + perMs; ++lag) strongest = std::max(strongest, sum.at(lag));
        strengths.push_back(static_cast<float>(strongest));
    }
    return strengths;
}

/// Level and side of the echo at a lag, and of its second repeat.
void describeEcho(Echo& echo, const Correlation& sum, std::size_t lags, const EchoLag& found) {
    const double l = sum.gain(sum.left, found.lag);
    const double r = sum.gain(sum.right, found.lag);
    echo.seconds = static_cast<double>(found.lag) / echoRateHz;
    echo.levelDb = dbFromGain(std::max(std::abs(l), std::abs(r)));
    echo.side = (r * r - l * l) / (r * r + l * l + 1e-30);
    const std::size_t second = peakNear(sum, 2 * found.lag, 12);
    if (2 * found.lag >= lags || sum.weight[second] <= 0.0) return;
    const double l2 = sum.gain(sum.left, second);
    const double r2 = sum.gain(sum.right, second);
    const double ratio = std::max(std::abs(l2), std::abs(r2)) / sum.at(found.lag);
    if (std::max(std::abs(l2), std::abs(r2)) <= std::max(0.5 * audibleEcho, 1.2 * found.usual)) return;
    echo.feedbackDb = dbFromGain(std::min(1.0, ratio));
    echo.secondSide = (r2 * r2 - l2 * l2) / (r2 * r2 + l2 * l2 + 1e-30);
}

/// Looks at what lies below a frequency.
Echo findEchoBelow(double highestHz, const Recording& recording, const Performance& performance, const Task& task) {
    constexpr std::size_t mostNotes = 12;
    Echo echo;
    const FlatSound sound(highestHz, recording, task);
    EchoCorrelation correlation(sound, recording, performance);
    for (std::size_t n = 0; n < performance.notes.size() && n < mostNotes; ++n) {
        task.check();
        correlation.addNote(n);
    }
    Correlation& sum = correlation.sum;
    if (!sound.stereo) sum.right = sum.left;
    echo.strengths = strengthsOf(sum, correlation.lags());
    const EchoLag found = strongestLag(sum, correlation.lags());
    if (found.lag == 0) return echo;
    echo.confidence = std::clamp((sum.at(found.lag) / (found.usual + 1e-9) - 1.5) / 3.0, 0.0, 1.0);
    if (echo.confidence < 0.25 || sum.at(found.lag) > 0.95 ||
        !agreed(correlation.samples, sound.mid, sound.left, sound.right, found.lag, sum.at(found.lag), performance)) {
        echo.confidence = 0.0;
        return echo;
    }
    describeEcho(echo, sum, correlation.lags(), found);
    return echo;
}

} // namespace

double Echo::strengthAt(double after) const {
    const auto at = static_cast<std::ptrdiff_t>(std::lround(1000.0 * after));
    constexpr std::ptrdiff_t reach = 3;
    double strongest = 0.0;
    for (std::ptrdiff_t ms = std::max<std::ptrdiff_t>(0, at - reach);
         ms <= at + reach && ms < static_cast<std::ptrdiff_t>(strengths.size()); ++ms)
        strongest = std::max(strongest, static_cast<double>(strengths[static_cast<std::size_t>(ms)]));
    return strongest;
}

Echo findEcho(const Recording& recording, const Performance& performance, const Task& task) {
    if (performance.notes.empty()) return {};
    Echo echo = findEchoBelow(0.5 * echoRateHz, recording, performance, task);
    if (echo.found()) return echo;
    constexpr double dark = 1500.0; // what repeats muffled has no more than this in common with the note
    Echo muffled = findEchoBelow(dark, recording, performance, task);
    return muffled.found() ? muffled : echo;
}

std::vector<float> withoutEcho(std::span<const float> mono48k, const Echo& echo) {
    const auto invert = [](std::span<const float> x, std::size_t lag, double level, double feedback) {
        std::vector<float> dry(x.begin(), x.end());
        for (std::size_t i = lag; i < dry.size(); ++i)
            dry[i] = static_cast<float>(x[i] - feedback * x[i - lag] - (level - feedback) * dry[i - lag]);
        return dry;
    };
    const std::vector<float> flat = flattened({mono48k.begin(), mono48k.end()});
    const auto flatLag = static_cast<std::size_t>(std::lround(echo.seconds * echoRateHz));
    // One side's echo is half as strong in the mix; which it is follows from the energy.
    const double level = gainFromDb(echo.levelDb);
    const double feedback = isMeasured(echo.feedbackDb) ? gainFromDb(echo.feedbackDb) : 0.0;
    double least = 1e300;
    double bestLevel = 0.0;
    double bestFeedback = 0.0;
    for (double share : {0.35, 0.45, 0.5, 0.55, 0.65, 0.8, 0.9, 1.0, 1.1, 1.25})
        for (double more : {0.7, 0.85, 1.0, 1.15, 1.3}) {
            const double f = std::min(0.95, feedback * more);
            double energy = 0.0;
            for (float v : invert(flat, flatLag, level * share, f)) energy += static_cast<double>(v) * v;
            if (energy < least) {
                least = energy;
                bestLevel = level * share;
                bestFeedback = f;
            }
        }
    return invert(mono48k, static_cast<std::size_t>(std::lround(echo.seconds * analysisRateHz)), bestLevel,
                  bestFeedback);
}

Decay decayBetween(std::span<const float> band, double from, double to) {
    constexpr double step = 0.002;
    constexpr int hop = static_cast<int>(step * analysisRateHz);
    Decay decay;
    std::vector<double> power;
    for (auto at = static_cast<std::size_t>(from * analysisRateHz);
         at + hop <= std::min(band.size(), static_cast<std::size_t>(to * analysisRateHz)); at += hop) {
        double sum = 0.0;
        for (std::size_t i = at; i < at + hop; ++i) sum += static_cast<double>(band[i]) * band[i];
        power.push_back(sum / hop);
    }
    if (power.size() < 20) return decay;
    // Smoothed over 30 ms, for the noise and for where the decay meets it.
    std::vector<double> smooth(power.size());
    constexpr std::size_t reach = 7;
    for (std::size_t i = 0; i < power.size(); ++i) {
        double sum = 0.0;
        std::size_t count = 0;
        for (std::size_t k = i > reach ? i - reach : 0; k <= i + reach && k < power.size(); ++k, ++count)
            sum += power[k];
        smooth[i] = sum / static_cast<double>(count);
    }
    double noise = 0.0;
    const std::size_t tenth = std::max<std::size_t>(5, power.size() / 10);
    for (std::size_t i = power.size() - tenth; i < power.size(); ++i) noise += power[i];
    noise = noise / static_cast<double>(tenth) + 1e-16;
    const double top = *std::max_element(
        smooth.begin(), smooth.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(smooth.size(), 15)));
    if (top <= 1e-14) return decay;
    decay.rangeDb = std::max(0.0, 10.0 * std::log10(top / noise));
    // Up to where it comes within 5 dB of what the end holds; what lies beyond follows the slope before it.
    std::size_t end = 0;
    while (end < smooth.size() && smooth[end] > noise * std::pow(10.0, 0.5)) ++end;
    if (end < 12) return decay;
    const std::size_t half = end / 2;
    const double slope = std::log(smooth[half] / smooth[end - 1]) / (static_cast<double>(end - 1 - half) * step);
    const double beyond = slope > 0.0 ? smooth[end - 1] / slope / step : 0.0;
    std::vector<double> curve(end);
    double sum = beyond;
    for (std::size_t i = end; i-- > 0;) {
        sum += std::max(0.0, power[i]);
        curve[i] = sum;
    }
    const double whole = curve.front();
    for (double& v : curve) v = 10.0 * std::log10(v / whole);
    const double reachable = curve.back();
    if (reachable < -25.0) {
        const double fall = slopeBetween(curve, step, -5.0, -25.0);
        if (isMeasured(fall) && fall < 0.0) decay.t20 = -60.0 / fall;
    }
    if (reachable < -35.0) {
        const double fall = slopeBetween(curve, step, -5.0, -35.0);
        if (isMeasured(fall) && fall < 0.0) decay.t30 = -60.0 / fall;
    }
    return decay;
}

double measurePreDelay(std::span<const float> mono48k, const Performance& performance) {
    constexpr double longest = 0.25;
    constexpr double leastGapDb = 8.0;
    const Track level = levelTrack(mono48k, 0.003);
    std::vector<float> found;
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        const double start = performance.notes[i].start;
        const double next = i + 1 < performance.notes.size() ? performance.notes[i + 1].start
                                                             : static_cast<double>(mono48k.size()) / analysisRateHz;
        const int first = std::max(0, level.indexAt(start));
        const int last = std::min(level.indexAt(std::min(next - 0.02, start + 2.0 * longest)),
                                  static_cast<int>(level.values.size()) - 1);
        if (last - first < 40) continue;
        const auto at = [&](int k) { return level.values[static_cast<std::size_t>(k)]; };
        // The hit, the lowest point of the gap after it, and the top behind the gap.
        const int window = std::min(last, first + static_cast<int>(longest / level.stepSeconds));
        int hit = first;
        int lowest = first;
        int rise = -1;
        for (int k = first; k <= window; ++k) {
            if (rise < 0 && at(k) > at(hit) && lowest == hit) hit = lowest = k;
            if (at(k) < at(lowest)) lowest = k;
            if (lowest > hit && at(hit) - at(lowest) > leastGapDb && at(k) > at(lowest) + leastGapDb) {
                rise = k;
                break;
            }
        }
        if (rise < 0) continue;
        int top = rise;
        while (top + 1 <= last && at(top + 1) > at(top)) ++top;
        // What sets in must go on: an echo of the hit would leave another gap of the same kind.
        const int later = std::min(last, top + (lowest - hit) + 5);
        float weakest = at(top);
        for (int k = top; k <= later; ++k) weakest = std::min(weakest, at(k));
        if (at(top) - weakest > leastGapDb + 4.0) continue;
        const float half = 0.5f * (at(lowest) + at(top));
        int crossing = lowest;
        while (crossing < top && at(crossing) < half) ++crossing;
        found.push_back(static_cast<float>(crossing * level.stepSeconds - start));
    }
    return medianOf(found);
}

SpaceProfile measureSpace(const Recording& recording48k, const Performance& performance, const Task& task) {
    SpaceProfile space;
    space.echo = findEcho(recording48k, performance, task);
    // The longest silence after a note shows most of what rings on.
    double from = 0.0;
    double to = 0.0;
    for (std::size_t i = 0; i < performance.notes.size(); ++i) {
        double lastEnd = 0.0;
        for (std::size_t k = 0; k <= i; ++k) lastEnd = std::max(lastEnd, performance.notes[k].end);
        const double next = i + 1 < performance.notes.size() ? performance.notes[i + 1].start : recording48k.seconds();
        if (next - lastEnd > to - from) {
            from = lastEnd;
            to = next;
        }
    }
    space.gapSeconds = to - from;
    for (double hz : decayBandHz) space.decays.push_back({.centerHz = hz});
    if (to - from < shortestGap) return space;
    const auto begin = static_cast<std::size_t>(std::max(0.0, from - 0.3) * analysisRateHz);
    const auto end = std::min(static_cast<std::size_t>(recording48k.frameCount()),
                              static_cast<std::size_t>((to + 0.1) * analysisRateHz));
    const std::vector<float> mono = monoMix(recording48k);
    RealFft fft(powerOfTwo(static_cast<double>(end - begin) + 4800.0));
    const Spectrum whole = spectrumOf(fft, mono, begin, end);
    const double offset = static_cast<double>(begin) / analysisRateHz;
    std::vector<float> middle;
    double bestRange = 0.0;
    for (Decay& decay : space.decays) {
        task.check();
        const double hz = decay.centerHz;
        decay = decayBetween(octaveBand(fft, whole, hz, end - begin), from - offset, to - offset);
        decay.centerHz = hz;
        if (hz >= 500.0 && hz <= 2000.0 && isMeasured(decay.t20)) middle.push_back(static_cast<float>(decay.t20));
        bestRange = std::max(bestRange, decay.rangeDb);
    }
    space.tailSeconds = medianOf(middle);
    if (!space.echo.found()) space.preDelay = measurePreDelay(mono, performance);
    if (isMeasured(space.tailSeconds)) {
        // The level that the tail's own line has where the note ends, re the last 50 ms of the note.
        const auto level = [&](double a, double b) {
            double sum = 0.0;
            const auto i0 = static_cast<std::size_t>(std::max(0.0, a) * analysisRateHz);
            const auto i1 = std::min(mono.size(), static_cast<std::size_t>(b * analysisRateHz));
            for (std::size_t i = i0; i < i1; ++i) sum += static_cast<double>(mono[i]) * mono[i];
            return i1 > i0 ? dbFromPower(sum / static_cast<double>(i1 - i0)) : silenceDb;
        };
        const double later = 0.3 * space.tailSeconds;
        space.tailDb = level(from + later - 0.025, from + later + 0.025) + 60.0 * later / space.tailSeconds -
                       level(from - 0.05, from);
    }
    return space;
}

} // namespace facet
