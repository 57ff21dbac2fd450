#include "core/analysis/facets/noise.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/window.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace facet {

namespace {

constexpr double hopSeconds = 0.02;
constexpr int lobeBins = 5;       ///< half of a Blackman–Harris main lobe, and one more for a pitch that moves
constexpr int periodsNeeded = 12; ///< in a window, so that bins remain between the lobes
constexpr double clickHz = 4000.0;

struct Band {
    double harmonic = 0.0;
    double noise = 0.0;
};
using Bands = std::array<Band, noiseBandHz.size()>;

int bandOf(double hz) {
    const double octave = std::log2(hz / noiseBandHz[0]);
    const auto band = static_cast<int>(std::lround(octave));
    return hz > 0.0 && band >= 0 && band < static_cast<int>(noiseBandHz.size()) ? band : -1;
}

class Splitter {
public:
    explicit Splitter(int frames) : size(frames), fft(frames), window(blackmanHarrisWindow(frames)) {}

    /// Which octave each bin belongs to, and whether it lies between the partials of a fundamental.
    void tune(double f0Hz) {
        const double binHz = static_cast<double>(analysisRateHz) / size;
        band.assign(static_cast<std::size_t>(fft.binCount()), -1);
        free.assign(band.size(), 0);
        for (int b = 2; b < fft.binCount() - 1 && b * binHz < 20000.0; ++b) {
            const double order = b * binHz / f0Hz;
            const double away = std::abs(order - std::round(order)) * f0Hz / binHz;
            band[static_cast<std::size_t>(b)] = bandOf(b * binHz);
            free[static_cast<std::size_t>(b)] = away > lobeBins || order < 0.5;
        }
    }

    /// Of the fundamental it is tuned to.
    Bands split(std::span<const float> mono, double seconds) {
        const int begin = static_cast<int>(std::lround(seconds * analysisRateHz)) - size / 2;
        windowedFrame(mono, begin, window, fft.time());
        fft.forward();
        Bands bands{};
        std::array<std::vector<float>, noiseBandHz.size()> between;
        std::array<int, noiseBandHz.size()> bins{};
        for (std::size_t b = 0; b < band.size(); ++b) {
            if (band[b] < 0) continue;
            const auto k = static_cast<std::size_t>(band[b]);
            const float power = std::norm(fft.bins()[b]);
            bands[k].harmonic += power;
            ++bins[k];
            if (free[b]) between[k].push_back(power);
        }
        for (std::size_t k = 0; k < bands.size(); ++k) {
            if (between[k].size() < 6) {
                bands[k].noise = 0.0;
                continue;
            }
            // The median of an exponential distribution is ln 2 of its mean; it ignores what is not noise.
            const double density = medianOf(between[k]) / std::log(2.0);
            bands[k].noise = std::min(bands[k].harmonic, density * bins[k]);
            bands[k].harmonic -= bands[k].noise;
        }
        return bands;
    }

    const int size;

private:
    RealFft fft;
    std::vector<float> window;
    std::vector<int> band;
    std::vector<char> free;
};

/// What a sound is about an instant as seen from the period before.
struct Foretold {
    bool jumps = false; ///< the level changes by 2 dB or more: nothing can be said of noise
    /// Share of each octave's power that is not foretold; nothing where there is no period before, or silence.
    std::optional<std::array<double, noiseBandHz.size()>> rest;
};

class PeriodPredictor {
public:
    /// Foretold from one period before or from two, which a source a fifth or an octave below repeats after.
    Foretold at(std::span<const float> mono, double seconds, double f0Hz) {
        const double period = analysisRateHz / f0Hz;
        const int length = std::max(static_cast<int>(2.0 * period), shortest);
        const auto begin = static_cast<std::ptrdiff_t>(std::lround(seconds * analysisRateHz)) - length / 2;
        Foretold found;
        double least = 1e300;
        for (const double lag : {period, 2.0 * period}) {
            if (begin < static_cast<std::ptrdiff_t>((1.0 + reach) * lag) + 2 + taps ||
                begin + length + taps >= static_cast<std::ptrdiff_t>(mono.size()))
                break;
            const float* now = mono.data() + begin;
            const float* before = now - bestLag(now, length, lag);
            const double energy = dotProduct(now, now, length), earlier = dotProduct(before, before, length);
            constexpr double silent = 1e-12, jump = 1.6;
            if (energy < silent * length) break;
            if (energy > jump * earlier || earlier > jump * energy) {
                found.jumps = !found.rest;
                break;
            }
            const Shares rest = shares(now, before, length);
            if (rest.all >= least) continue;
            least = rest.all;
            found.rest = rest.bands;
        }
        return found;
    }

private:
    static constexpr int taps = 3;       ///< on either side
    static constexpr double reach = 0.1; ///< of the lag, to either side
    static constexpr int shortest = 480;

    /// What is not foretold, of each octave and of everything.
    struct Shares {
        std::array<double, noiseBandHz.size()> bands;
        double all;
    };

    static int bestLag(const float* now, int length, double around) {
        int best = static_cast<int>(around);
        double most = -1.0;
        for (int lag = static_cast<int>((1.0 - reach) * around); lag <= static_cast<int>((1.0 + reach) * around) + 1;
             ++lag) {
            const double both = dotProduct(now, now - lag, length);
            const double alike = both / std::sqrt(dotProduct(now - lag, now - lag, length) + 1e-20);
            if (alike <= most) continue;
            most = alike;
            best = lag;
        }
        return best;
    }

    Shares shares(const float* now, const float* before, int length) {
        constexpr int count = 2 * taps + 1;
        Eigen::Matrix<double, count, count> products;
        Eigen::Matrix<double, count, 1> with;
        for (int i = 0; i < count; ++i) {
            with(i) = dotProduct(now, before + i - taps, length);
            for (int k = i; k < count; ++k)
                products(i, k) = products(k, i) = dotProduct(before + i - taps, before + k - taps, length);
        }
        products.diagonal().array() += 1e-9 * products.trace();
        const Eigen::Matrix<double, count, 1> weights = products.ldlt().solve(with);
        int size = 512;
        while (size < length) size *= 2;
        RealFft& fft = ffts_.try_emplace(size, size).first->second;
        const std::vector<float> window = hannWindow(length);
        const auto powers = [&](auto&& value) {
            std::fill(fft.time().begin(), fft.time().end(), 0.0f);
            for (int i = 0; i < length; ++i)
                fft.time()[static_cast<std::size_t>(i)] = window[static_cast<std::size_t>(i)] * value(i);
            fft.forward();
            std::array<double, noiseBandHz.size()> bands{};
            for (int b = 1; b < fft.binCount(); ++b)
                if (const int band = bandOf(b * static_cast<double>(analysisRateHz) / size); band >= 0)
                    bands[static_cast<std::size_t>(band)] += std::norm(fft.bins()[static_cast<std::size_t>(b)]);
            return bands;
        };
        const auto whole = powers([&](int i) { return now[i]; });
        auto rest = powers([&](int i) {
            double foretold = 0.0;
            for (int k = 0; k < count; ++k) foretold += weights(k) * before[i + k - taps];
            return static_cast<float>(now[i] - foretold);
        });
        // The noise of the period before is in what is foretold, too.
        const double twice = 1.0 + weights.squaredNorm();
        double unforetold = 0.0, all = 1e-30;
        for (std::size_t k = 0; k < rest.size(); ++k) {
            unforetold += rest[k] / twice;
            all += whole[k];
            rest[k] = whole[k] > 0.0 ? std::min(1.0, rest[k] / twice / whole[k]) : 1.0;
        }
        return {rest, unforetold / all};
    }

    std::map<int, RealFft> ffts_;
};

double ratioDb(double harmonic, double noise) {
    if (harmonic + noise <= 0.0) return notMeasurable;
    return std::clamp(dbFromPower((harmonic + 1e-20) / (noise + 1e-20)), -20.0, cleanRatioDb);
}

using Shares = std::array<double, noiseBandHz.size()>;
using Splitters = std::map<int, Splitter>;

/// Noise of each octave of all that lies between two instants, as shares of its power, seen through the longest window
/// that fits: voices that beat are lines there, noise is not. 1 where no window much longer than `usual` fits.
Shares sharesOfNoise(std::span<const float> mono, double from, double to, int usual, double f0Hz,
                     Splitters& splitters) {
    constexpr int longest = 65536, least = 4; // times the usual one
    Shares shares;
    shares.fill(1.0);
    int size = longest;
    while (size > 0 && size > (to - from) * analysisRateHz) size /= 2;
    if (size < least * usual) return shares;
    Splitter& splitter = splitters.try_emplace(size, size).first->second;
    splitter.tune(f0Hz);
    const Bands bands = splitter.split(mono, 0.5 * (from + to));
    for (std::size_t k = 0; k < bands.size(); ++k) {
        const double whole = bands[k].harmonic + bands[k].noise;
        if (whole > 0.0) shares[k] = bands[k].noise / whole;
    }
    return shares;
}

void capNoise(Bands& bands, const Shares& shares) {
    for (std::size_t k = 0; k < bands.size(); ++k) {
        const double whole = bands[k].harmonic + bands[k].noise;
        bands[k].noise = std::min(bands[k].noise, shares[k] * whole);
        bands[k].harmonic = whole - bands[k].noise;
    }
}

/// Takes out of what lies between the partials what is none, as the period before shows it: a gate, a slide, a filter
/// that moves fast spread partials there. False where nothing can be said of that instant.
bool withoutSpread(Bands& bands, const Foretold& foretold) {
    constexpr double surelyClean = 40.0, clearlyMore = 3.0; // dB
    double whole = 0.0, between = 0.0, unforetold = 0.0;
    for (std::size_t k = 0; k < bands.size(); ++k) {
        whole += bands[k].harmonic + bands[k].noise;
        between += bands[k].noise;
        if (foretold.rest) unforetold += (*foretold.rest)[k] * (bands[k].harmonic + bands[k].noise);
    }
    if (ratioDb(whole - between, between) > surelyClean) return true;
    if (foretold.jumps) return false;
    if (!foretold.rest || ratioDb(whole - unforetold, unforetold) < ratioDb(whole - between, between) + clearlyMore)
        return true;
    for (std::size_t k = 0; k < bands.size(); ++k) {
        const double all = bands[k].harmonic + bands[k].noise;
        bands[k].noise = std::min(bands[k].noise, (*foretold.rest)[k] * all);
        bands[k].harmonic = all - bands[k].noise;
    }
    return true;
}

/// Energy above clickHz by a second difference, which rises 12 dB per octave below it and needs no ringing filter.
double highEnergy(std::span<const float> mono, double from, double to) {
    const auto frame = [&](double t) {
        return std::clamp(static_cast<std::ptrdiff_t>(std::lround(t * analysisRateHz)), std::ptrdiff_t{1},
                          static_cast<std::ptrdiff_t>(mono.size()) - 1);
    };
    double sum = 0.0;
    const auto begin = frame(from);
    const auto end = frame(to);
    for (auto i = begin; i + 1 < end; ++i) {
        const auto k = static_cast<std::size_t>(i);
        const double bend = static_cast<double>(mono[k + 1]) - 2.0 * mono[k] + mono[k - 1];
        sum += bend * bend;
    }
    return end > begin + 1 ? sum / static_cast<double>(end - begin - 1) : 0.0;
}

} // namespace

NoiseProfile measureNoise(std::span<const float> mono48k, const Performance& performance,
                          const std::vector<double>& f0Hz, const Task& task) {
    NoiseProfile profile;
    profile.ratioDb.stepSeconds = hopSeconds;
    const double seconds = static_cast<double>(mono48k.size()) / analysisRateHz;
    profile.ratioDb.values.assign(static_cast<std::size_t>(seconds / hopSeconds) + 1, notMeasurable);
    profile.bandRatioDb.fill(notMeasurable);
    profile.bandNoiseDb.fill(notMeasurable);
    static thread_local std::map<int, Splitter> splitters; // each thread keeps the sizes it needed
    static thread_local PeriodPredictor predictor;
    Bands total{};
    bool any = false;
    double click = notMeasurable;
    for (std::size_t n = 0; n < performance.notes.size(); ++n) {
        const Note& note = performance.notes[n];
        const double next = n + 1 < performance.notes.size() ? performance.notes[n + 1].start : seconds;
        const double end = std::min({note.end, next, seconds});
        if (end - note.start > 0.08) {
            const double early = highEnergy(mono48k, note.start - 0.001, note.start + 0.004);
            const double later = highEnergy(mono48k, note.start + 0.02, note.start + 0.06);
            const double db = dbFromPower((early + 1e-14) / (later + 1e-14));
            if (!(click > db)) click = db;
        }
        if (!isMeasured(f0Hz[n]) || f0Hz[n] <= 0.0) continue;
        int size = 1024;
        while (size < 16384 && size < periodsNeeded * analysisRateHz / f0Hz[n]) size *= 2;
        if (size < 0.9 * periodsNeeded * analysisRateHz / f0Hz[n]) continue;
        const double reach = 0.5 * size / analysisRateHz;
        // The onset itself is spread over all bins: it is not noise that lasts.
        if (end - note.start < 2.0 * reach + 0.01) continue;
        Splitter& splitter = splitters.try_emplace(size, size).first->second;
        splitter.tune(f0Hz[n]);
        const auto longer = sharesOfNoise(mono48k, note.start + 0.01, end, size, f0Hz[n], splitters);
        for (double t = note.start + reach + 0.01; t <= end - reach; t += hopSeconds) {
            task.check();
            Bands bands = splitter.split(mono48k, t);
            capNoise(bands, longer);
            if (!withoutSpread(bands, predictor.at(mono48k, t, f0Hz[n]))) continue;
            // Power per sample, whatever the window's size.
            const double scale = 1.0 / (static_cast<double>(size) * size);
            double harmonic = 0.0;
            double noise = 0.0;
            for (std::size_t k = 0; k < bands.size(); ++k) {
                total[k].harmonic += scale * bands[k].harmonic;
                total[k].noise += scale * bands[k].noise;
                harmonic += bands[k].harmonic;
                noise += bands[k].noise;
            }
            const auto at = static_cast<std::size_t>(profile.ratioDb.indexAt(t));
            if (at < profile.ratioDb.values.size())
                profile.ratioDb.values[at] = static_cast<float>(ratioDb(harmonic, noise));
            any = true;
        }
    }
    profile.clickDb = click;
    if (!any) return profile;
    double harmonic = 0.0;
    double noise = 0.0;
    for (const Band& band : total) {
        harmonic += band.harmonic;
        noise += band.noise;
    }
    profile.harmonicToNoiseDb = ratioDb(harmonic, noise);
    // A straight line through the octave levels; an octave twice as wide holds 3 dB more of white noise.
    double weights = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    for (std::size_t k = 0; k < total.size(); ++k) {
        if (total[k].noise <= 0.0) continue;
        profile.bandRatioDb[k] = ratioDb(total[k].harmonic, total[k].noise);
        profile.bandNoiseDb[k] = dbFromPower(total[k].noise / (harmonic + noise));
        const auto octave = static_cast<double>(k);
        weights += 1.0;
        x += octave;
        y += profile.bandNoiseDb[k];
        xx += octave * octave;
        xy += octave * profile.bandNoiseDb[k];
    }
    if (weights >= 3.0 && profile.harmonicToNoiseDb < cleanRatioDb - 5.0)
        profile.slopeDbPerOctave = (weights * xy - x * y) / (weights * xx - x * x) - 10.0 * std::log10(2.0);
    return profile;
}

} // namespace facet
