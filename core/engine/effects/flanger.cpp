// Flanger: a short moving delay with feedback.
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

class Flanger : public Effect {
public:
    explicit Flanger(const EffectSetting& setting) : rateHz_(setting.rateHz) {
        for (std::size_t c = 0; c < setting.candidates; ++c) candidates_.emplace_back(0.032 * rateHz_);
    }
    void setValues(std::size_t c, std::span<const double> v) override {
        constexpr auto kind = ModuleKind::flanger;
        static const Field rate(kind, "rate"), depth(kind, "depth"), delay(kind, "delay"), feedback(kind, "feedback"),
            phase(kind, "phase"), sides(kind, "sides");
        Candidate& x = candidates_[c];
        x.phase.setRate(rate.of(v), rateHz_);
        x.depth = depth.of(v) * 1e-3 * rateHz_;
        x.delay = delay.of(v) * 1e-3 * rateHz_;
        x.feedback = feedback.real(v) / 100.0f;
        x.offset = phase.of(v) / 360.0;
        x.sides = sides.of(v) / 360.0;
    }
    void process(std::span<StereoRow> rows, int frames) override {
        for (std::size_t c = 0; c < rows.size(); ++c) {
            Candidate& x = candidates_[c];
            x.phase.advance(frames);
            run(x, x.ring.left, x.ramps[0], 0.0, rows[c].left.data(), frames);
            run(x, x.ring.right, x.ramps[1], x.sides, rows[c].right.data(), frames);
            x.ring.at += frames;
        }
    }
    void clear(std::size_t c) override {
        candidates_[c].ring.clear();
        for (LinearRamp& ramp : candidates_[c].ramps) ramp.started = false;
    }
    int memoryFrames(std::size_t c) const override {
        return static_cast<int>(candidates_[c].delay + candidates_[c].depth) + 32;
    }
    void rest(int frames) override {
        for (Candidate& x : candidates_) x.phase.advance(frames);
    }

private:
    struct Candidate {
        StereoRing ring;
        PhaseAccumulator phase;
        double depth = 0.0, delay = 100.0, offset = 0.0, sides = 0.0; ///< samples, samples, cycles, cycles
        float feedback = 0.0f;
        std::array<LinearRamp, 2> ramps{};
        explicit Candidate(double samples) : ring(samples) {}
    };
    void run(const Candidate& x, Ring& ring, LinearRamp& ramp, double ahead, float* side, int frames) const {
        const double place = x.phase.cycles() + x.offset + ahead;
        ramp.aim(std::clamp(x.delay + x.depth * std::sin(fullTurn * place), 3.0, x.ring.longest()));
        constexpr int newest = 2; // samples after the one looked for that interpolation reads
        if (std::min(ramp.now, ramp.to) >= frames + newest) { // nothing of this block comes back within it
            alignas(64) kernels::Row delayed, in;
            kernels::readDelayed(ring, x.ring.at, ramp.now, ramp.to, frames, delayed.data());
            for (std::size_t t = 0; t < in.size(); ++t)
                in[t] = std::clamp(side[t] + x.feedback * delayed[t], -32.0f, 32.0f);
            ring.write(x.ring.at, in.data(), frames);
            std::copy_n(delayed.begin(), frames, side);
            ramp.arrive();
            return;
        }
        auto back = static_cast<float>(ramp.now);
        const auto step = static_cast<float>((ramp.to - ramp.now) / frames);
        for (int t = 0; t < frames; ++t, back += step) {
            const float delayed = ring.before(x.ring.at + t, back);
            const float in = std::clamp(side[t] + x.feedback * delayed, -32.0f, 32.0f);
            ring.write(x.ring.at + t, in);
            side[t] = delayed;
        }
        ramp.arrive();
    }
    double rateHz_;
    std::vector<Candidate> candidates_;
};

} // namespace

std::unique_ptr<Effect> makeFlanger(const EffectGraph&, const EffectSetting& setting) {
    return std::make_unique<Flanger>(setting);
}

} // namespace facet
