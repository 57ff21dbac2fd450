#include "core/analysis/facets/level.h"

#include "core/audio/recording.h"
#include "core/base/units.h"
#include "core/dsp/least_squares.h"
#include "core/dsp/vector_math.h"
#include "core/dsp/envelope.h"

#include <algorithm>
#include <cmath>

namespace facet {

namespace {

constexpr double stepSeconds = 0.001;
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

int stepsOf(double seconds) { return std::max(2, static_cast<int>(std::lround(seconds / stepSeconds))); }

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
    Envelope envelope;
    envelope.start();
    std::vector<double> power(static_cast<std::size_t>(count + 2 * smoothing), 0.0);
    const int total = static_cast<int>(power.size()) - lead - smoothing;
    const int gateSteps = std::min(total, static_cast<int>(gate / stepSeconds) + 1);
    std::vector<float> values(static_cast<std::size_t>(total));
    envelope.advance(shape, stepSeconds, gateSteps, values.data());
    if (gateSteps < total) { // the release begins between two steps; one step's straight line bridges it
        envelope.release();
        envelope.advance(shape, gateSteps * stepSeconds - gate, 1, nullptr);
        envelope.advance(shape, stepSeconds, total - gateSteps, values.data() + gateSteps);
    }
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
    Track track{stepSeconds, {}};
    for (int i = 0; i < count; ++i)
        track.values.push_back(static_cast<float>(dbFromPower(power[static_cast<std::size_t>(i + smoothing)])));
    return track;
}

LevelFit fitLevel(const Track& level, double smoothingSeconds, double start, double gate, double next,
                  const Task& task) {
    const int smoothing = stepsOf(smoothingSeconds);
    const int first = std::max(0, level.indexAt(start) - smoothing / 2);
    const int lead = level.indexAt(start) - first; ///< shorter where the recording begins with the note
    // What the window mixes with the next note is left out.
    const int last = std::min(static_cast<int>(level.values.size()), level.indexAt(next) - smoothing / 2);
    const int count = last - first;
    LevelFit fit;
    if (count < 6) return fit;
    const std::vector<float> measured(level.values.begin() + first, level.values.begin() + last);
    const auto peakAt = std::max_element(measured.begin(), measured.end());
    const double peak = *peakAt;
    if (peak <= silenceDb + 20.0) return fit;
    const double floorDb = std::max(peak - rangeDb, silenceDb);
    const bool gateKnown = isMeasured(gate);
    const double longest = std::max(0.02, next - start);

    // Rough values: time to the peak, level before the end, and the last fall to half the power.
    double roughGate = gate;
    if (!gateKnown) {
        int at = count - 1;
        while (at > 0 && measured[static_cast<std::size_t>(at)] < peak - 20.0) --at;
        roughGate = std::max(0.01, (at - lead) * stepSeconds);
    }
    // Where the last plateau ends: 2 dB below the level at 0.7 of the note. A slow release begins there.
    double earlyGate = roughGate;
    if (!gateKnown) {
        const auto plateau =
            static_cast<std::size_t>(std::clamp(lead + static_cast<int>(0.7 * roughGate / stepSeconds), 0, count - 1));
        auto at = plateau;
        while (at + 1 < measured.size() && measured[at] > measured[plateau] - 2.0f) ++at;
        earlyGate = std::clamp((static_cast<int>(at) - lead) * stepSeconds, 0.01, roughGate);
    }
    const int gateAt = std::clamp(lead + static_cast<int>(roughGate / stepSeconds) - smoothing / 2, 0, count - 1);
    Eigen::VectorXd p(static_cast<int>(parameterCount));
    LeastSquaresProblem problem;
    problem.lower.resize(parameterCount);
    problem.upper.resize(parameterCount);
    const auto set = [&](int i, double value, double low, double high) {
        p(i) = std::clamp(value, low, high);
        problem.lower(i) = low;
        problem.upper(i) = high;
    };
    const double rise = std::max(0.001, (static_cast<double>(peakAt - measured.begin()) - lead) * stepSeconds * 0.7);
    set(logAttack, std::log(rise), std::log(0.0005), std::log(std::max(0.002, longest)));
    set(logDecay, std::log(std::max(0.01, 0.5 * roughGate)), std::log(0.004), std::log(20.0));
    set(bend, 4.0, 0.0, 8.0);
    set(sustainDb, std::min(0.0, measured[static_cast<std::size_t>(gateAt)] - peak), -60.0, 0.0);
    set(logRelease, std::log(0.05), std::log(0.001), std::log(10.0));
    set(releaseBend, 3.0, 0.0, 8.0);
    set(peakDb, peak, peak - 12.0, peak + 24.0);
    set(gateSeconds, roughGate, gateKnown ? roughGate : 0.005, gateKnown ? roughGate : longest);
    for (int rare : {delaySeconds, holdSeconds, attackBend}) set(rare, 0.0, 0.0, 0.0);
    problem.residuals = [&](const std::vector<Eigen::VectorXd>& points) {
        std::vector<Eigen::VectorXf> all;
        for (const auto& point : points) {
            const auto model = modelLevel(point, point(gateSeconds), lead, count, smoothing);
            Eigen::VectorXf residual(count);
            for (int i = 0; i < count; ++i) {
                const auto at = static_cast<std::size_t>(i);
                residual(i) = std::max(model[at], static_cast<float>(floorDb)) -
                              std::max(measured[at], static_cast<float>(floorDb));
            }
            all.push_back(std::move(residual));
        }
        return all;
    };
    LeastSquaresSettings settings{.iterations = 8,
                                        .differenceStep = 1e-3,
                                        .differenceSteps = {},
                                        .absoluteValues = true,
                                        .absoluteFloor = 0.3,
                                        .tolerance = 1e-2};
    LeastSquaresResult best;
    best.cost = std::numeric_limits<double>::infinity();
    // The decay's length has local minima; two starts find the right valley.
    for (double share : {0.15, 0.8}) {
        Eigen::VectorXd from = p;
        from(logDecay) = std::log(std::clamp(share * roughGate, 0.004, 20.0));
        if (!gateKnown && share > 0.5) from(gateSeconds) = earlyGate;
        const auto result = minimizeLeastSquares(problem, from, settings, task);
        if (result.cost < best.cost) best = result;
    }
    if (best.cost > explainedDb) {
        // The less usual segments: when it first rises, and how long it stays near its peak.
        const auto risesAt = std::find_if(measured.begin(), measured.end(), [&](float db) { return db > peak - 30.0; });
        const double delay = (static_cast<double>(risesAt - measured.begin()) - lead + 0.4 * smoothing) * stepSeconds;
        const auto near = [&](auto from, auto to) {
            return std::find_if(from, to, [&](float db) { return db > peak - 1.0; });
        };
        const double reached = static_cast<double>(near(measured.begin(), measured.end()) - measured.begin()) - lead;
        const double left =
            static_cast<double>(near(measured.rbegin(), measured.rend()).base() - measured.begin()) - lead;
        const double stay = std::clamp((left - reached) * stepSeconds, 0.0, roughGate);
        const Eigen::VectorXd plain = best.point;
        p = plain;
        set(delaySeconds, delay > 0.005 ? delay : 0.0, 0.0, roughGate);
        set(holdSeconds, 0.0, 0.0, roughGate);
        set(attackBend, 0.0, -8.0, 8.0);
        settings.iterations = 20;
        settings.tolerance = 1e-3;
        Eigen::VectorXd held = p;
        held(logAttack) = std::log(std::max(0.001, reached * stepSeconds - held(delaySeconds)));
        held(holdSeconds) = 0.8 * stay;
        held(logDecay) = std::log(std::clamp(0.5 * (roughGate - stay - reached * stepSeconds), 0.004, 20.0));
        for (const Eigen::VectorXd& from : {p, held}) {
            const auto result = minimizeLeastSquares(problem, from, settings, task);
            if (result.cost < 0.7 * best.cost) best = result;
        }
    }
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
    fit.gate = best.point(gateSeconds);
    fit.peakDb = best.point(peakDb);
    fit.errorDb = best.cost;
    // A release that the excerpt does not show cannot be told.
    if (start + fit.gate + 0.01 < next) {
        fit.release = std::exp(best.point(logRelease));
        fit.releaseBend = best.point(releaseBend);
    }
    return fit;
}

} // namespace facet
