// What effects that work sample after sample have in common: 16 candidates side by side.
#pragma once

#include "core/engine/effects/effect.h"
#include "core/engine/effects/lane_kernels.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace facet {

inline constexpr double highestShare = 0.47; ///< of the rate, for cutoffs

/// Transposes the candidates' rows into lanes and back around run(). An effect implements the three functions below:
/// forget() and take() for one candidate, run() for all of them. Contract of memory and threads: see Effect.
class LaneEffect : public Effect {
public:
    explicit LaneEffect(const EffectSetting& setting) : rateHz_(setting.rateHz) {}
    void setValues(std::size_t c, std::span<const double> values) override {
        take(c, values, !started_[c]);
        started_[c] = true;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        kernels::toLanes(rows, lanes_, frames);
        run(frames);
        kernels::fromLanes(lanes_, rows, frames);
    }
    void clear(std::size_t c) final {
        started_[c] = false;
        forget(c);
    }
    int memoryFrames(std::size_t) const override { return static_cast<int>(0.1 * rateHz_); }

protected:
    /// Forgets the sound of a candidate.
    virtual void forget(std::size_t c) = 0;
    /// Aims a candidate's kernel values at the parameters' (in the order of parametersOf()), to be reached by the end
    /// of the next block; `atOnce`: they are set at once, since sound only begins.
    virtual void take(std::size_t c, std::span<const double> values, bool atOnce) = 0;
    /// Changes `lanes_` in place, 1 … 16 frames.
    virtual void run(int frames) = 0;

    /// tan(π f / rate) of a cutoff in Hz, for filters by trapezoidal integration.
    double tangent(double hz) const {
        return std::tan(std::numbers::pi * std::clamp(hz / rateHz_, 1e-5, highestShare));
    }
    /// Pole of a one-pole smoother that has gone 1 − 1/e of its way after a time in ms.
    double decayPerFrame(double ms) const { return ms <= 0.0 ? 0.0 : std::exp(-1.0 / (ms * 1e-3 * rateHz_)); }

    const double rateHz_;
    kernels::StereoLanes lanes_{};

private:
    std::array<bool, kernels::laneCount> started_{};
};

} // namespace facet
