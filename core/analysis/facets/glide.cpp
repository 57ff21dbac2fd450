#include "core/analysis/facets/glide.h"

#include "core/audio/recording.h"
#include "core/dsp/envelope.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace facet {

namespace {

constexpr double heldCents = 35.0;     ///< a pitch this near to a note's is the note's
constexpr double trackerReach = 0.045; ///< seconds on either side of an instant that a pitch tracker hears
constexpr double cyclesRepeat = 0.35;  ///< the cost of a way must stay below
constexpr double shortestGlide = 0.004;

/// What the cycles of a sound say about a way from one pitch to another.
class CycleMatch {
public:
    CycleMatch(std::span<const float> mono48k, double fromHz, double toHz, double begin, double end)
        : from_(fromHz), to_(toHz), way_(std::log2(toHz / fromHz)), begin_(begin) {
        // Four partials are left, as more would give the search more valleys; 32 values a cycle hold them.
        const double highest = std::max(fromHz, toHz);
        const auto reach = static_cast<std::size_t>(std::max(2.0, analysisRateHz / (4.0 * highest)));
        const auto stride = static_cast<std::size_t>(std::max(1.0, analysisRateHz / (32.0 * highest)));
        const auto first = static_cast<std::size_t>(std::max(0.0, begin) * analysisRateHz);
        const auto last = std::min(mono48k.size(), static_cast<std::size_t>(end * analysisRateHz));
        std::vector<double> sums{0.0};
        for (std::size_t i = first; i < last; ++i) sums.push_back(sums.back() + mono48k[i]);
        for (std::size_t i = 0; i + reach < sums.size(); i += stride)
            sound_.push_back(static_cast<float>((sums[i + reach] - sums[i]) / static_cast<double>(reach)));
        begin_ = (static_cast<double>(first) + 0.5 * static_cast<double>(reach)) / analysisRateHz;
        step_ = static_cast<double>(stride) / analysisRateHz;
        phase_.resize(sound_.size());
    }

    /// Power of what changes from cycle to cycle re the power of the sound, 0 … 2.
    double cost(double start, double seconds, double bend) {
        const SegmentCurve curve(bend);
        double phase = 0.0;
        for (std::size_t i = 0; i < phase_.size(); ++i) {
            phase_[i] = phase;
            const double t = begin_ + static_cast<double>(i) * step_;
            phase += step_ * (t < start              ? from_
                              : t >= start + seconds ? to_
                                                     : from_ * std::exp2(way_ * curve((t - start) / seconds)));
        }
        double apart = 0.0;
        double power = 1e-12;
        std::size_t later = 0;
        for (std::size_t i = 0; i < phase_.size(); ++i) {
            while (later + 1 < phase_.size() && phase_[later + 1] < phase_[i] + 1.0) ++later;
            if (later + 1 >= phase_.size()) break;
            const double into = (phase_[i] + 1.0 - phase_[later]) / (phase_[later + 1] - phase_[later]);
            const double next = sound_[later] + into * (sound_[later + 1] - sound_[later]);
            apart += (next - sound_[i]) * (next - sound_[i]);
            power += 0.5 * (next * next + sound_[i] * sound_[i]);
        }
        return apart / power;
    }

private:
    double from_;
    double to_;
    double way_;        ///< octaves
    double begin_;      ///< seconds
    double step_ = 1.0; ///< seconds between two values
    std::vector<float> sound_;
    std::vector<double> phase_;
};

/// Whether a pitch tracker that hears anything on a long way hears the way: where two notes only sound together, it
/// hears one of them.
bool isOnItsWay(const Track& pitchHz, double fromHz, double toHz, const Glide& glide) {
    constexpr double longEnough = 0.2; // seconds
    if (glide.seconds < longEnough) return true;
    const double near = std::max(100.0, 0.25 * std::abs(1200.0 * std::log2(toHz / fromHz))); // cents; it lags behind
    const SegmentCurve curve(glide.bend);
    int heard = 0, onIt = 0;
    for (double t = glide.start + trackerReach; t < glide.start + glide.seconds - trackerReach;
         t += pitchHz.stepSeconds) {
        const float at = pitchHz.at(t);
        const double there = fromHz * std::pow(toHz / fromHz, curve((t - glide.start) / glide.seconds));
        heard += isMeasured(at);
        onIt += isMeasured(at) && std::abs(1200.0 * std::log2(at / there)) < near;
    }
    return 2 * onIt >= heard;
}

} // namespace

Glide fitGlide(std::span<const float> mono48k, const Track& pitchHz, double around, double fromHz, double toHz,
               double earliest, double latest) {
    if (std::abs(std::log2(toHz / fromHz)) < 1.0 / 12.0 - 1e-9) return {};
    const auto holds = [&](double t, double hz) {
        const float at = pitchHz.at(t);
        return isMeasured(at) && std::abs(1200.0 * std::log2(at / hz)) < heldCents;
    };
    // Where the tracker last hears the one pitch and first the other.
    double left = around;
    while (left > earliest && !holds(left, fromHz)) left -= pitchHz.stepSeconds;
    double right = std::max(left, around);
    while (right < latest && !holds(right, toHz)) right += pitchHz.stepSeconds;
    while (left < right && holds(left + pitchHz.stepSeconds, fromHz)) left += pitchHz.stepSeconds;
    if (left <= earliest || right >= latest) return {};
    const double lowest = std::min(fromHz, toHz);
    const double begin = std::max(earliest, left - trackerReach - 2.0 / lowest);
    CycleMatch match(mono48k, fromHz, toHz, begin, std::min(latest, right + trackerReach + 3.0 / lowest));

    struct Way {
        double start, end, bend, cost;
    };
    Way best{left, right, 0.0, 1e9};
    const auto attempt = [&](double start, double end, double bend) {
        if (end < start || std::abs(bend) > 8.0 || start < begin || end > latest) return;
        const double cost = match.cost(start, end - start < shortestGlide ? 0.0 : end - start, bend);
        if (cost < best.cost) best = {start, end, bend, cost};
    };
    constexpr int places = 12, mostRounds = 60, hopelessAfter = 8;
    const double from = left - trackerReach;
    const double step = (right + trackerReach - from) / places;
    for (double bend : {0.0, 4.0, -4.0})
        for (int i = 0; i <= places; ++i)
            for (int k = i; k <= places; ++k) attempt(from + i * step, from + k * step, bend);
    double reach = 0.5 * step;
    double bendReach = 2.0;
    // Where hardly anything repeats, the cost can fall for ever, by less and less.
    for (int rounds = 0; rounds < mostRounds && reach > 0.0005; ++rounds) {
        const Way before = best;
        for (double a : {-1.0, 0.0, 1.0})
            for (double b : {-1.0, 0.0, 1.0})
                for (double c : {-1.0, 0.0, 1.0})
                    attempt(before.start + a * reach, before.end + b * reach, before.bend + c * bendReach);
        if (rounds == hopelessAfter && best.cost > 2.0 * cyclesRepeat) return {};
        if (best.cost == before.cost) {
            reach *= 0.5;
            bendReach *= 0.6;
        }
    }
    if (best.cost > cyclesRepeat) return {};
    const double seconds = best.end - best.start;
    // A note may have been found late, in the middle of the way, but no way ends where its note begins.
    constexpr double mostBefore = 0.65, doubt = 0.03;
    if (around - best.start > mostBefore * seconds + doubt) return {};
    if (!isOnItsWay(pitchHz, fromHz, toHz, {best.start, seconds, best.bend})) return {};
    return seconds < shortestGlide ? Glide{best.start, 0.0, 0.0} : Glide{best.start, seconds, best.bend};
}

} // namespace facet
