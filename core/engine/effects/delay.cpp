// Delay: stereo or ping-pong, in time or in note values, with filters in its loop.
#include "core/base/units.h"
#include "core/engine/effects/delay_line.h"
#include "core/engine/effects/effect.h"
#include "core/engine/effects/phase_accumulator.h"
#include "core/engine/effects/time_kernels.h"
#include "core/parameters/field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <vector>

namespace facet {

namespace {

class Delay : public Effect {
public:
    Delay(const EffectGraph& graph, const EffectSetting& setting) : rateHz_(setting.rateHz), tempo_(setting.tempo) {
        static const Field cross(ModuleKind::delay, "cross"), begin(ModuleKind::delay, "begin");
        cross_ = cross.on(graph.values);
        fromBoth_ = begin.whole(graph.values) == 1;
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(longestSeconds * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::delay;
        static const Field timing(kind, "timing"), time(kind, "time"), beats(kind, "beats"), offset(kind, "offset"),
            feedback(kind, "feedback"), lowCut(kind, "low_cut"), highCut(kind, "high_cut"), rate(kind, "rate"),
            depth(kind, "depth");
        Candidate& x = candidates_[c];
        const double quarters = noteValueQuarters()[static_cast<std::size_t>(beats.whole(v))];
        const double seconds = timing.on(v) ? 60.0 / tempo_ * quarters : time.of(v) * 1e-3;
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        for (std::size_t side = 0; side < 2; ++side) {
            double samples = (seconds + (side == 0 ? 0.0 : offset.of(v) * 1e-3)) * rateHz_;
            // A time that stands still is a whole number of samples, and so loses no treble between two.
            if (x.depth == 0.0) samples = std::round(samples);
            x.wanted[side] = std::clamp(samples, 20.0 + x.depth, x.ring.longest() - x.depth);
            if (!x.started) x.time[side] = x.wanted[side];
        }
        x.started = true;
        x.feedback = feedback.real(v) / 100.0f;
        const auto poleOf = [&](double hz) {
            return static_cast<float>(std::exp(-fullTurn * std::min(hz / rateHz_, 0.45)));
        };
        x.lowPole = lowCut.of(v) <= 10.0 ? 1.0f : poleOf(lowCut.of(v));
        x.highPole = highCut.of(v) >= 20000.0 ? 0.0f : poleOf(highCut.of(v));
        x.phase.setRate(rate.of(v), rateHz_);
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) run(candidates_[c], rows[c], frames);
    }
    void clear(std::size_t c) override {
        Candidate& x = candidates_[c];
        x.ring.clear();
        x.filters = {};
        x.started = false; // at once where it belongs
        for (LinearRamp& ramp : x.ramps) ramp.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(std::max(candidates_[c].time[0], candidates_[c].time[1]) + candidates_[c].depth) + 64;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_) x.phase.advance(frames);
    }

private:
    static constexpr double longestSeconds = 4.3;
    static constexpr double glideSeconds = 0.06; ///< of a time that was changed
    struct Candidate {
        StereoRing ring;
        PhaseAccumulator phase;
        std::array<double, 2> wanted{}, time{}; ///< samples
        std::array<LinearRamp, 2> ramps{};
        double depth = 0.0;
        bool started = false;
        float feedback = 0.0f, lowPole = 1.0f, highPole = 0.0f;
        struct Filters {
            float low = 0.0f, high = 0.0f;
        };
        std::array<Filters, 2> filters{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void run(Candidate& x, StereoRow& row, int frames) const {
        x.phase.advance(frames);
        const double sway = x.depth > 0.0 ? x.depth * std::sin(fullTurn * x.phase.cycles()) : 0.0;
        alignas(64) std::array<kernels::Row, 2> echoes;
        for (std::size_t side = 0; side < 2; ++side) {
            const double away = x.wanted[side] - x.time[side];
            // Like a tape that is brought to another speed; it arrives in the end.
            if (std::abs(away) < 0.01)
                x.time[side] = x.wanted[side];
            else
                x.time[side] += std::clamp(away * frames / (glideSeconds * rateHz_), -0.9 * frames, 0.9 * frames);
            x.ramps[side].aim(x.time[side] + sway);
            const Ring& ring = side == 0 ? x.ring.left : x.ring.right;
            kernels::readDelayed(ring, x.ring.at, x.ramps[side].now, x.ramps[side].to, frames, echoes[side].data());
            x.ramps[side].arrive();
            Candidate::Filters& f = x.filters[side];
            if (x.highPole > 0.0f) kernels::lowPassRow(echoes[side].data(), x.highPole, f.high, frames);
            if (x.lowPole == 1.0f) continue;
            kernels::Row low = echoes[side];
            kernels::lowPassRow(low.data(), x.lowPole, f.low, frames);
            for (std::size_t t = 0; t < low.size(); ++t) echoes[side][t] -= low[t];
        }
        kernels::Row inLeft, inRight;
        for (std::size_t t = 0; t < inLeft.size(); ++t) { // whatever stands behind the last
            const float backLeft = x.feedback * echoes[0][t];
            const float backRight = x.feedback * echoes[1][t];
            float left = row.left[t] + (cross_ ? backRight : backLeft);
            float right = row.right[t] + (cross_ ? backLeft : backRight);
            if (cross_ && !fromBoth_) {
                left = 0.5f * (row.left[t] + row.right[t]) + backRight;
                right = backLeft;
            }
            inLeft[t] = std::clamp(left, -16.0f, 16.0f);
            inRight[t] = std::clamp(right, -16.0f, 16.0f);
        }
        x.ring.left.write(x.ring.at, inLeft.data(), frames);
        x.ring.right.write(x.ring.at, inRight.data(), frames);
        x.ring.at += frames;
        row.left = echoes[0];
        row.right = echoes[1];
    }
    double rateHz_, tempo_;
    bool cross_ = false, fromBoth_ = false;
    std::vector<Candidate> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeDelay(const EffectGraph& graph, const EffectSetting& setting) {
    return std::make_unique<Delay>(graph, setting);
}

} // namespace facet
