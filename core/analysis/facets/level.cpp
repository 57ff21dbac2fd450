#include "core/analysis/facets/level.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/least_squares.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/envelope.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace facet {

namespace {

constexpr double levelStepSeconds = 0.001;
constexpr double leastDecayDb = 0.8;
constexpr double explainedDb = 0.35; ///< mean deviation below which a fit needs no further segments
constexpr double rangeDb = 60.0;     ///< below its peak a note's level is not fitted

/// Two passes of a moving average: a triangular window, close to a Hann window of the same length.
template <typename T> void smooth(std::vector<T>& values, int length) {
    const int half = std::max(1, length / 2);
    const int count = static_cast<int>(values.size());
    std::vector<double> sums(static_cast<std::size_t>(count) + 1);
    for (int pass = 0; pass < 2; ++pass) {
        for (int i = 0; i < count; ++i)
            sums[static_cast<std::size_t>(i) + 1] =
                sums[static_cast<std::size_t>(i)] + static_cast<double>(values[static_cast<std::size_t>(i)]);
        // One pass looks half a step back and the other half a step ahead, so that the pair is centered.
        const int back = pass == 0 ? half / 2 : (half - 1) / 2;
        for (int i = 0; i < count; ++i) {
            const int from = std::max(0, i - back);
            const int to = std::min(count, i - back + half);
            values[static_cast<std::size_t>(i)] =
                static_cast<T>(std::max(0.0, sums[static_cast<std::size_t>(std::max(from, to))] -
                                                 sums[static_cast<std::size_t>(from)]) /
                               half);
        }
    }
}

int stepsOf(double seconds) { return std::max(2, static_cast<int>(std::lround(seconds / levelStepSeconds))); }

enum {
    logAttack,
    logDecay,
    bend,
    sustainDb,
    logRelease,
    releaseBend,
    peakDb,
    gateSeconds,
    delaySeconds,
    holdSeconds,
    attackBend,
    parameterCount
};

/// Writes a segment that goes from `first` by `way` within `seconds`, where the steps from `begin` on (seconds of the
/// first of them) lie; to the end of `values`.
void writeSegment(const SegmentCurve& curve, double first, double way, double begin, double seconds, std::size_t from,
                  std::size_t to, std::vector<double>& values) {
    std::array<double, 16> some{};
    for (std::size_t i = from; i < to; i += some.size()) {
        for (std::size_t k = 0; k < some.size(); ++k)
            some[k] = (begin + static_cast<double>(i - from + k) * levelStepSeconds) / seconds;
        curve.apply(some);
        for (std::size_t k = 0; k < some.size() && i + k < to; ++k) values[i + k] = first + way * some[k];
    }
}

/// Values of an envelope whose key is let go at `gate`, `count` steps from its beginning on.
std::vector<double> envelopeOver(const EnvelopeShape& shape, double gate, int count) {
    std::vector<double> values(static_cast<std::size_t>(count), shape.sustain);
    const auto stepOf = [&](double seconds) { // the first that lies there or later
        return static_cast<std::size_t>(std::clamp(std::ceil(seconds / levelStepSeconds), 0.0, 1.0 * count));
    };
    const double peak = shape.delay + shape.attack, fall = peak + shape.hold, rest = fall + shape.decay;
    const std::size_t rises = stepOf(shape.delay), peaks = stepOf(peak), falls = stepOf(fall), rests = stepOf(rest);
    const auto secondsAt = [](std::size_t step) { return static_cast<double>(step) * levelStepSeconds; };
    std::fill(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(rises), 0.0);
    writeSegment(shape.attackCurve, 0.0, 1.0, secondsAt(rises) - shape.delay, shape.attack, rises, peaks, values);
    std::fill(values.begin() + static_cast<std::ptrdiff_t>(peaks), values.begin() + static_cast<std::ptrdiff_t>(falls),
              1.0);
    writeSegment(shape.decayCurve, 1.0, shape.sustain - 1.0, secondsAt(falls) - fall, shape.decay, falls, rests,
                 values);
    if (gate >= secondsAt(static_cast<std::size_t>(count))) return values;
    // The release begins between two steps, from where the envelope stands then.
    double let = shape.sustain;
    if (gate < shape.delay)
        let = 0.0;
    else if (gate < peak)
        let = shape.attackCurve((gate - shape.delay) / shape.attack);
    else if (gate < fall)
        let = 1.0;
    else if (gate < rest)
        let = 1.0 + (shape.sustain - 1.0) * shape.decayCurve((gate - fall) / shape.decay);
    const std::size_t released = stepOf(gate), ends = stepOf(gate + shape.release);
    writeSegment(shape.releaseCurve, let, -let, secondsAt(released) - gate, shape.release, released, ends, values);
    std::fill(values.begin() + static_cast<std::ptrdiff_t>(ends), values.end(), 0.0);
    return values;
}

/// Level in dB that the measurement would give for an envelope, over `count` steps from the note's start minus
/// `lead` steps.
std::vector<float> modelLevel(const Eigen::VectorXd& p, double gate, int lead, int count, int smoothing) {
    EnvelopeShape shape;
    shape.delay = p(delaySeconds);
    shape.attack = std::exp(p(logAttack));
    shape.attackCurve = p(attackBend);
    shape.hold = p(holdSeconds);
    shape.decay = std::exp(p(logDecay));
    shape.decayCurve = p(bend);
    shape.sustain = gainFromDb(p(sustainDb));
    shape.release = std::exp(p(logRelease));
    shape.releaseCurve = p(releaseBend);
    std::vector<double> power(static_cast<std::size_t>(count + 2 * smoothing), 0.0);
    const int total = static_cast<int>(power.size()) - lead - smoothing;
    const std::vector<double> values = envelopeOver(shape, gate, total);
    for (int i = 0; i < total; ++i) {
        const double value = values[static_cast<std::size_t>(i)];
        power[static_cast<std::size_t>(i + lead + smoothing)] = value * value;
    }
    smooth(power, smoothing);
    std::vector<float> level(power.begin() + smoothing, power.begin() + smoothing + count);
    decibelsAbove(level.data(), 1e-12f, level.data(), count); // silence is silenceDb
    for (float& db : level) db += static_cast<float>(p(peakDb));
    return level;
}

} // namespace

Track levelTrack(std::span<const float> mono48k, double smoothingSeconds) {
    constexpr int hop = analysisRateHz / 1000;
    const int frames = static_cast<int>(mono48k.size());
    const int count = frames / hop + 1;
    const int smoothing = stepsOf(smoothingSeconds);
    // Silence on either side, so that a sound that begins with the recording is smoothed as any other.
    std::vector<double> power(static_cast<std::size_t>(count + 2 * smoothing), 0.0);
    for (int i = 0; i < frames; ++i)
        power[static_cast<std::size_t>((i + hop / 2) / hop + smoothing)] +=
            static_cast<double>(mono48k[static_cast<std::size_t>(i)]) * mono48k[static_cast<std::size_t>(i)] / hop;
    smooth(power, smoothing);
    Track track{levelStepSeconds, {}};
    for (int i = 0; i < count; ++i)
        track.values.push_back(static_cast<float>(dbFromPower(power[static_cast<std::size_t>(i + smoothing)])));
    return track;
}

namespace {

/// One fit of an envelope's formula to the level of a note.
class LevelFitter {
public:
    /// Unusable where too little is shown or heard.
    LevelFitter(const Track& level, double smoothingSeconds, double start, double gate, double next, const Task& task)
        : smoothing_(stepsOf(smoothingSeconds)), start_(start), next_(next), gateKnown_(isMeasured(gate)),
          longest_(std::max(0.02, next - start)), task_(task) {
        const int first = std::max(0, level.indexAt(start) - smoothing_ / 2);
        lead_ = level.indexAt(start) - first;
        // What the window mixes with the next note is left out.
        const int last = std::min(static_cast<int>(level.values.size()), level.indexAt(next) - smoothing_ / 2);
        count_ = last - first;
        if (count_ < 6) return;
        measured_.assign(level.values.begin() + first, level.values.begin() + last);
        peakAt_ = static_cast<int>(std::max_element(measured_.begin(), measured_.end()) - measured_.begin());
        peak_ = measured_[static_cast<std::size_t>(peakAt_)];
        usable_ = peak_ > silenceDb + 20.0;
        if (usable_) estimateGate(gate);
    }

    LevelFit fit() {
        if (!usable_) return {};
        setUsualSegments();
        problem_.residuals = [this](const std::vector<Eigen::VectorXd>& points) { return residuals(points); };
        LeastSquaresResult best = fitUsualSegments();
        if (best.cost > explainedDb) fitRareSegments(best);
        return described(best);
    }

private:
    /// Where the note ends, and where its last plateau does: a slow release begins there.
    void estimateGate(double gate) {
        gate_ = gate;
        if (!gateKnown_) {
            int at = count_ - 1;
            while (at > 0 && measured_[static_cast<std::size_t>(at)] < peak_ - 20.0) --at;
            gate_ = std::max(0.01, (at - lead_) * levelStepSeconds);
        }
        earlyGate_ = gate_;
        if (gateKnown_) return;
        // 2 dB below the level at 0.7 of the note.
        const auto plateau = static_cast<std::size_t>(
            std::clamp(lead_ + static_cast<int>(0.7 * gate_ / levelStepSeconds), 0, count_ - 1));
        auto at = plateau;
        while (at + 1 < measured_.size() && measured_[at] > measured_[plateau] - 2.0f) ++at;
        earlyGate_ = std::clamp((static_cast<int>(at) - lead_) * levelStepSeconds, 0.01, gate_);
    }

    void set(int i, double value, double low, double high) {
        p_(i) = std::clamp(value, low, high);
        problem_.lower(i) = low;
        problem_.upper(i) = high;
    }

    /// Rough values: time to the peak, level before the end, and the last fall to half the power.
    void setUsualSegments() {
        p_.resize(parameterCount);
        problem_.lower.resize(parameterCount);
        problem_.upper.resize(parameterCount);
        const int gateAt =
            std::clamp(lead_ + static_cast<int>(gate_ / levelStepSeconds) - smoothing_ / 2, 0, count_ - 1);
        const double rise = std::max(0.001, (static_cast<double>(peakAt_) - lead_) * levelStepSeconds * 0.7);
        set(logAttack, std::log(rise), std::log(0.0005), std::log(std::max(0.002, longest_)));
        set(logDecay, std::log(std::max(0.01, 0.5 * gate_)), std::log(0.004), std::log(20.0));
        set(bend, 4.0, 0.0, 8.0);
        set(sustainDb, std::min(0.0, measured_[static_cast<std::size_t>(gateAt)] - peak_), -60.0, 0.0);
        set(logRelease, std::log(0.05), std::log(0.001), std::log(10.0));
        set(releaseBend, 3.0, 0.0, 8.0);
        set(peakDb, peak_, peak_ - 12.0, peak_ + 24.0);
        set(gateSeconds, gate_, gateKnown_ ? gate_ : 0.005, gateKnown_ ? gate_ : longest_);
        for (int rare : {delaySeconds, holdSeconds, attackBend}) set(rare, 0.0, 0.0, 0.0);
    }

    std::vector<Eigen::VectorXf> residuals(const std::vector<Eigen::VectorXd>& points) const {
        const auto floorDb = static_cast<float>(std::max(peak_ - rangeDb, silenceDb));
        std::vector<Eigen::VectorXf> all;
        for (const auto& point : points) {
            const auto model = modelLevel(point, point(gateSeconds), lead_, count_, smoothing_);
            Eigen::VectorXf residual(count_);
            for (int i = 0; i < count_; ++i) {
                const auto at = static_cast<std::size_t>(i);
                residual(i) = std::max(model[at], floorDb) - std::max(measured_[at], floorDb);
            }
            all.push_back(std::move(residual));
        }
        return all;
    }

    LeastSquaresResult fitUsualSegments() const {
        LeastSquaresResult best;
        best.cost = std::numeric_limits<double>::infinity();
        // The decay's length has local minima; two starts find the right valley.
        for (double share : {0.15, 0.8}) {
            Eigen::VectorXd from = p_;
            from(logDecay) = std::log(std::clamp(share * gate_, 0.004, 20.0));
            if (!gateKnown_ && share > 0.5) from(gateSeconds) = earlyGate_;
            const auto result = minimizeLeastSquares(problem_, from, settings_, task_);
            if (result.cost < best.cost) best = result;
        }
        return best;
    }

    /// The less usual segments: when it first rises, and how long it stays near its peak.
    void fitRareSegments(LeastSquaresResult& best) {
        const auto risesAt =
            std::find_if(measured_.begin(), measured_.end(), [&](float db) { return db > peak_ - 30.0; });
        const double delay =
            (static_cast<double>(risesAt - measured_.begin()) - lead_ + 0.4 * smoothing_) * levelStepSeconds;
        const auto near = [&](auto from, auto to) {
            return std::find_if(from, to, [&](float db) { return db > peak_ - 1.0; });
        };
        const double reached =
            static_cast<double>(near(measured_.begin(), measured_.end()) - measured_.begin()) - lead_;
        const double left =
            static_cast<double>(near(measured_.rbegin(), measured_.rend()).base() - measured_.begin()) - lead_;
        const double stay = std::clamp((left - reached) * levelStepSeconds, 0.0, gate_);
        p_ = Eigen::VectorXd(best.point);
        set(delaySeconds, delay > 0.005 ? delay : 0.0, 0.0, gate_);
        set(holdSeconds, 0.0, 0.0, gate_);
        set(attackBend, 0.0, -8.0, 8.0);
        settings_.iterations = 20;
        settings_.tolerance = 1e-3;
        Eigen::VectorXd held = p_;
        held(logAttack) = std::log(std::max(0.001, reached * levelStepSeconds - held(delaySeconds)));
        held(holdSeconds) = 0.8 * stay;
        held(logDecay) = std::log(std::clamp(0.5 * (gate_ - stay - reached * levelStepSeconds), 0.004, 20.0));
        for (const Eigen::VectorXd& from : {p_, held}) {
            const auto result = minimizeLeastSquares(problem_, from, settings_, task_);
            if (result.cost < 0.7 * best.cost) best = result;
        }
    }

    LevelFit described(const LeastSquaresResult& best) const {
        LevelFit fit;
        const SegmentCurve curve(best.point(bend));
        fit.delay = best.point(delaySeconds);
        fit.attack = std::exp(best.point(logAttack));
        fit.attackBend = best.point(attackBend);
        fit.hold = best.point(holdSeconds);
        // Without a fall, or with one that the note does not live to see, there is no decay to time.
        const double decayTime = std::exp(best.point(logDecay)) * curve.timeConstantShare();
        if (best.point(sustainDb) < -leastDecayDb && fit.delay + fit.hold + decayTime < best.point(gateSeconds)) {
            fit.decay = std::exp(best.point(logDecay));
            fit.decayBend = best.point(bend);
            fit.decayTime = decayTime;
        }
        fit.sustainDb = best.point(sustainDb);
        if (!isMeasured(fit.decay)) { // what it has come to when the key is let go, not what it would come to
            const double since = best.point(gateSeconds) - fit.delay - fit.attack - fit.hold;
            const double share = since > 0.0 ? curve(since / std::exp(best.point(logDecay))) : 0.0;
            fit.sustainDb = dbFromGain(1.0 + (gainFromDb(fit.sustainDb) - 1.0) * share);
        }
        fit.gate = best.point(gateSeconds);
        fit.peakDb = best.point(peakDb);
        fit.errorDb = best.cost;
        // A release that the excerpt does not show cannot be measured.
        if (start_ + fit.gate + 0.01 < next_) {
            fit.release = std::exp(best.point(logRelease));
            fit.releaseBend = best.point(releaseBend);
        }
        return fit;
    }

    const int smoothing_; ///< steps
    const double start_, next_;
    const bool gateKnown_;
    const double longest_; ///< seconds that a segment may last
    const Task& task_;
    int lead_ = 0;  ///< steps before the note's start; fewer where the recording begins with the note
    int count_ = 0; ///< steps
    std::vector<float> measured_;
    int peakAt_ = 0;
    double peak_ = silenceDb;
    bool usable_ = false;
    double gate_ = 0.0, earlyGate_ = 0.0; ///< seconds after the start
    Eigen::VectorXd p_;                   ///< where fits begin
    LeastSquaresProblem problem_;
    LeastSquaresSettings settings_{.iterations = 8,
                                   .differenceStep = 1e-3,
                                   .differenceSteps = {},
                                   .absoluteValues = true,
                                   .absoluteFloor = 0.3,
                                   .tolerance = 1e-2};
};

} // namespace

LevelFit fitLevel(const Track& level, double smoothingSeconds, double start, double gate, double next,
                  const Task& task) {
    return LevelFitter(level, smoothingSeconds, start, gate, next, task).fit();
}

} // namespace facet
