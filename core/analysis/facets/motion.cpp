#include "core/analysis/facets/motion.h"

#include "core/audio/recording.h"
#include "core/base/units.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace facet {

namespace {

/// Length of what YIN compares at once, which smooths a vibrato: its integration window.
constexpr double pitchWindowSeconds = 2048.0 / analysisRateHz;
constexpr int beatingPartials = 16;
constexpr double beatingRange = 40.0; ///< dB below the strongest partial
constexpr double widestDetune = 60.0; ///< cents
constexpr double trustedBeating = 0.75;

double sinc(double x) { return std::abs(x) < 1e-9 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x); }

std::vector<float> between(const Track& track, double from, double to) {
    std::vector<float> values;
    for (int i = std::max(0, static_cast<int>(std::ceil(from / track.stepSeconds)));
         i <= static_cast<int>(to / track.stepSeconds) && i < static_cast<int>(track.values.size()); ++i)
        values.push_back(track.values[static_cast<std::size_t>(i)]);
    return values;
}

/// Seconds after which a change begins: the first moment its running depth reaches half of the whole.
double onsetOf(const std::vector<float>& values, double step, const PeriodicChange& change) {
    const auto period = static_cast<std::size_t>(std::max(2.0, std::round(1.0 / (change.rateHz * step))));
    for (std::size_t i = 0; i + period < values.size(); ++i) {
        float low = 1e9f;
        float high = -1e9f;
        for (std::size_t k = i; k < i + period; ++k)
            if (isMeasured(values[k])) {
                low = std::min(low, values[k]);
                high = std::max(high, values[k]);
            }
        if (high - low > change.depth) return static_cast<double>(i) * step;
    }
    return 0.0;
}

double driftOf(std::vector<float> values, double step) {
    // Mean over a second, moving: what remains is slower than 1 Hz.
    const auto reach = static_cast<std::size_t>(0.5 / step);
    if (values.size() < 3 * reach) return notMeasurable;
    std::vector<double> slow;
    for (std::size_t i = reach; i + reach < values.size(); ++i) {
        double sum = 0.0;
        int count = 0;
        for (std::size_t k = i - reach; k <= i + reach; ++k)
            if (isMeasured(values[k])) {
                sum += values[k];
                ++count;
            }
        if (count > 0) slow.push_back(sum / count);
    }
    if (slow.size() < 8) return notMeasurable;
    double mean = 0.0;
    for (double v : slow) mean += v;
    mean /= static_cast<double>(slow.size());
    double square = 0.0;
    for (double v : slow) square += (v - mean) * (v - mean);
    return std::sqrt(square / static_cast<double>(slow.size()));
}

/// Power of partial n over time: the sound turned down to 0 Hz and averaged over `hop` and twice again.
std::vector<float> partialPower(std::span<const float> mono, double from, double to, double hz, int hop) {
    const auto begin = static_cast<std::size_t>(from * analysisRateHz);
    const auto end = std::min(mono.size(), static_cast<std::size_t>(to * analysisRateHz));
    std::vector<std::complex<float>> blocks;
    const std::complex<float> turn =
        std::polar(1.0f, static_cast<float>(-2.0 * std::numbers::pi * hz / analysisRateHz));
    for (std::size_t at = begin; at + static_cast<std::size_t>(hop) <= end; at += static_cast<std::size_t>(hop)) {
        // Anchored anew at each block, so that rounding does not build up.
        const double angle = -2.0 * std::numbers::pi * std::fmod(hz * static_cast<double>(at) / analysisRateHz, 1.0);
        std::complex<float> phasor = std::polar(1.0f, static_cast<float>(angle));
        std::complex<float> sum = 0.0f;
        for (std::size_t i = at; i < at + static_cast<std::size_t>(hop); ++i) {
            sum += phasor * mono[i];
            phasor *= turn;
        }
        blocks.push_back(sum / static_cast<float>(hop));
    }
    std::vector<float> power;
    for (std::size_t i = 1; i + 1 < blocks.size(); ++i)
        power.push_back(std::norm(0.25f * blocks[i - 1] + 0.5f * blocks[i] + 0.25f * blocks[i + 1]));
    return power;
}

struct Beating {
    double cents = notMeasurable;
    double confidence = 0.0;
};

/// Two voices Δ apart let partial n beat at n times the rate of the fundamental: one rate is fitted to the power of all
/// partials together, each with its own trend, depth and phase.
/// `togetherHz`: rates at which something moves all partials alike; what they explain as well is no beating.
Beating beatingOf(std::span<const float> mono, double from, double to, double f0Hz,
                  std::initializer_list<double> togetherHz, const Task& task) {
    Beating beating;
    // An averaging window of whole periods takes the other partials out.
    const int hop = static_cast<int>(std::lround(std::max(1.0, std::ceil(0.004 * f0Hz)) * analysisRateHz / f0Hz));
    const double step = static_cast<double>(hop) / analysisRateHz;
    const double span = to - from;
    if (span < 0.25 || span < 12.0 * step) return beating;
    struct Partial {
        int n;
        double weight;
        Eigen::VectorXd rest;
        Eigen::MatrixXd basis;
        double variance;
    };
    std::vector<Partial> partials;
    double strongest = 0.0;
    for (int n = 1; n <= beatingPartials && n * f0Hz < 16000.0; ++n) {
        task.check();
        const auto power = partialPower(mono, from, to, n * f0Hz, hop);
        if (power.size() < 10) return beating;
        double mean = 0.0;
        for (float p : power) mean += p;
        mean /= static_cast<double>(power.size());
        strongest = std::max(strongest, mean);
        if (mean < strongest * std::pow(10.0, -beatingRange / 10.0) || mean <= 0.0) continue;
        const auto count = static_cast<Eigen::Index>(power.size());
        Eigen::MatrixXd trend(count, 3);
        Eigen::VectorXd logs(count);
        for (Eigen::Index i = 0; i < count; ++i) {
            const double u = 2.0 * static_cast<double>(i) / static_cast<double>(count - 1) - 1.0;
            trend.row(i) << 1.0, u, 1.5 * u * u - 0.5;
            logs(i) = std::log(power[static_cast<std::size_t>(i)] + 1e-4 * mean);
        }
        Partial partial;
        partial.n = n;
        // Divided by its slow course, so that a decay does not weigh where the note is loud.
        const Eigen::VectorXd slope = trend * trend.householderQr().solve(logs);
        Eigen::VectorXd y(count);
        for (Eigen::Index i = 0; i < count; ++i) y(i) = power[static_cast<std::size_t>(i)] / std::exp(slope(i));
        partial.basis =
            Eigen::HouseholderQR<Eigen::MatrixXd>(trend).householderQ() * Eigen::MatrixXd::Identity(count, 3);
        partial.rest = y - partial.basis * (partial.basis.transpose() * y);
        partial.variance = partial.rest.squaredNorm();
        // A partial that hardly moves says little; one that beats fully varies by about its own mean.
        partial.weight = std::min(1.0, partial.variance / (0.05 * static_cast<double>(count)));
        partials.push_back(std::move(partial));
    }
    double weights = 0.0;
    for (const Partial& partial : partials) weights += partial.weight;
    if (partials.empty() || weights < 0.15 * static_cast<double>(partials.size())) return beating;
    const auto explained = [&](double apartHz, bool together = false) {
        double sum = 0.0;
        for (const Partial& partial : partials) {
            const double rate = together ? apartHz : partial.n * apartHz;
            if (rate * span < 0.8 || rate > 0.35 / step) continue;
            // Cosine and sine by turning a phasor, and their sums with the trend and with what is left of the power:
            // the rest has no trend in it, so only the waves' own squares need theirs taken out.
            const auto count = partial.rest.size();
            const double angle = 2.0 * std::numbers::pi * rate * step;
            const double turnReal = std::cos(angle);
            const double turnImag = std::sin(angle);
            double real = 1.0;
            double imag = 0.0;
            Eigen::Vector2d right = Eigen::Vector2d::Zero();
            Eigen::Matrix2d normal = Eigen::Matrix2d::Zero();
            Eigen::Matrix<double, 3, 2> trends = Eigen::Matrix<double, 3, 2>::Zero();
            for (Eigen::Index i = 0; i < count; ++i) {
                right(0) += real * partial.rest(i);
                right(1) += imag * partial.rest(i);
                normal(0, 0) += real * real;
                normal(0, 1) += real * imag;
                normal(1, 1) += imag * imag;
                for (Eigen::Index k = 0; k < 3; ++k) {
                    trends(k, 0) += partial.basis(i, k) * real;
                    trends(k, 1) += partial.basis(i, k) * imag;
                }
                const double next = real * turnReal - imag * turnImag;
                imag = real * turnImag + imag * turnReal;
                real = next;
            }
            normal(1, 0) = normal(0, 1);
            normal -= trends.transpose() * trends;
            sum += partial.weight * right.dot(normal.ldlt().solve(right)) / (partial.variance + 1e-30);
        }
        return sum / weights;
    };
    const int highest = partials.back().n;
    const double widest = f0Hz * (std::exp2(widestDetune / 1200.0) - 1.0);
    const double finest = 0.15 / (span * highest);
    double best = 0.0;
    double apart = notMeasurable;
    // No finer than where the highest partial beats once.
    for (double hz = 0.9 / (span * highest); hz <= widest; hz += std::max(finest, 0.004 * hz)) {
        task.check();
        if (const double share = explained(hz); share > best) {
            best = share;
            apart = hz;
        }
    }
    if (!isMeasured(apart)) return beating;
    for (double reach = 0.5 * std::max(finest, 0.004 * apart); reach > 1e-3 * finest; reach *= 0.5)
        for (double hz : {apart - reach, apart + reach})
            if (const double share = explained(hz); share > best) {
                best = share;
                apart = hz;
            }
    for (double hz : togetherHz)
        if (isMeasured(hz) && explained(hz, true) > best - 0.1) return beating;
    beating.confidence = best;
    if (best > trustedBeating) beating.cents = 1200.0 * std::log2(1.0 + apart / f0Hz);
    return beating;
}

} // namespace

NamedMotion MotionProfile::strongest() const {
    // Depths in steps that are easily heard.
    const double steps[] = {vibrato.found() ? vibrato.depth / 5.0 : 0.0, tremolo.found() ? tremolo.depth / 0.12 : 0.0,
                            filter.found() ? filter.depth / 0.2 : 0.0};
    if (steps[1] > steps[0] && steps[1] >= steps[2]) return {tremolo, "tremolo", "share of the level"};
    if (steps[2] > steps[0]) return {filter, "filter movement", "octaves"};
    return {vibrato, "vibrato", "cents"};
}

namespace {

/// Lets the phase of a change that was found `margin` seconds into a note count from the note's beginning.
void fromNote(PeriodicChange& change, double margin) {
    change.phase -= change.rateHz * margin;
    change.phase -= std::floor(change.phase);
}

} // namespace

MotionProfile measureMotion(std::span<const float> mono48k, const Performance& performance,
                            const std::vector<double>& f0Hz, const Track& pitchCents, const Track& levelDb,
                            double levelSmoothing, const Track& cutoffHz, const Task& task) {
    MotionProfile motion;
    const double seconds = static_cast<double>(mono48k.size()) / analysisRateHz;
    // The longest note first: what it tells is told best.
    std::vector<std::size_t> order(performance.notes.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    const auto lengthOf = [&](std::size_t i) {
        const double next = i + 1 < performance.notes.size() ? performance.notes[i + 1].start : seconds;
        return std::min({performance.notes[i].end, next, seconds}) - performance.notes[i].start;
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return lengthOf(a) > lengthOf(b); });
    if (order.size() > 2) order.resize(2);
    for (std::size_t i : order) {
        task.check();
        const double start = performance.notes[i].start;
        const double end = start + lengthOf(i);
        if (end - start < 0.25) continue;
        ++motion.noteCount;
        constexpr double pitchMargin = 0.04, cutoffMargin = 0.03;
        const auto pitch = between(pitchCents, start + pitchMargin, end - 0.03);
        if (!motion.vibrato.found()) {
            motion.vibrato = findPeriodicChange(pitch, pitchCents.stepSeconds, {.lowestHz = 1.0, .highestHz = 16.0});
            if (motion.vibrato.found()) {
                const double passed = sinc(motion.vibrato.rateHz * pitchWindowSeconds);
                motion.vibrato.depth /= passed;
                fromNote(motion.vibrato, pitchMargin);
                for (float& v : motion.vibrato.cycle) v /= static_cast<float>(passed);
                if (motion.vibrato.depth < 1.5)
                    motion.vibrato = {}; // less is the measurement's own
                else
                    motion.vibratoOnset = onsetOf(pitch, pitchCents.stepSeconds, motion.vibrato);
            }
        }
        if (!isMeasured(motion.driftCents) && !motion.vibrato.found())
            motion.driftCents = driftOf(pitch, pitchCents.stepSeconds);
        if (!motion.tremolo.found()) {
            const double margin = std::max(0.03, levelSmoothing);
            std::vector<float> amplitude = between(levelDb, start + margin, end - margin);
            double mean = 0.0;
            for (float& v : amplitude) {
                v = static_cast<float>(gainFromDb(v));
                mean += v;
            }
            mean /= std::max<double>(1.0, static_cast<double>(amplitude.size()));
            for (float& v : amplitude) v /= static_cast<float>(mean + 1e-12);
            // Every fourth millisecond is enough for 30 Hz and four times as quick.
            std::vector<float> thinned;
            for (std::size_t k = 0; k < amplitude.size(); k += 4) thinned.push_back(amplitude[k]);
            if (motion.tremoloRate.empty()) {
                const auto [softest, loudest] = std::minmax_element(thinned.begin(), thinned.end());
                if (!thinned.empty() && *softest < 0.7f * *loudest)
                    motion.tremoloRate = rateOverTime(thinned, 4.0 * levelDb.stepSeconds);
                for (CurvePoint& point : motion.tremoloRate) point.seconds += start + margin;
            }
            PeriodicChange found =
                findPeriodicChange(thinned, 4.0 * levelDb.stepSeconds,
                                   {.lowestHz = 1.0, .highestHz = std::min(25.0, 0.3 / levelSmoothing)});
            if (found.found() && found.depth > 0.02) {
                motion.tremolo = found;
                fromNote(motion.tremolo, margin);
                motion.tremoloDepthDb = tremoloDb(found);
            }
        }
        if (!motion.filter.found()) {
            std::vector<float> octaves = between(cutoffHz, start + cutoffMargin, end - 0.02);
            for (float& v : octaves) v = std::log2(v);
            PeriodicChange found =
                findPeriodicChange(octaves, cutoffHz.stepSeconds, {.lowestHz = 0.5, .highestHz = 16.0});
            if (found.found() && found.depth > 0.06) {
                motion.filter = found;
                fromNote(motion.filter, cutoffMargin);
            }
        }
        if (!isMeasured(motion.detuneCents) && isMeasured(f0Hz[i])) {
            const Beating beating = beatingOf(mono48k, start + 0.02, end - 0.01, f0Hz[i],
                                              {motion.tremolo.rateHz, motion.vibrato.rateHz}, task);
            motion.detuneConfidence = std::max(motion.detuneConfidence, beating.confidence);
            motion.detuneCents = beating.cents;
            if (isMeasured(beating.cents)) {
                // The strongest partial's beating is not a tremolo or a vibrato besides.
                motion.tremolo = {};
                motion.tremoloRate.clear();
                motion.tremoloDepthDb = notMeasurable;
                motion.vibrato = {};
                motion.vibratoOnset = notMeasurable;
                motion.filter = {};
            }
        }
    }
    // A deep gate leaves nothing to measure in between: what else moves at its rate is the gate seen again.
    if (motion.tremolo.found() && motion.tremoloDepthDb > 12.0)
        for (PeriodicChange* other : {&motion.vibrato, &motion.filter}) {
            const double times = other->rateHz / motion.tremolo.rateHz;
            if (other->found() && std::round(times) >= 1.0 && std::abs(times / std::round(times) - 1.0) < 0.03)
                *other = {};
        }
    return motion;
}

double tremoloDb(const PeriodicChange& tremolo) {
    if (!tremolo.found()) return notMeasurable;
    const auto [low, high] = std::minmax_element(tremolo.cycle.begin(), tremolo.cycle.end());
    return -dbFromGain(std::max(1e-3, (1.0 + *low) / (1.0 + *high)));
}

const char* nearestNoteValue(double rateHz, double beatsPerMinute) {
    struct Value {
        const char* name;
        double quarters;
    };
    static constexpr Value values[] = {{"1/32 triplet", 1.0 / 12},
                                       {"1/32", 1.0 / 8},
                                       {"1/16 triplet", 1.0 / 6},
                                       {"1/32 dotted", 3.0 / 16},
                                       {"1/16", 1.0 / 4},
                                       {"1/8 triplet", 1.0 / 3},
                                       {"1/16 dotted", 3.0 / 8},
                                       {"1/8", 1.0 / 2},
                                       {"1/4 triplet", 2.0 / 3},
                                       {"1/8 dotted", 3.0 / 4},
                                       {"1/4", 1.0},
                                       {"1/2 triplet", 4.0 / 3},
                                       {"1/4 dotted", 1.5},
                                       {"1/2", 2.0},
                                       {"1/2 dotted", 3.0},
                                       {"1 bar", 4.0},
                                       {"2 bars", 8.0},
                                       {"4 bars", 16.0},
                                       {"8 bars", 32.0}};
    if (!isMeasured(rateHz) || rateHz <= 0.0 || beatsPerMinute <= 0.0) return "";
    const double quarters = beatsPerMinute / 60.0 / rateHz;
    for (const Value& value : values)
        if (std::abs(quarters / value.quarters - 1.0) < 0.02) return value.name;
    return "";
}

} // namespace facet
