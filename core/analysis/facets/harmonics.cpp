#include "core/analysis/facets/harmonics.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/fft.h"
#include "core/dsp/low_pass.h"
#include "core/dsp/window.h"

#include <algorithm>
#include <memory>
#include <numbers>

namespace facet {

namespace {

constexpr double coherentGain = 0.35875; // of the Blackman–Harris window, Harris 1978
constexpr int absentCounted = 6;
constexpr double countedRangeDb = 60.0; // partials further below the strongest say nothing
constexpr double outOfNoiseDb = 9.0;    // the strongest of the bins of a partial that is noise only
constexpr double sourceRangeDb = 48.0;  // and for naming a source even these may be a recording's noise

/// Responses in dB of the low-pass family on a grid of log frequency relative to the effective cutoff.
struct ResponseFamily {
    static constexpr int perOctave = 24;
    // Wide enough for the lowest partial under the highest cutoff and the reverse.
    static constexpr int lowest = -11 * perOctave; ///< grid steps below the effective cutoff
    static constexpr int highest = 11 * perOctave;
    static constexpr std::array<double, 6> resonances{-12.0, -6.0, -3.0, 3.0, 9.0, 15.0};
    struct Member {
        int poles;
        double resonanceDb;
        double peakDb;
        std::vector<float> response;
    };
    std::vector<Member> members;

    ResponseFamily() {
        // An analog prototype: far below half the rate the digital filter is the same.
        constexpr double rate = 1e7;
        constexpr double cutoff = 1000.0;
        for (int poles : {2, 4})
            for (double resonance : resonances) {
                Member member{poles, resonance, 0.0, {}};
                const double effective = effectiveCutoffHz(poles, cutoff, resonance, rate);
                for (int i = lowest; i <= highest; ++i) {
                    const double hz = effective * std::exp2(static_cast<double>(i) / perOctave);
                    member.response.push_back(
                        static_cast<float>(lowPassResponseDb(poles, cutoff, resonance, hz, rate)));
                    member.peakDb = std::max(member.peakDb, static_cast<double>(member.response.back()));
                }
                members.push_back(std::move(member));
            }
    }
};

const ResponseFamily& responseFamily() {
    static const ResponseFamily family;
    return family;
}

struct Counted {
    int gridStep; ///< of the partial's frequency, 24 per octave above 1 Hz
    float level;  ///< measured, re the source's own level
    float weight;
    bool absent; ///< lost below the range: only being predicted above it is wrong
};

struct FilterFit {
    double error = 1e9;
    int cutoffStep = 0;
    const ResponseFamily::Member* member = nullptr;
    const ResponseFamily::Member* other = nullptr; ///< of the same slope, mixed in
    float share = 0.0f;                            ///< of the other
    double peakDb() const { return member->peakDb + share * (other->peakDb - member->peakDb); }
};

/// Best low-pass with a free gain for levels relative to a source. `finely`: with resonances between those of the
/// family.
FilterFit bestFilter(const std::vector<Counted>& counted, double f0Hz, bool finely = false) {
    FilterFit best;
    const auto stepOf = [](double hz) {
        return static_cast<int>(std::lround(ResponseFamily::perOctave * std::log2(hz)));
    };
    const int first = stepOf(std::max(30.0, 0.5 * f0Hz));
    const int last = stepOf(22000.0);
    const auto tryMix = [&](const ResponseFamily::Member& member, const ResponseFamily::Member& other, float share,
                            int cutoff) {
        std::array<float, partialCount> apart;
        float mean = 0.0f;
        float present = 0.0f;
        for (std::size_t k = 0; k < counted.size(); ++k) {
            const auto at = static_cast<std::size_t>(counted[k].gridStep - cutoff - ResponseFamily::lowest);
            apart[k] = counted[k].level - member.response[at];
            if (share > 0.0f) apart[k] -= share * (other.response[at] - member.response[at]);
            if (counted[k].absent) continue;
            mean += counted[k].weight * apart[k];
            present += counted[k].weight;
        }
        mean /= present;
        // An unneeded filter or resonance should not win by a hair.
        const double peak = member.peakDb + share * (other.peakDb - member.peakDb);
        const double handicap = 0.02 * peak + 0.01 * (last - cutoff) / ResponseFamily::perOctave;
        const auto hopeless = static_cast<float>(present * (best.error - handicap));
        float sum = 0.0f;
        for (std::size_t k = 0; k < counted.size(); ++k) {
            const float by = apart[k] - mean;
            sum += counted[k].weight * (counted[k].absent ? std::max(0.0f, -by) : std::abs(by));
            if (sum > hopeless) return;
        }
        const double error = sum / present + handicap;
        if (error < best.error) best = {error, cutoff, &member, &other, share};
    };
    const auto tryCutoff = [&](const ResponseFamily::Member& member, int cutoff) {
        tryMix(member, member, 0.0f, cutoff);
    };
    constexpr int coarse = 8;
    // Every other of the family finds the neighborhood.
    const auto& members = responseFamily().members;
    for (std::size_t m = 0; m < members.size(); m += 2)
        for (int cutoff = first; cutoff <= last; cutoff += coarse) tryCutoff(members[m], cutoff);
    const int middle = best.cutoffStep;
    for (const auto& member : members)
        for (int cutoff = middle - coarse + 1; cutoff < middle + coarse; ++cutoff)
            if (cutoff != middle || &member != best.member) tryCutoff(member, cutoff);
    if (!finely) return best;
    const FilterFit found = best;
    for (const auto& other : members) {
        if (other.poles != found.member->poles || std::abs(&other - found.member) != 1) continue;
        for (float share : {0.25f, 0.5f, 0.75f})
            for (int by = -3; by <= 3; ++by) tryMix(*found.member, other, share, found.cutoffStep + by);
    }
    return best;
}

/// `betweenDb` may be null.
std::vector<Counted> countedPartials(const Partials& partials, const Partials* betweenDb, double f0Hz,
                                     TextbookWave wave, double width, double rangeDb) {
    const float strongest = *std::max_element(partials.begin(), partials.end());
    std::vector<Counted> counted;
    int last = 0; ///< highest partial that is present
    for (int n = 1; n <= partialCount; ++n) {
        const double hz = n * f0Hz;
        if (hz > 20000.0) break;
        if (hz < 12.0) continue; // below hearing
        const auto at = static_cast<std::size_t>(n - 1);
        const double source = std::max(textbookPartialDb(wave, width, n), -rangeDb - 10.0);
        const double measured = std::max<double>(partials[at], strongest - rangeDb);
        const double depth = strongest - measured;
        const bool absent = depth >= rangeDb || (betweenDb && partials[at] < (*betweenDb)[at] + outOfNoiseDb);
        if (absent && source <= -rangeDb) continue;    // neither has it
        if (absent && n > last + absentCounted) break; // further ones say the same again
        if (!absent) last = n;
        counted.push_back({static_cast<int>(std::lround(ResponseFamily::perOctave * std::log2(hz))),
                           static_cast<float>(measured - source),
                           static_cast<float>(1.0 / (1.0 + depth / 20.0) / std::sqrt(n)), absent});
    }
    return counted;
}

} // namespace

struct PartialMeter::Transform {
    RealFft fft;
    std::vector<float> window;
    explicit Transform(int size) : fft(size), window(blackmanHarrisWindow(size)) {}
};

Partials PartialMeter::measure(std::span<const float> mono48k, double seconds, double f0Hz, Partials* betweenDb) {
    int size = 1024;
    while (size < 16384 && size < 6.0 * analysisRateHz / f0Hz) size *= 2;
    auto found =
        std::find_if(transforms_.begin(), transforms_.end(), [size](const auto& t) { return t->fft.size() == size; });
    if (found == transforms_.end()) found = transforms_.insert(transforms_.end(), std::make_shared<Transform>(size));
    Transform& transform = **found;
    const int begin = static_cast<int>(std::lround(seconds * analysisRateHz)) - size / 2;
    windowedFrame(mono48k, begin, transform.window, transform.fft.time());
    transform.fft.forward();
    Partials partials;
    partials.fill(static_cast<float>(silenceDb));
    const auto bins = transform.fft.bins();
    const double binHz = static_cast<double>(analysisRateHz) / size;
    const double fullScaleDb = dbFromGain(0.5 * size * coherentGain);
    if (betweenDb) {
        betweenDb->fill(static_cast<float>(silenceDb));
        const auto powerAt = [&](double partial) {
            const auto middle = static_cast<int>(std::lround(partial * f0Hz / binHz));
            double sum = 0.0;
            for (int b = std::max(1, middle - 1); b <= std::min(transform.fft.binCount() - 1, middle + 1); ++b)
                sum += std::norm(bins[static_cast<std::size_t>(b)]) / 3.0;
            return sum;
        };
        for (int n = 1; n <= partialCount && (n + 0.5) * f0Hz < 0.48 * analysisRateHz; ++n)
            (*betweenDb)[static_cast<std::size_t>(n - 1)] =
                static_cast<float>(dbFromPower(0.5 * (powerAt(n - 0.5) + powerAt(n + 0.5)) + 1e-20) - fullScaleDb);
    }
    for (int n = 1; n <= partialCount && n * f0Hz < 0.47 * analysisRateHz; ++n) {
        const double center = n * f0Hz / binHz;
        const double reach = std::clamp(0.03 * center, 1.0, 0.4 * f0Hz / binHz);
        const int low = std::max(1, static_cast<int>(std::ceil(center - reach)));
        const int high = std::min(transform.fft.binCount() - 2, static_cast<int>(std::floor(center + reach)));
        int peak = low;
        for (int b = low; b <= high; ++b)
            if (std::norm(bins[static_cast<std::size_t>(b)]) > std::norm(bins[static_cast<std::size_t>(peak)]))
                peak = b;
        const auto levelOf = [&](int b) { return dbFromPower(std::norm(bins[static_cast<std::size_t>(b)]) + 1e-20); };
        const double a = levelOf(peak - 1);
        const double b = levelOf(peak);
        const double c = levelOf(peak + 1);
        const double curvature = a - 2.0 * b + c;
        const double shift = curvature < 0.0 ? std::clamp(0.5 * (a - c) / curvature, -0.5, 0.5) : 0.0;
        const double level = b - 0.25 * (a - c) * shift - fullScaleDb;
        partials[static_cast<std::size_t>(n - 1)] = static_cast<float>(std::max(silenceDb, level));
    }
    return partials;
}

HarmonicBalance balanceOf(const Partials& partials) {
    HarmonicBalance balance;
    double odd = 0.0, even = 0.0;
    double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    const float strongest = *std::max_element(partials.begin(), partials.end());
    for (int k = 1; k <= partialCount; ++k) {
        const double db = partials[static_cast<std::size_t>(k - 1)] - strongest;
        if (db < -countedRangeDb) continue;
        if (k > 1) (k % 2 ? odd : even) += std::pow(10.0, db / 10.0);
        const double octave = std::log2(k);
        n += 1.0;
        x += octave;
        y += db;
        xx += octave * octave;
        xy += octave * db;
    }
    balance.fundamentalDb = partials[0] - strongest;
    if (n < 3.0) return balance;
    balance.slopeDbPerOctave = (n * xy - x * y) / (n * xx - x * x);
    balance.oddEvenDb = std::clamp(dbFromPower((odd + 1e-7) / (even + 1e-7)), -60.0, 60.0);
    return balance;
}

double textbookPartialDb(TextbookWave wave, double pulseWidth, int n) {
    switch (wave) {
    case TextbookWave::sine: return n == 1 ? 0.0 : silenceDb;
    case TextbookWave::triangle:
        return n % 2 == 1 ? dbFromGain(8.0 / (std::numbers::pi * std::numbers::pi * n * n)) : silenceDb;
    case TextbookWave::saw: return dbFromGain(2.0 / (std::numbers::pi * n));
    case TextbookWave::pulse:
        return dbFromGain(4.0 / (std::numbers::pi * n) * std::abs(std::sin(std::numbers::pi * n * pulseWidth)));
    }
    return silenceDb;
}

SourceFit fitSource(const Partials& partials, double f0Hz, const Partials* betweenDb) {
    struct Hypothesis {
        TextbookWave wave;
        double width;
    };
    SourceFit best;
    double bestError = 1e9;
    const auto tryOne = [&](const Hypothesis& h) {
        const auto counted = countedPartials(partials, betweenDb, f0Hz, h.wave, h.width, sourceRangeDb);
        if (std::all_of(counted.begin(), counted.end(), [](const Counted& c) { return c.absent; })) return;
        // A width can bend to what the filter family does not quite explain: it should not win by a hair.
        const bool freeWidth = h.wave == TextbookWave::pulse && h.width < 0.485;
        const double error = bestFilter(counted, f0Hz).error + (freeWidth ? 0.3 : 0.0);
        if (error < bestError) {
            bestError = error;
            best = {h.wave, h.width, error};
        }
    };
    for (const Hypothesis& h :
         {Hypothesis{TextbookWave::saw, 0.5}, {TextbookWave::triangle, 0.5}, {TextbookWave::sine, 0.5}})
        tryOne(h);
    for (double width = 0.05; width <= 0.501; width += 0.01) tryOne({TextbookWave::pulse, width});
    if (best.wave == TextbookWave::pulse) // the nulls of a width stand close: go finer around the best
        for (double step : {0.005, 0.0025}) {
            const double middle = best.pulseWidth;
            for (double width : {middle - step, middle + step})
                if (width >= 0.02 && width <= 0.5) tryOne({TextbookWave::pulse, width});
        }
    return best;
}

CutoffFit fitCutoff(const Partials& partials, double f0Hz, TextbookWave wave, double pulseWidth,
                    const Partials* betweenDb) {
    const auto counted = countedPartials(partials, betweenDb, f0Hz, wave, pulseWidth, countedRangeDb);
    CutoffFit fit;
    if (std::count_if(counted.begin(), counted.end(), [](const Counted& c) { return !c.absent; }) < 2) return fit;
    const FilterFit best = bestFilter(counted, f0Hz, true);
    fit.effectiveHz = std::exp2(static_cast<double>(best.cutoffStep) / ResponseFamily::perOctave);
    fit.resonanceDb = std::max(0.0, best.peakDb());
    fit.poles = best.member->poles;
    fit.errorDb = best.error;
    for (const Counted& c : counted)
        if (!c.absent) ++(c.gridStep < best.cutoffStep ? fit.below : fit.above);
    return fit;
}

double slopeAbove(double cutoffHz, const Partials& partials, double f0Hz, TextbookWave wave, double pulseWidth,
                  const Partials* betweenDb) {
    double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    double lowest = notMeasurable;
    double highest = notMeasurable;
    for (const Counted& c : countedPartials(partials, betweenDb, f0Hz, wave, pulseWidth, countedRangeDb)) {
        const double octave = static_cast<double>(c.gridStep) / ResponseFamily::perOctave;
        // From a third of an octave on the slope is that of the poles.
        if (c.absent || octave < std::log2(cutoffHz) + 1.0 / 3.0) continue;
        if (!isMeasured(lowest)) lowest = octave;
        highest = octave;
        n += 1.0;
        x += octave;
        y += c.level;
        xx += octave * octave;
        xy += octave * c.level;
    }
    return n < 3.0 || highest - lowest < 0.5 ? notMeasurable : (n * xy - x * y) / (n * xx - x * x);
}

} // namespace facet
